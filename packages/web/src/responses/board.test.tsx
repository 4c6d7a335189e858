import { type BoardLine, routes } from '@hand-post/contract'
import { usualChaser } from '@hand-post/core'
import { beforeEach, describe, expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import { queries } from '../api.ts'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aBoard, aBoardLine, aResponse, aRound, aSeen, someCharts, withRound } from '../testing/samples.ts'
import { comparedWords } from './ComparedChart.tsx'
import ResponsesStage from './ResponsesStage.tsx'

const day = 86_400_000
const sentAt = Date.parse('2026-11-02T09:00:00Z')
const posted = aRound({ postedAt: sentAt })
let desk: FakeDesk
let lines: BoardLine[]
/** What was asked of the lines, in order. */
let asked: Record<string, string>[]
beforeEach(() => {
  asked = []
  lines = [
    aBoardLine({ messageId: 1, rowId: 1, person: 'Ada Penrose', outcome: 'replied', said: 'Yes, gladly.' }),
    aBoardLine({ messageId: 2, rowId: 2, person: 'Bram Sloe', address: 'bram@quay.example' }),
  ]
  desk = openDesk()
  withRound(desk, posted)
  desk
    .on(routes.messages, () => [])
    .on(routes.timetable, () => {
      throw new Refused(409, 'Nothing waits.')
    })
    .on(routes.board, () => aBoard({ counts: { replied: 1, unanswered: 1 } }))
    .on(routes.boardCharts, () => someCharts())
    .on(routes.boardLines, ({ query }) => {
      asked.push(query)
      const { pick, find = '', from = '0', count = '200', way } = query
      const wanted = lines.filter(
        (l) => (pick !== 'replied' || l.outcome === 'replied') && l.person.toLowerCase().includes(find.toLowerCase()),
      )
      if (way === 'down') wanted.reverse()
      return {
        letters: wanted.length,
        people: wanted.length,
        lines: wanted.slice(Number(from), Number(from) + Number(count)),
      }
    })
    .on(routes.heardFrom, ({ params }) => ({
      letters: lines
        .filter((l) => l.rowId === Number(params.row))
        .map((l) => ({
          ...l,
          returned: [],
          responses: l.said
            ? [
                aResponse({ kind: 'reply', at: sentAt, words: l.said }),
                aResponse({ id: 2, at: sentAt, automatic: true, machine: 'quick' }),
                aResponse({ id: 3, kind: 'reply', at: sentAt, from: 'Cy', words: 'Me too', of: 'copy' }),
                aResponse({
                  id: 4,
                  at: sentAt,
                  client: { program: 'Gullmail', device: 'phone', proxy: false, machine: null },
                  country: 'GB',
                }),
                aResponse({
                  id: 5,
                  kind: 'click',
                  at: sentAt,
                  client: { program: null, device: null, proxy: true, machine: null },
                }),
              ]
            : [],
        })),
    }))
})
const open = async () => {
  const { screen, router } = await draw(
    <OpenRound round={posted} goTo={() => {}}>
      <div style={{ height: 900 }}>
        <ResponsesStage />
      </div>
    </OpenRound>,
  )
  const grid = screen.getByRole('grid', { name: 'Outcomes' })
  const people = () =>
    grid
      .getByRole('row')
      .elements()
      .slice(1)
      .map((row) => row.querySelector('[role=gridcell]')?.textContent ?? null)
  return { screen, router, grid, people }
}

test('of whom it is forgotten there are numbers only', async () => {
  const tracking = { opens: true, clicks: true, receipts: true, optOut: false }
  desk.on(routes.board, () => aBoard({ counts: { opened: 7, clicked: 3, replied: 1 }, tracking, forgotten: true }))
  const { screen } = await open()
  await expect.element(screen.getByRole('button', { name: '7 opened' })).toBeDisabled()
  await expect.element(screen.getByRole('button', { name: '3 followed a link' })).toBeDisabled()
  await expect.element(screen.getByRole('button', { name: '1 replied' })).toBeEnabled()
})

