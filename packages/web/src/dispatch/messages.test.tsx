import { type MessageLine, routes, type StateCounts } from '@hand-post/contract'
import { messageStates } from '@hand-post/core'
import { beforeEach, expect, test } from 'vitest'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aMailbox, aMessage, aRound, seenByWriter, withRound } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { Progress } from './Progress.tsx'

const sentAt = Date.parse('2026-11-02T09:00:00Z')
const posted = aRound({ postedAt: sentAt })
const counted = (lines: { state: MessageLine['state'] }[]) =>
  Object.fromEntries(
    messageStates.map((state) => [state, lines.filter((l) => l.state === state).length]),
  ) as StateCounts

let desk: FakeDesk
let all: MessageLine[]
/** What was asked of the lines, in order. */
let asked: Record<string, string>[]
beforeEach(() => {
  asked = []
  all = Array.from({ length: 500 }, (_, i) =>
    aMessage({
      id: i + 1,
      rowId: i + 1,
      person: `Person ${String(i + 1).padStart(3, '0')}`,
      state: i < 450 ? 'sent' : i < 490 ? 'waiting' : 'refused',
      sentAt: i < 450 ? sentAt : null,
      reason: i < 490 ? null : 'No such mailbox here.',
    }),
  )
  desk = openDesk()
  withRound(desk, posted)
  desk
    .on(routes.timetable, () => {
      throw new Refused(409, 'Nothing waits.')
    })
    .on(routes.messageLines, ({ query }) => {
      asked.push(query)
      const { find = '', state, way, from = '0', count = '200' } = query
      const wanted = all.filter((l) => (!state || l.state === state) && l.person.includes(find))
      if (way === 'down') wanted.reverse()
      return {
        found: wanted.length,
        states: counted(all),
        copies: counted(all.filter((l) => l.state === 'sent').flatMap((l) => l.copies)),
        asking: all.filter((l) => l.asksWriter).length,
        lines: wanted.slice(Number(from), Number(from) + Number(count)),
      }
    })
})

async function progress() {
  const { screen } = await draw(
    <div style={{ height: 700, display: 'flex', flexDirection: 'column' }}>
      <OpenRound round={posted} goTo={() => {}}>
        <Progress mailbox={aMailbox()} />
      </OpenRound>
    </div>,
  )
  await expect.element(screen.getByRole('grid', { name: 'Messages' })).toBeVisible()
  return screen
}
type Screen = Awaited<ReturnType<typeof progress>>
const cell = (screen: Screen, text: string) => screen.getByRole('gridcell', { name: text, exact: true })

test('of a long round only what is in view is fetched; the rest when it is scrolled to', async () => {
  const screen = await progress()
  await expect.element(cell(screen, 'Person 001')).toBeVisible()
  await expect.element(screen.getByText('450 of 500 letters sent, 40 waiting, 10 refused.')).toBeVisible()
  expect(asked.map(({ from }) => from)).toEqual(['0'])
  const grid = screen.getByRole('grid', { name: 'Messages' })
  expect(grid.element().getAttribute('aria-rowcount')).toBe('501')
  grid.element().scrollTop = 34 * 499
  await expect.element(cell(screen, 'Person 500')).toBeVisible()
  await expect.element(screen.getByText('No such mailbox here.').last()).toBeVisible()
  expect(new Set(asked.map(({ from }) => from))).toEqual(new Set(['0', '400']))
})

