import { routes, type TrayLine } from '@hand-post/contract'
import { beforeEach, describe, expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aMailbox, anInTray, aTrayEntry, aTrayLine } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { offeredDays } from './BringBack.tsx'
import InTray from './InTray.tsx'

/** What the desk holds: changed by what is asked of it, as the desk itself would. */
let lines: TrayLine[]
let words: string[]
let desk: FakeDesk
beforeEach(() => {
  words = ['coming', 'not coming']
  lines = [
    aTrayLine({ id: 1, rowId: 1, person: 'Ada', pile: 'question', words: 'May I bring the dinghy?', subject: 'Re: A' }),
    aTrayLine({ id: 2, rowId: 2, person: 'Bram', pile: 'answer', words: 'By 12 December.', subject: 'Re: B' }),
    aTrayLine({ id: 3, rowId: 3, person: 'Cy', pile: 'thanks', words: 'Thank you.', subject: 'Re: C' }),
    aTrayLine({ id: 4, rowId: 4, person: 'Dot', pile: 'thanks', words: 'Thanks a lot.', at: 5 }),
    aTrayLine({
      id: 5,
      rowId: 5,
      person: 'Eve',
      pile: 'perhaps',
      of: 'perhaps',
      foundBy: 'senderSubject',
      words: 'Me?',
    }),
  ]
  const find = (id: number) => lines.find((line) => line.id === id)!
  desk = openDesk()
    .on(routes.mailboxes, () => [aMailbox()])
    .on(routes.inTray, ({ query: { show } }) => ({
      ...anInTray(lines.filter((l) => (l.state === 'back' ? 'open' : l.state) === show)),
      counts: {
        open: lines.filter((l) => l.state === 'open').length,
        putBy: lines.filter((l) => l.state === 'putBy').length,
        done: lines.filter((l) => l.state === 'done').length,
      },
    }))
    .on(routes.trayEntry, ({ params }) => {
      const line = find(Number(params.response))
      const days = line.id === 2 ? [{ day: '2026-12-12', minute: null, words: '12 December' }] : []
      return aTrayEntry(line, { days, outcomeWords: words })
    })
    .on(routes.markTray, ({ body }) => ({
      before: body.marks.map(({ response, done, back, pile }) => {
        const line = find(response)
        const before = {
          response,
          done: line.state === 'done',
          back: line.state === 'putBy' ? { at: line.backAt, when: line.backWhen } : null,
          pile: line.pile,
        }
        if (pile) line.pile = pile
        if (back !== undefined) {
          line.state = back ? 'putBy' : 'open'
          line.backAt = back?.at ?? null
        }
        if (done !== undefined) line.state = done ? 'done' : line.state === 'putBy' ? 'putBy' : 'open'
        return before
      }),
    }))
    .on(routes.giveWords, ({ body }) => ({
      before: body.given.map(({ row, word }) => {
        const line = lines.find((l) => l.rowId === row)!
        const before = { row, word: line.word }
        line.word = word
        return before
      }),
    }))
    .on(routes.whose, ({ params, body }) => {
      const line = find(Number(params.response))
      line.of = body.of
      if (body.of === 'person') line.pile = 'answer'
      if (body.of === 'no') line.state = 'done'
      return {}
    })
})

const open = async (first = 'Ada') => {
  const { screen } = await draw(<InTray />)
  const list = screen.getByRole('listbox', { name: 'Entries' })
  const option = (name: string) => list.getByRole('option', { name: new RegExp(name) })
  await expect.element(option(first)).toBeVisible()
  const people = () =>
    list
      .getByRole('option')
      .elements()
      .map((e) => /Ada|Bram|Cy|Dot|Eve|Fay/.exec(e.textContent!)![0])
  const reading = screen.getByRole('article')
  return { screen, option, people, reading }
}

test('what wants somebody first stands first, and is in hand; the arrows go through them, and each shows its words and its letter', async () => {
  const { people, reading } = await open()
  expect(people()).toEqual(['Ada', 'Bram', 'Eve', 'Cy', 'Dot'])
  await expect.element(reading).toHaveTextContent('May I bring the dinghy?')
  await expect.element(reading).toHaveTextContent('Dear Ada')
  await expect.element(reading).toHaveTextContent('BerthB12')
  await userEvent.keyboard('{ArrowDown}')
  await expect.element(reading).toHaveTextContent('By 12 December.')
  await userEvent.keyboard('{End}')
  await expect.element(reading).toHaveTextContent('Thanks a lot.')
  await userEvent.keyboard('{Home}{ArrowUp}')
  await expect.element(reading).toHaveTextContent('May I bring the dinghy?')
})