test('each line of the board shows the people it counts; chosen once more, all are there again', async () => {
  const { screen, people } = await open()
  await expect.poll(people).toEqual(['Ada Penrose', 'Bram Sloe'])
  await screen.getByRole('button', { name: '1 replied' }).click()
  await expect.poll(people).toEqual(['Ada Penrose'])
  await expect.element(screen.getByText('1 person: replied')).toBeVisible()
  await screen.getByRole('button', { name: '1 replied' }).click()
  await expect.poll(people).toEqual(['Ada Penrose', 'Bram Sloe'])
  expect(asked.map((one) => one.pick)).toEqual([undefined, 'replied'])
})
test('opens are told with what they were made, with what is not known of them; a link shows who followed it', async () => {
  let seen = aSeen()
  desk
    .on(routes.board, () => aBoard({ tracking: seen.tracking, counts: { replied: 1, unanswered: 1 } }))
    .on(routes.boardSeen, () => seen)
  const { screen } = await open()
  await screen.getByRole('button', { name: 'Opens and links' }).click()
  await expect
    .element(
      screen.getByText('10 of the 20 letters that arrived were opened by a person (50%), as far as can be seen.'),
    )
    .toBeVisible()
  await expect
    .element(screen.getByText('Apart from these, machines only: 3 letters within ten seconds of sending.'))
    .toBeVisible()
  await expect.element(screen.getByText(/Whoever reads without pictures opens nothing here\.$/)).toBeVisible()
  const drawing = (name: RegExp) => screen.getByRole('img', { name })
  await expect
    .element(drawing(/^With which programs/))
    .toHaveTextContent('Gullmail5 (50%)not told3 (30%)by the mail service, in their place2 (20%)')
  await expect.element(drawing(/^On which devices/)).toHaveTextContent('computer5 (50%)not told3 (30%)')
  await expect.element(drawing(/^From which countries/)).not.toBeInTheDocument()
  const links = screen.getByRole('region', { name: 'Links of the letter' })
  await expect.element(links).toHaveTextContent('0 of 20 (0%)https://quay.example/map')
  await links.getByRole('button', { name: '4 of 20 (20%) https://quay.example/rules' }).click()
  await expect.poll(() => asked.at(-1)).toMatchObject({ pick: 'link', word: 'https://quay.example/rules' })
  await expect.element(screen.getByText(/: followed https:\/\/quay\.example\/rules/)).toBeVisible()
  // One thing at a time: a line of the board takes its place.
  await screen.getByRole('button', { name: '1 replied' }).click()
  await expect.poll(() => asked.at(-1)).toMatchObject({ pick: 'replied' })
  await expect.element(links.getByRole('button', { name: /rules/ })).toHaveAttribute('aria-pressed', 'false')
  seen = aSeen({
    tracking: { ...seen.tracking, clicks: false, opens: false },
    opened: 0,
    machines: [],
    countries: [{ country: 'GB', letters: 1 }],
  })
  await queries.invalidateQueries()
  await expect.element(screen.getByText('Nothing was opened yet.')).toBeVisible()
  await expect.element(screen.getByText('Links were not counted in this round.')).toBeVisible()
  await expect.element(screen.getByText(/^Opens were not asked for in this round/)).toBeVisible()
})
test('where nothing is counted there are no opens to be drawn', async () => {
  desk.on(routes.board, () =>
    aBoard({
      tracking: { opens: false, clicks: false, receipts: false, optOut: false },
      counts: { replied: 1, unanswered: 1 },
    }),
  )
  const { screen } = await open()
  await expect.element(screen.getByRole('button', { name: 'By hour' })).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'Opens and links' })).not.toBeInTheDocument()
})
test('what the person in hand sent back is told with whose it is', async () => {
  const { screen } = await open()
  const heard = screen.getByRole('region', { name: 'What came back from Ada Penrose' })
  await expect.element(heard).toHaveTextContent('replied: Yes, gladly.')
  await expect.element(heard).toHaveTextContent('opened it (a machine: within ten seconds of sending)')
  await expect.element(heard).toHaveTextContent('opened it, with Gullmail on a phone, from United Kingdom')
  await expect.element(heard).toHaveTextContent('followed a link, fetched by their mail service in their place')
  await expect
    .element(heard)
    .toHaveTextContent('replied (of Cy, who has a copy: it does not count for Ada Penrose): Me too')
  await screen.getByRole('button', { name: 'Bram Sloe' }).click()
  await expect.element(heard).not.toBeInTheDocument()
})
test('it is sorted and searched by the desk, and says what was not found', async () => {
  const { screen, grid, people } = await open()
  await grid.getByRole('button', { name: 'Person' }).click()
  await expect.poll(() => asked.at(-1)).toMatchObject({ by: 'person', way: 'up' })
  await grid.getByRole('button', { name: 'Person' }).click()
  await expect.poll(people).toEqual(['Bram Sloe', 'Ada Penrose'])
  await expect.element(grid.getByRole('columnheader', { name: 'Person' })).toHaveAttribute('aria-sort', 'descending')
  // Moments begin with the latest.
  await grid.getByRole('button', { name: 'When' }).click()
  await expect.poll(() => asked.at(-1)).toMatchObject({ by: 'when', way: 'down' })
  await grid.getByRole('button', { name: 'When' }).click()
  await grid.getByRole('button', { name: 'When' }).click()
  await expect.element(grid.getByRole('columnheader', { name: 'When' })).not.toHaveAttribute('aria-sort')
  await expect.poll(people).toEqual(['Ada Penrose', 'Bram Sloe'])
  await userEvent.fill(screen.getByRole('searchbox'), 'sloe')
  await expect.poll(people).toEqual(['Bram Sloe'])
  await userEvent.fill(screen.getByRole('searchbox'), 'nobody')
  await expect.element(screen.getByText(/nobody/i).first()).toBeVisible()
  expect(asked.at(-1)).toMatchObject({ find: 'nobody' })
  await userEvent.fill(screen.getByRole('searchbox'), '')
})
test('of 100,000 those in view are fetched, and no others', async () => {
  lines = Array.from({ length: 100_000 }, (_, i) =>
    aBoardLine({ messageId: i + 1, rowId: i + 1, person: `Person ${i}` }),
  )
  const { screen, grid, people } = await open()
  await expect.poll(people).toContain('Person 0')
  expect(asked).toHaveLength(1)
  grid.element().scrollTop = 60_000 * 34
  await expect.poll(people).toContain('Person 60005')
  const from = new Set(asked.map((one) => Number(one.from)))
  expect(from.has(60_000) || from.has(59_800)).toBe(true)
  expect(from.size).toBeLessThan(6)
  await expect.element(grid).toHaveAttribute('aria-rowcount', '100001')
  await expect.element(screen.getByText('100,000 people')).toBeVisible()
})
test('an outcome word is given to all who are shown, whether they are fetched or not', async () => {
  lines = Array.from({ length: 700 }, (_, i) => aBoardLine({ messageId: i + 1, rowId: i + 1, person: `Person ${i}` }))
  desk
    .on(routes.board, () =>
      aBoard({ outcomeWords: ['coming'], words: [{ word: 'coming', people: 0 }], peopleReached: 700 }),
    )
    .on(routes.boardRows, ({ query }) => ({ rows: query.find === 'Person 6' ? [7, 61, 62] : [] }))
    .on(routes.giveWords, ({ body }) => ({ before: body.given.map(({ row }) => ({ row, word: null })) }))
  const { screen } = await open()
  await userEvent.fill(screen.getByRole('searchbox'), 'Person 6')
  await screen.getByRole('button', { name: /Give these \d+ a word/ }).click()
  await screen.getByRole('button', { name: 'coming', exact: true }).click()
  await expect
    .poll(() => desk.bodiesOf(routes.giveWords))
    .toEqual([{ given: [7, 61, 62].map((row) => ({ row, word: 'coming' })) }])
  await userEvent.fill(screen.getByRole('searchbox'), '')
})
test('a further letter is begun to those who are shown, for what the line speaks of', async () => {
  desk
    .on(routes.boardRows, ({ query }) => ({ rows: query.pick === 'unanswered' ? [2] : [1, 2] }))
    .on(routes.addChaser, ({ body }) => {
      if (body.rows?.length === 2) throw new Refused(409, 'A round has at most 9 chasers. Nothing was begun.')
      return aRound({ id: 9, chases: { id: 5, title: posted.title, postedAt: sentAt }, chaser: usualChaser })
    })
  const { screen, router } = await open()
  await screen.getByRole('button', { name: 'Write to these 2…' }).click()
  await expect.element(screen.getByText('A round has at most 9 chasers. Nothing was begun.')).toBeVisible()
  await screen.getByRole('button', { name: /not answered/ }).click()
  await screen.getByRole('button', { name: /^Write to th/ }).click()
  await expect.poll(() => router.state.location.pathname).toBe('/rounds/9/letter')
  expect(desk.bodiesOf(routes.addChaser)).toEqual([
    { rows: [1, 2], chaser: {} },
    { rows: [2], chaser: { who: ['silent'] } },
  ])
})