test('those of one state are shown, with how many there are of each; those looked for are found', async () => {
  const screen = await progress()
  const show = screen.getByRole('combobox', { name: 'Show' })
  await expect.element(show).toHaveTextContent('all (500)')
  // States that no letter is in are not offered.
  expect([...(show.element() as HTMLSelectElement).options].map((one) => one.text)).toEqual([
    'all (500)',
    'waiting (40)',
    'sent (450)',
    'refused (10)',
  ])
  await show.selectOptions('refused (10)')
  await expect.element(cell(screen, 'Person 491')).toBeVisible()
  await expect.element(cell(screen, 'Person 001')).not.toBeInTheDocument()
  expect(asked.at(-1)).toMatchObject({ state: 'refused' })
  const find = screen.getByRole('searchbox', { name: 'Search the messages' })
  await find.fill('Person 49')
  await expect.element(screen.getByText('9 letters', { exact: true })).toBeVisible()
  await find.fill('nobody')
  await expect.element(screen.getByText(/nobody/)).toBeVisible()
  await find.fill('')
  // What was in the state meanwhile left it: that is said, and the way back stays.
  all = all.filter((l) => l.state !== 'refused')
  await show.selectOptions('all (500)')
  await expect.element(cell(screen, 'Person 001')).toBeVisible()
})

test('it is sorted at the desk, in the way that its head says', async () => {
  const screen = await progress()
  await screen.getByRole('button', { name: 'Person', exact: true }).click()
  await until(() => expect(asked.at(-1)).toMatchObject({ by: 'person', way: 'up' }))
  await screen
    .getByRole('button', { name: /^Person/ })
    .first()
    .click()
  await until(() => expect(asked.at(-1)).toMatchObject({ by: 'person', way: 'down' }))
  await expect.element(cell(screen, 'Person 500')).toBeVisible()
  await screen.getByRole('button', { name: 'When' }).click()
  await until(() => expect(asked.at(-1)).toMatchObject({ by: 'when', way: 'down' }))
})

test('letters and copies in doubt are counted over the whole round, and each asks at its line', async () => {
  all[1] = aMessage({ ...all[1], state: 'inDoubt', sentAt: null, asksWriter: true, reason: 'The line broke.' })
  const doubtful = {
    id: 3,
    address: 'copy@quay.example',
    role: 'cc',
    state: 'inDoubt',
    at: null,
    reason: null,
  } as const
  all[2] = aMessage({ ...all[2], copies: [doubtful] })
  desk
    .on(routes.settleDoubts, () => ({ settled: 2, found: 0 }))
    .on(routes.settleDoubt, () => ({ settled: 1, found: 0 }))
  const screen = await progress()
  await expect.element(screen.getByText('The line broke.')).toBeVisible()
  await screen.getByRole('button', { name: 'It went' }).first().click()
  await until(() => expect(desk.bodiesOf(routes.settleDoubt)).toEqual([{ went: true }]))
  await screen.getByRole('button', { name: 'They went' }).click()
  await screen.getByRole('button', { name: 'They went' }).last().click()
  await until(() => expect(desk.bodiesOf(routes.settleDoubts)).toEqual([{ went: true }]))
})

test('what cannot be fetched is said; what stood there stays', async () => {
  let away = false
  const before = desk
  before.on(routes.messageLines, () => {
    if (away) throw new Refused(500, 'The desk cannot read its messages.')
    return { found: 1, states: counted([all[0]]), copies: counted([]), asking: 0, lines: [all[0]] }
  })
  const screen = await progress()
  await expect.element(cell(screen, 'Person 001')).toBeVisible()
  away = true
  await screen.getByRole('combobox', { name: 'Show' }).selectOptions('sent (1)')
  await expect.element(screen.getByText('The desk cannot read its messages.')).toBeVisible()
  await expect.element(cell(screen, 'Person 001')).toBeVisible()
})

test('whoever may not post sees which letters are in doubt, and is not asked what came of them', async () => {
  all = all.slice(0, 3)
  for (const i of [0, 1])
    all[i] = aMessage({ ...all[i], state: 'inDoubt', sentAt: null, asksWriter: true, reason: 'The line broke.' })
  seenByWriter(desk)
  const screen = await progress()
  await expect.element(screen.getByText('Whoever may post says what came of it.').nth(1)).toBeVisible()
  await expect.element(screen.getByText('The line broke.').first()).toBeVisible()
  for (const name of ['It went', 'It did not: send it', 'They went'])
    await expect.element(screen.getByRole('button', { name })).not.toBeInTheDocument()
})