test('D is done, and the next is in hand; U takes it back; nothing is asked of the desk but that', async () => {
  const { people, reading, screen } = await open()
  await userEvent.keyboard('d')
  await expect.poll(people).toEqual(['Bram', 'Eve', 'Cy', 'Dot'])
  await expect.element(reading).toHaveTextContent('By 12 December.')
  await userEvent.keyboard('d')
  await expect.poll(people).toEqual(['Eve', 'Cy', 'Dot'])
  await userEvent.keyboard('u')
  await expect.poll(people).toEqual(['Bram', 'Eve', 'Cy', 'Dot'])
  await userEvent.keyboard('u')
  await expect.poll(people).toEqual(['Ada', 'Bram', 'Eve', 'Cy', 'Dot'])
  expect(desk.bodiesOf(routes.markTray).map((b) => b.marks.map((m) => [m.response, m.done]))).toEqual([
    [[1, true]],
    [[2, true]],
    [[2, false]],
    [[1, false]],
  ])
  await userEvent.keyboard('u')
  await expect.element(screen.getByText('There is nothing to take back.')).toBeVisible()
})

test('several at once: a pile alone, all of it selected, done in one go and taken back in one', async () => {
  const { people, screen } = await open()
  await screen.getByRole('button', { name: 'Thanks only 2' }).click()
  await expect.poll(people).toEqual(['Cy', 'Dot'])
  await screen.getByRole('button', { name: 'Select all 2' }).click()
  await expect.element(screen.getByText('2 entries selected')).toBeVisible()
  await screen.getByRole('button', { name: 'Done', exact: true }).click()
  await expect.element(screen.getByText('2 entries done.')).toBeVisible()
  expect(
    desk
      .bodiesOf(routes.markTray)
      .at(-1)!
      .marks.map((m) => m.response),
  ).toEqual([3, 4])
  await screen.getByRole('button', { name: 'All 3' }).click()
  await expect.poll(people).toEqual(['Ada', 'Bram', 'Eve'])
  await userEvent.keyboard('{Escape}')
  await screen.getByRole('listbox', { name: 'Entries' }).click({ position: { x: 150, y: 40 } })
  await userEvent.keyboard('u')
  await expect.poll(people).toHaveLength(5)
})

test('the space bar selects by keyboard; what is done is done with those', async () => {
  const { people } = await open()
  await userEvent.keyboard(' {ArrowDown}{ArrowDown} d')
  await expect.poll(people).toEqual(['Bram', 'Cy', 'Dot'])
})

test('keys do nothing while one types elsewhere', async () => {
  const { people, screen } = await open()
  await screen.getByRole('searchbox').fill('d')
  await userEvent.keyboard('dub')
  expect(desk.bodiesOf(routes.markTray)).toEqual([])
  await screen.getByRole('searchbox').fill('dinghy')
  await expect.poll(people).toEqual(['Ada'])
  await screen.getByRole('searchbox').fill('')
})

test('B offers the day that the words name, and brings back then; it waits under “put by” with its day', async () => {
  const { people, screen, option } = await open()
  await userEvent.keyboard('{ArrowDown}b')
  const offer = screen.getByRole('button', { name: /Sat 12 Dec 2026 09:00 as it says: “12 December”/ })
  await expect.element(offer).toBeVisible()
  await offer.click()
  await expect.poll(people).not.toContain('Bram')
  expect(desk.bodiesOf(routes.markTray)).toEqual([
    { marks: [{ response: 2, done: false, back: { at: Date.parse('2026-12-12T09:00:00Z'), when: null } }] },
  ])
  await screen.getByRole('button', { name: 'Put by 1' }).click()
  await expect.element(option('Bram')).toHaveTextContent('until Sat 12 Dec')
  await screen.getByRole('button', { name: /To look at/ }).click()
})

test('bring back at a typed hour, only if there is no answer; without a day it is said what is missing', async () => {
  const { screen } = await open()
  await userEvent.keyboard('b')
  await screen.getByRole('button', { name: 'Bring back then' }).click()
  await expect.element(screen.getByText('Give a day and hour first.')).toBeVisible()
  await screen.getByRole('textbox', { name: 'Another day and hour' }).fill('01/11/2026 10:00')
  await screen.getByRole('button', { name: 'Bring back then' }).click()
  await expect.element(screen.getByText('That has passed already.')).toBeVisible()
  await screen.getByRole('textbox', { name: 'Another day and hour' }).fill('20/11/2026 14:30')
  await screen.getByRole('checkbox', { name: /no answer/ }).click()
  await screen.getByRole('button', { name: 'Bring back then' }).click()
  await expect
    .poll(() => desk.bodiesOf(routes.markTray))
    .toEqual([
      { marks: [{ response: 1, done: false, back: { at: Date.parse('2026-11-20T14:30:00Z'), when: 'unanswered' } }] },
    ])
})