test('what the desk cannot give is said, and the counts stay', async () => {
  desk.on(routes.boardLines, () => {
    throw new Refused(503, 'The database does not answer. Nothing is lost.')
  })
  desk.on(routes.boardCharts, () => {
    throw new Refused(503, 'The charts cannot be drawn just now.')
  })
  const { screen } = await open()
  await expect.element(screen.getByText('The database does not answer. Nothing is lost.')).toBeVisible()
  await expect.element(screen.getByText('The charts cannot be drawn just now.')).toBeVisible()
  await expect.element(screen.getByText('2 of 2 letters sent, 2 arrived.')).toBeVisible()
})
test('choices are counted, drawn and filtered by, and stand beside their people', async () => {
  lines[0].choice = 'I shall come'
  desk.on(routes.board, () =>
    aBoard({
      choices: [
        { choice: 'I shall come', people: 1 },
        { choice: 'I cannot', people: 0 },
      ],
      choseNothing: 3,
      peopleReached: 4,
    }),
  )
  const { screen, grid } = await open()
  const group = screen.getByRole('region', { name: 'By the choices of the letter' })
  await expect.element(group.getByRole('button', { name: '3 chose nothing' })).toBeVisible()
  await group.getByRole('button', { name: '1 I shall come' }).click()
  await expect.poll(() => asked.at(-1)).toMatchObject({ pick: 'choice', word: 'I shall come' })
  await expect.element(grid.getByRole('columnheader', { name: 'Choice' })).toBeVisible()
  await expect.element(grid.getByRole('gridcell', { name: 'I shall come' })).toBeVisible()
  await screen.getByRole('button', { name: 'Choices' }).click()
  await screen.getByText('As a table').click()
  await expect.element(screen.getByRole('row', { name: 'I shall come 1 (25%)' })).toBeVisible()
  await expect.element(screen.getByRole('row', { name: 'chose nothing 3 (75%)' })).toBeVisible()
})
test('a letter without choices draws none', async () => {
  const { screen } = await open()
  await expect.element(screen.getByRole('button', { name: 'Over time' })).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'Choices' })).not.toBeInTheDocument()
})
test('files that came back: who sent one, and a way to keep them all', async () => {
  desk
    .on(routes.board, () => aBoard({ counts: { files: 1, arrived: 2 } }))
    .on(routes.returnedFiles, () => ({ files: [], count: 0, toFetch: 1, unknown: [] }))
  const { screen } = await open()
  await expect.element(screen.getByRole('button', { name: '1 sent a file back' })).toBeVisible()
  await screen.getByRole('button', { name: '1 sent no file back' }).click()
  await expect.poll(() => asked.at(-1)?.pick).toBe('noFiles')
  await screen.getByRole('button', { name: 'Files that came back…' }).click()
  await expect.element(screen.getByText('1 answer brings files that are still being fetched.')).toBeVisible()
})
test('letters on paper are counted by what became of them', async () => {
  desk.on(routes.board, () =>
    aBoard({
      paper: [
        { state: 'toPrint', letters: 3, printedAt: null },
        { state: 'printed', letters: 2, printedAt: sentAt },
      ],
    }),
  )
  const { screen } = await open()
  await expect
    .element(screen.getByText(/^5 by paper post: 2 printed on Mon 2 Nov( 2026)? 09:00, 3 to be printed at Dispatch\./))
    .toBeVisible()
})