test('what is done is put by too, and is not done then: else it would never come back', async () => {
  lines[0].state = 'done'
  const { screen, option } = await open('Bram')
  await screen.getByRole('button', { name: 'Done 1' }).click()
  await expect.element(option('Ada')).toBeVisible()
  await userEvent.keyboard('b')
  await screen.getByRole('button', { name: /Tomorrow/ }).click()
  await expect.poll(() => lines[0].state).toBe('putBy')
  await screen.getByRole('button', { name: /To look at/ }).click()
})

describe('outcome words', () => {
  test('O and a figure give one; it stands at the entry, and is taken back', async () => {
    const { screen, option } = await open()
    await userEvent.keyboard('o')
    await expect.element(screen.getByRole('button', { name: 'not coming', exact: true })).toBeVisible()
    await userEvent.keyboard('2')
    await expect.element(option('Ada')).toHaveTextContent('not coming')
    await userEvent.keyboard('u')
    await expect.element(option('Ada')).not.toHaveTextContent('not coming')
  })
  test('a round without words asks for them; too many are said at the field, and stay', async () => {
    words = []
    desk.on(routes.setOutcomeWords, ({ body }) => {
      words = body.words
      return { ...body, lost: [] }
    })
    const { screen } = await open()
    await userEvent.keyboard('o')
    const field = screen.getByRole('textbox', { name: 'Words of this round, one a line' })
    await field.fill('a\nb\nc\nd\ne\nf\ng\nh\ni\nj')
    await screen.getByRole('button', { name: 'Save the words' }).click()
    await expect.element(screen.getByText('A round has up to nine words.')).toBeVisible()
    await field.fill('paid\n\npaid\nnot yet')
    await screen.getByRole('button', { name: 'Save the words' }).click()
    await expect.element(screen.getByRole('button', { name: 'paid', exact: true })).toBeVisible()
    expect(desk.bodiesOf(routes.setOutcomeWords)).toEqual([{ words: ['paid', 'not yet'] }])
  })
  test('words that are taken from people are told, and given back', async () => {
    desk
      .on(routes.setOutcomeWords, ({ body }) => {
        words = body.words
        return { ...body, lost: words.includes('coming') ? [] : [{ row: 1, word: 'coming' }] }
      })
      .on(routes.giveWords, () => ({ before: [] }))
    const before = [...words]
    const { screen } = await open()
    await userEvent.keyboard('o')
    await screen.getByRole('button', { name: 'Change the words…' }).click()
    await screen.getByRole('textbox', { name: 'Words of this round, one a line' }).fill('paid')
    await screen.getByRole('button', { name: 'Save the words' }).click()
    await expect
      .element(screen.getByText('The round has other words now. 1 person lost the one they had.'))
      .toBeVisible()
    // The newest is the first of those that are told.
    await screen.getByRole('button', { name: 'Undo' }).first().click()
    await until(() => expect(desk.bodiesOf(routes.giveWords)).toEqual([{ given: [{ row: 1, word: 'coming' }] }]))
    expect(desk.bodiesOf(routes.setOutcomeWords)).toEqual([{ words: ['paid'] }, { words: before }])
  })
  test('entries of several rounds are not given one word', async () => {
    lines[1].roundId = 2
    const { screen } = await open()
    await userEvent.keyboard(' {ArrowDown} o')
    await expect.element(screen.getByText(/of several rounds/)).toBeVisible()
  })
})

test('what may be an answer says why, and is taken or refused by a key', async () => {
  const { reading, people } = await open()
  await userEvent.keyboard('{ArrowDown}{ArrowDown}')
  await expect.element(reading).toHaveTextContent('may be an answer of Eve’s')
  await expect.element(reading).toHaveTextContent('Found by its sender and its subject.')
  await userEvent.keyboard('t')
  await expect.element(reading).not.toHaveTextContent('may be an answer')
  await userEvent.keyboard('u')
  await expect.poll(() => lines[4].of).toBe('perhaps')
  await expect.element(reading).toHaveTextContent('may be an answer')
  await userEvent.keyboard('n')
  await expect.poll(people).not.toContain('Eve')
  expect(desk.bodiesOf(routes.whose).map((b) => b.of)).toEqual(['person', 'perhaps', 'no'])
})