describe('what is drawn', () => {
  const charts = () =>
    someCharts({
      overTime: {
        from: sentAt,
        step: 60_000,
        lines: [
          {
            kind: 'sent',
            count: 5,
            first: sentAt,
            last: sentAt + 60_000,
            some: [
              [0, 3],
              [1, 2],
            ],
          },
          { kind: 'replied', count: 1, first: sentAt + 90_000, last: sentAt + 90_000, some: [[1, 1]] },
        ],
      },
      byHour: {
        timeZone: 'Europe/London',
        opened: Array.from({ length: 24 }, (_, i) => (i === 9 ? 4 : 0)),
        replied: Array.from({ length: 24 }, (_, i) => (i === 14 ? 2 : 0)),
      },
      compared: [
        {
          roundId: 5,
          title: 'Season permits',
          postedAt: 9,
          after: [
            { days: 1, arrived: 200, replied: 40 },
            { days: 2, arrived: 200, replied: 62 },
          ],
        },
        {
          roundId: 3,
          title: 'Season permits last year',
          postedAt: 1,
          after: [
            { days: 1, arrived: 200, replied: 30 },
            { days: 2, arrived: 200, replied: 48 },
            { days: 3, arrived: 200, replied: 50 },
          ],
        },
      ],
      returned: Array.from({ length: 14 }, (_, i) => ({
        reason: 'mailbox full',
        domain: `d${i}.example`,
        hard: i % 2 === 0,
        count: 14 - i,
        sent: 20,
      })),
    })
  beforeEach(() => {
    desk.on(routes.boardCharts, charts)
  })
  const table = async () => {
    const { screen } = await open()
    await expect.element(screen.getByText('As a table')).toBeVisible()
    return screen
  }
  test('over time: each line ends at its sum', async () => {
    const screen = await table()
    await expect.element(screen.getByText('5 sent', { exact: true })).toBeVisible()
    await expect.element(screen.getByText('1 replied', { exact: true }).last()).toBeVisible()
    const paths = [
      ...screen
        .getByRole('img', { name: /^What came back over time/ })
        .element()
        .querySelectorAll('path'),
    ]
    expect(paths).toHaveLength(2)
    // A step upwards for each stretch: from none to three to five.
    const heights = paths[0].getAttribute('d')!.match(/[\d.]+(?=[ML]|$|,)/g)!
    expect(heights.length).toBeGreaterThan(3)
  })
  test('by the hour, and beside earlier rounds, each with its figures', async () => {
    const screen = await table()
    await screen.getByRole('button', { name: 'By hour' }).click()
    await screen.getByText('As a table').click()
    await expect.element(screen.getByRole('row', { name: '09:00 4 0' })).toBeVisible()
    await expect.element(screen.getByRole('row', { name: '14:00 0 2' })).toBeVisible()
    await screen.getByRole('button', { name: 'Earlier rounds' }).click()
    await expect
      .element(
        screen.getByText(
          'Answered after 2 days: 31% (62 of 200). In earlier rounds to this list: Season permits last year, 24% (48 of 200).',
        ),
      )
      .toBeVisible()
    await screen.getByText('As a table').click()
    await expect
      .element(screen.getByRole('row', { name: 'Season permits 20% (40 of 200) 31% (62 of 200) not yet' }))
      .toBeVisible()
  })
  test('it is kept as a drawing that stands by itself, as a picture, and printed with its figures alone', async () => {
    const screen = await table()
    const files: { blob: Blob; name: string }[] = []
    const blobs = new Map<string, Blob>()
    vi.spyOn(URL, 'createObjectURL').mockImplementation((blob) => {
      const name = `blob:${blobs.size}`
      blobs.set(name, blob as Blob)
      return name
    })
    vi.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(function (this: HTMLAnchorElement) {
      files.push({ blob: blobs.get(this.href)!, name: this.download })
    })
    const keep = async (as: string) => {
      await screen.getByRole('button', { name: 'Print or keep' }).click()
      await screen.getByRole('menuitem', { name: as }).click()
    }
    await keep('As a drawing (.svg)')
    expect(files[0].name).toBe('Season permits, Over time.svg')
    const svg = new DOMParser().parseFromString(await files[0].blob.text(), 'image/svg+xml')
    expect(svg.querySelector('parsererror')).toBeNull()
    expect(svg.querySelectorAll('[class]')).toHaveLength(0)
    expect(svg.documentElement.getAttribute('viewBox')).toMatch(/^0 0 \d+/)
    expect([...svg.querySelectorAll('path')].map((path) => path.getAttribute('stroke'))).toEqual([
      'rgb(74, 90, 97)',
      'rgb(11, 90, 94)',
    ])
    expect(svg.documentElement.textContent).toContain('5 sent')
    await keep('As a picture (.png)')
    await expect.poll(() => files.length).toBe(2)
    expect(files[1].name).toBe('Season permits, Over time.png')
    // The signature of PNG (ISO/IEC 15948, section 5.2).
    expect([...new Uint8Array(await files[1].blob.slice(0, 8).arrayBuffer())]).toEqual([
      137, 80, 78, 71, 13, 10, 26, 10,
    ])
    const picture = await createImageBitmap(files[1].blob)
    expect(picture.height).toBe(340)

    let printed = ''
    const append = document.body.append.bind(document.body)
    vi.spyOn(document.body, 'append').mockImplementation((...nodes) => {
      append(...nodes)
      const frame = nodes[0] as HTMLIFrameElement
      frame.contentWindow!.print = () => {}
      frame.addEventListener('load', () => {
        printed = frame.contentDocument!.body.textContent!
        frame.contentWindow!.print = () => {}
      })
    })
    await keep('Print…')
    await expect.poll(() => printed).toContain('What came back over time')
    expect(printed).toContain('5 sent')
    expect(printed).toContain('How many')
    expect(printed).not.toContain('Ada Penrose')
    vi.restoreAllMocks()
  })
  test('the most frequent reasons are written out, and it is said how many more there are', async () => {
    const screen = await table()
    const why = screen.getByRole('region', { name: 'Why letters came back' })
    await expect.element(why).toHaveTextContent('14 of 20 at d0.example: mailbox full')
    await expect.element(why).toHaveTextContent('13 of 20 at d1.example: mailbox full (may be taken another time)')
    await expect.element(why).toHaveTextContent('and 2 further reasons')
    await expect.element(why).not.toHaveTextContent('d12.example')
  })
  test('where there is nothing yet, each says so', async () => {
    desk.on(routes.boardCharts, () => someCharts())
    const { screen } = await open()
    await expect.element(screen.getByText('Nothing has left yet.')).toBeVisible()
    await screen.getByRole('button', { name: 'By hour' }).click()
    await expect.element(screen.getByText('Nothing was opened or answered yet.')).toBeVisible()
    await screen.getByRole('button', { name: 'Earlier rounds' }).click()
    await expect.element(screen.getByText(/^A day after the letters arrived/)).toBeVisible()
  })
  test('rounds are only compared after as many days as both have had', () => {
    const round = (id: number, ...days: number[]) => ({
      roundId: id,
      title: `Round ${id}`,
      postedAt: day * id,
      after: days.map((one) => ({ days: one, arrived: 10, replied: one })),
    })
    expect(comparedWords([round(1)])).toBeNull()
    expect(comparedWords([round(1, 1)])).toBeNull()
    expect(comparedWords([round(1, 1, 2), round(2, 1)])).toBeNull()
    expect(comparedWords([round(1, 1, 2), round(2, 1, 2, 3)])).toContain('after 2 days: 20% (2 of 10)')
  })
})