test('the next key is about what is shown then, though the desk has not answered', async () => {
  lines.push(aTrayLine({ ...lines[4], id: 6, rowId: 6, person: 'Fay', sorted: 'question' }))
  const taken: number[] = []
  let answer = () => {}
  const answered = new Promise<void>((resolve) => {
    answer = resolve
  })
  desk.on(routes.whose, async ({ params }) => {
    taken.push(Number(params.response))
    await answered
    Object.assign(lines.find((l) => l.id === Number(params.response))!, { of: 'person', pile: 'question' })
    return {}
  })
  const { people, screen } = await open()
  await screen.getByRole('button', { name: 'Perhaps an answer 2' }).click()
  await expect.poll(people).toEqual(['Fay', 'Eve'])
  ;(screen.getByRole('listbox', { name: 'Entries' }).element() as HTMLElement).focus()
  await userEvent.keyboard('t')
  await expect.poll(people).toEqual(['Eve'])
  await userEvent.keyboard('t')
  await expect.poll(people).toEqual([])
  expect(taken).toEqual([6, 5])
  answer()
  await screen.getByRole('button', { name: 'All 6' }).click()
  await expect.poll(people).toEqual(['Fay', 'Eve', 'Ada', 'Bram', 'Cy', 'Dot'])
})

test('what the desk refuses is said, and the entry is there again', async () => {
  desk.on(routes.markTray, () => {
    throw new Refused(503, 'The database has no room. Nothing was changed.')
  })
  const { people, screen } = await open()
  await userEvent.keyboard('d')
  await expect.element(screen.getByText('The database has no room. Nothing was changed.')).toBeVisible()
  await expect.poll(people).toContain('Ada')
})

test('reminders stand above with those by name who have not answered', async () => {
  const reminder = {
    id: 9,
    roundId: 1,
    round: 'Permits',
    dueAt: 1,
    due: true,
    about: 12,
    unanswered: 8,
    people: Array.from({ length: 8 }, (_, i) => ({ rowId: i, person: `Person ${i}`, address: 'p@x.example' })),
  }
  desk.on(routes.inTray, () => anInTray(lines, [reminder])).on(routes.endReminder, () => ({}))
  const { screen } = await open()
  const line = screen.getByRole('list', { name: 'Reminders' })
  await expect.element(line).toHaveTextContent('Permits: 8 of 12 people have not answered.')
  await expect.element(line).toHaveTextContent('Person 5 and 2 more')
  // A letter to them is begun from there.
  desk
    .on(routes.reminderRows, () => ({ round: 1, rows: [1, 2, 3, 4, 5, 6, 7, 8] }))
    .on(routes.addChaser, () => {
      throw new Refused(409, '“Permits” is ended.')
    })
  await screen.getByRole('button', { name: 'Write to these 8…' }).click()
  await expect.element(screen.getByText('“Permits” is ended.')).toBeVisible()
  expect(desk.bodiesOf(routes.addChaser)).toEqual([{ rows: [1, 2, 3, 4, 5, 6, 7, 8], chaser: { who: ['silent'] } }])
  await screen.getByRole('button', { name: 'Done with it' }).click()
  await expect.poll(() => desk.bodiesOf(routes.endReminder)).toEqual([{ done: true }])
})

describe('the days that are offered', () => {
  const monday = Date.parse('2026-11-02T12:00:00Z')
  const entry = { days: [], backDay: null, timeZone: 'Europe/London' }
  const at = (iso: string) => Date.parse(iso)
  test('tomorrow, next Monday and in a week, each at nine where the mailbox is', () => {
    expect(offeredDays(entry, monday).map((d) => d.at)).toEqual([
      at('2026-11-03T09:00:00Z'),
      at('2026-11-09T09:00:00Z'),
    ])
    expect(offeredDays({ ...entry, timeZone: 'Asia/Tokyo' }, monday)[0].at).toBe(at('2026-11-03T00:00:00Z'))
  })
  test('those that the words name come first, at their hour; the same moment is offered once, and none that has passed', () => {
    const days = [
      { day: '2026-11-02', minute: 600, words: 'today at ten' },
      { day: '2026-11-05', minute: 870, words: 'Thursday at 2.30 pm' },
      { day: '2026-11-03', minute: null, words: 'tomorrow' },
    ]
    expect(offeredDays({ ...entry, days, backDay: '2026-11-20' }, monday).map((d) => d.at)).toEqual([
      at('2026-11-20T09:00:00Z'),
      at('2026-11-05T14:30:00Z'),
      at('2026-11-03T09:00:00Z'),
      at('2026-11-09T09:00:00Z'),
    ])
  })
  test('over the change of the hours it is nine by the clock all the same', () => {
    const saturday = Date.parse('2026-10-24T12:00:00Z')
    expect(
      offeredDays(entry, saturday)
        .slice(0, 2)
        .map((d) => d.at),
    ).toEqual([at('2026-10-25T09:00:00Z'), at('2026-10-26T09:00:00Z')])
  })
})
