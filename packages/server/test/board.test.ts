import { type BoardLine, routes } from '@hand-post/contract'
import {
  automaticOnes,
  boardPicks,
  type MachineReason,
  type MessageState,
  messageStates,
  outcomeOf,
  outcomeWords,
  type Response,
} from '@hand-post/core'
import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { addFetched } from '../src/responses/store.ts'
import { closeWorld, csv, hour, letter, minute, open, refusal, wall, world } from './lived.ts'

// The board is counted, sorted and cut into parts by the database. Beside it stands the same thing done plainly: every letter with
// everything that came back, gone through one by one in the program.

const people = 300
const begin = Date.parse('2026-10-24T20:00:00Z')
const day = 24 * hour
let round: number
let messages: { id: number; rowId: number; key: string }[]

/** What each letter is made to have met with: its state, and what came back. */
interface Met {
  state: MessageState
  sentAt: number | null
  mail: {
    kind: 'reply' | 'automatic' | 'bounce' | 'delayed' | 'delivered' | 'receipt' | 'optOut'
    at: number
    of: string
    words: string
    status: string
  }[]
  fetched: { what: number; at: number; agent: string; country?: string }[]
}
/** Programs as they might name themselves (RFC 9110, section 10.1.5), with what is known of each. */
const agents = {
  'Gullmail/3.1 (X11; Linux x86_64)': { program: 'Gullmail', device: 'computer' },
  'Mozilla/5.0 (Linux; Android 14; Quay One) AppleWebKit/537.36 (KHTML, like Gecko) Ternpost/2.0 Mobile Safari/537.36':
    {
      program: 'Ternpost',
      device: 'phone',
    },
  'Mozilla/5.0 (Windows NT 5.1; rv:11.0) Gecko (via quay.example ImageProxy)': 'proxy',
  'Harbourbot/1.0': 'robot',
  'Mozilla/5.0': 'ahead',
  x: { program: null, device: null },
} as const
const met: fc.Arbitrary<Met> = fc
  .record({
    state: fc.constantFrom('sent' as const, 'sent' as const, 'sent' as const, 'sent' as const, ...messageStates),
    after: fc.integer({ min: 0, max: 3 * hour }),
    mail: fc.array(
      fc.record({
        kind: fc.constantFrom('reply', 'automatic', 'bounce', 'delayed', 'delivered', 'receipt', 'optOut'),
        at: fc.integer({ min: minute, max: 20 * day }),
        of: fc.constantFrom('person', 'person', 'person', 'copy', 'other', 'perhaps', 'no'),
        words: fc.constantFrom('Yes.', 'No thank you', 'mailbox full', 'ÄÖ 100 % _x_'),
        status: fc.constantFrom('5.1.1', '4.2.2', ''),
      }),
      { maxLength: 3 },
    ),
    fetched: fc.uniqueArray(
      fc.record({
        what: fc.integer({ min: -1, max: 3 }),
        at: fc.oneof(fc.integer({ min: 0, max: 9000 }), fc.integer({ min: 0, max: 5 * day })),
        agent: fc.constantFrom(...Object.keys(agents)),
        country: fc.constantFrom('GB', 'DE', undefined),
      }),
      {
        maxLength: 3,
        selector: (one) => one.what,
      },
    ),
  })
  .map(({ state, after, mail, fetched }) => {
    const sentAt = state === 'sent' ? begin + after : null
    const from = sentAt ?? begin
    return {
      state,
      sentAt,
      mail: mail.map((one) => ({ ...one, at: from + one.at })) as Met['mail'],
      fetched: fetched.map((one) => ({ ...one, at: from + one.at })),
    }
  })

let all: Met[]
let linksOf: (i: number) => string[]
/** The letters with which a file of the person's own came back. */
let brought: Set<number>
const words = ['coming', 'not coming']
const wordOf = (n: number) => [words[0], words[1], null][n % 3]

beforeAll(async () => {
  await open(people, '2026-10-24T19:00:00Z')
  const { id } = await world.round(csv(people), letter)
  round = id
  const params = { round }
  // Four links, as the letters of the round have them; the third leads to where the first does, but for what is each person's own.
  linksOf = (i: number) => [
    'https://quay.example/a?who=1',
    'https://quay.example/b',
    `https://quay.example/a?who=${i}`,
    'no address',
  ]
  await world.call(routes.post, { params, body: { messages: people } })
  await world.call(routes.hold, { params })
  await world.handPost.parts.dispatcher.settled()
  const { db } = world.handPost.parts
  messages = await db.query('SELECT id, row_id AS "rowId", key FROM messages WHERE round_id = $1 ORDER BY position', [
    round,
  ])
  all = fc.sample(met, { numRuns: people, seed: 20_261_128 })
  for (const [i, { state, sentAt }] of all.entries())
    await db.query('UPDATE messages SET state = $2, sent_at = $3, reason = $4 WHERE id = $1', [
      messages[i].id,
      state,
      sentAt,
      state === 'refused' ? 'The host said no.' : null,
    ])
  for (const [i, { mail, fetched }] of all.entries()) {
    for (const [n, one] of mail.entries())
      await db.query(
        `INSERT INTO responses (message_id, kind, at, details, of, address, mail_id, pile) VALUES ($1, $2, $3, $4::jsonb, $5, 'a@b.example', $6, 'answer')`,
        [
          messages[i].id,
          one.kind,
          one.at,
          JSON.stringify({ words: one.words, status: one.status }),
          one.of,
          `<${i}.${n}@m.example>`,
        ],
      )
    await addFetched(
      db,
      fetched.map(({ what, at, ...client }) => ({
        key: messages[i].key,
        what,
        first: at,
        last: at,
        times: 1,
        sample: [{ at, ...client }],
      })),
    )
  }
  for (const [i, { id: message }] of messages.entries())
    await db.query(
      `UPDATE message_contents SET contents = contents || jsonb_build_object('links', $2::jsonb) WHERE message_id = $1`,
      [message, JSON.stringify(linksOf(i))],
    )
  // Of every other answer a file came back: of each third one that of the letter itself, and each fifth could not be kept.
  await db.query(`INSERT INTO files VALUES ('abc', 5, 'application/pdf')`)
  await db.query(
    `INSERT INTO returned_files (response_id, position, name, size, type, hash, ours)
     SELECT id, 0, 'form.pdf', 5, 'application/pdf', CASE WHEN id % 5 > 0 THEN 'abc' END, id % 3 = 0 FROM responses WHERE kind = 'reply' AND id % 2 = 0`,
  )
  brought = new Set(
    (
      await db.query<{ id: number }>(
        `SELECT message_id AS id FROM responses WHERE kind = 'reply' AND of = 'person' AND id % 2 = 0 AND id % 3 > 0 AND id % 5 > 0`,
      )
    ).map(({ id }) => id),
  )
  await world.call(routes.setOutcomeWords, { params, body: { words } })
  const given = messages.flatMap(({ rowId }, i) => (wordOf(i) === null ? [] : [{ row: rowId, word: wordOf(i) }]))
  await world.call(routes.giveWords, { params, body: { given } })
}, 120_000)
afterAll(closeWorld)

/** The responses of one letter, as they count. */
const came = ({ mail, fetched }: Met): Response[] =>
  [
    ...mail.map(({ kind, at, of }) => ({ kind, at, of: of as Response['of'] })),
    ...fetched.map(
      ({ what, ...one }): Response => (what < 0 ? { kind: 'open', ...one } : { kind: 'click', ...one, link: what }),
    ),
  ].sort((a, b) => a.at - b.at)
/** Each letter with its outcome and what its person did, gone through plainly. */
const plainly = () =>
  all.map((one, i) => {
    const responses = came(one)
    const machine = one.sentAt === null ? new Map<Response, MachineReason>() : automaticOnes(one.sentAt, responses)
    const outcome = outcomeOf({ state: one.state, sentAt: one.sentAt, responses })
    const has = (...kinds: string[]) =>
      responses.some(
        (r) =>
          kinds.includes(r.kind) &&
          r.of !== 'copy' &&
          r.of !== 'other' &&
          r.of !== 'perhaps' &&
          r.of !== 'no' &&
          !machine.has(r),
      )
    const sent = one.state === 'sent'
    return {
      i,
      ...one,
      responses,
      machine,
      outcome,
      has,
      sent,
      arrived: sent && outcome !== 'bounced',
      byMachine: responses.some((r) => r.kind === 'open' && machine.has(r)),
      word: wordOf(i),
    }
  })

const params = () => ({ round })
const lines = (query: object = {}) =>
  world.call(routes.boardLines, { params: params(), query: { count: 1000, ...query } })

describe('a board against the same, counted plainly', () => {
  test('its counts', async () => {
    const letters = plainly()
    const n = (fits: (one: (typeof letters)[number]) => boolean) => letters.filter(fits).length
    const { counts, words: counted, peopleReached } = await world.call(routes.board, { params: params() })
    expect(counts).toEqual({
      messages: people,
      sent: n((l) => l.sent),
      arrived: n((l) => l.arrived),
      waiting: n((l) => l.outcome === 'waiting'),
      inDoubt: n((l) => l.outcome === 'inDoubt'),
      refused: n((l) => l.outcome === 'refused'),
      withdrawn: n((l) => l.outcome === 'withdrawn'),
      bounced: n((l) => l.outcome === 'bounced'),
      delayed: n((l) => l.outcome === 'delayed'),
      files: n((l) => l.arrived && brought.has(messages[l.i].id)),
      replied: n((l) => l.arrived && l.has('reply')),
      unanswered: n((l) => l.arrived && !l.has('reply')),
      automatic: n((l) => l.arrived && l.has('automatic')),
      opened: n((l) => l.arrived && l.has('open', 'click')),
      openedByMachine: n((l) => l.arrived && !l.has('open', 'click') && l.byMachine),
      clicked: n((l) => l.arrived && l.has('click')),
      receipts: n((l) => l.arrived && l.has('receipt')),
      optedOut: n((l) => l.arrived && l.has('optOut')),
    })
    // Nothing of this would be told apart if there were none of them.
    for (const [name, count] of Object.entries(counts)) expect(count, name).toBeGreaterThan(0)
    expect(counted).toEqual(words.map((word) => ({ word, people: n((l) => l.arrived && l.word === word) })))
    expect(peopleReached).toBe(n((l) => l.arrived))
  })
  test('each line of it shows as many people as it counts', async () => {
    const { counts, words: counted, peopleReached } = await world.call(routes.board, { params: params() })
    for (const pick of boardPicks.filter(
      (one) =>
        one !== 'word' &&
        one !== 'noWord' &&
        one !== 'noFiles' &&
        one !== 'choice' &&
        one !== 'noChoice' &&
        one !== 'link',
    )) {
      const shown = await lines({ pick })
      expect(shown.letters, pick).toBe(counts[pick])
      expect(shown.lines, pick).toHaveLength(counts[pick])
      const { rows } = await world.call(routes.boardRows, { params: params(), query: { pick } })
      expect([...rows].sort(), pick).toEqual(shown.lines.map((l) => l.rowId).sort())
    }
    for (const { word, people: n } of counted) expect((await lines({ pick: 'word', word })).people).toBe(n)
    const without = peopleReached - counted.reduce((sum, one) => sum + one.people, 0)
    expect((await lines({ pick: 'noWord' })).people).toBe(without)
  })
  test('who looked at the letters, with what, and which links they followed, is counted of those that arrived', async () => {
    const seen = await world.call(routes.boardSeen, { params: params() })
    const arrived = plainly().filter((l) => l.arrived)
    const opened = arrived.filter((l) => l.has('open', 'click'))
    expect([seen.arrived, seen.opened]).toEqual([arrived.length, opened.length])
    /** What a letter was opened with: the first that tells anything of itself, else the first. */
    const withWhat = opened.map(({ responses, machine }) => {
      const own = responses.filter((r) => (r.kind === 'open' || r.kind === 'click') && !machine.has(r))
      const known = own.map((r) => ({ ...r, is: agents[r.agent as keyof typeof agents] }))
      return known.find(({ is }) => typeof is === 'object' && is.program !== null) ?? known[0]
    })
    expect(seen.proxied).toBe(withWhat.filter(({ is }) => is === 'proxy').length)
    const told = withWhat.flatMap(({ is }) => (typeof is === 'object' ? [is] : []))
    const tally = (some: unknown[]) => [
      ...some.reduce((m: Map<unknown, number>, one) => m.set(one, (m.get(one) ?? 0) + 1), new Map()),
    ]
    const asTally = <T extends { letters: number }>(some: T[], of: (one: T) => unknown) =>
      new Map(some.map((one) => [of(one), one.letters]))
    expect(asTally(seen.programs, (one) => one.program)).toEqual(
      new Map(tally(told.map(({ program }) => program)) as never),
    )
    expect(asTally(seen.devices, (one) => one.device)).toEqual(
      new Map(tally(told.map(({ device }) => device)) as never),
    )
    const byMachines = arrived.filter((l) => !l.has('open', 'click') && l.byMachine)
    expect(seen.machines.reduce((sum, { letters }) => sum + letters, 0)).toBe(byMachines.length)
    const why = byMachines.map((l) => l.machine.get(l.responses.find((r) => r.kind === 'open' && l.machine.has(r))!))
    expect(asTally(seen.machines, (one) => one.why)).toEqual(new Map(tally(why) as never))
    // Countries are not looked up here: what stands there from elsewhere is not shown.
    expect(seen.countries).toBeNull()
    const family = (address: string) => address.split('?')[0]
    const followed = arrived.flatMap((l) => {
      const links = l.responses.flatMap((r) => (r.kind === 'click' && !l.machine.has(r) ? [linksOf(l.i)[r.link!]] : []))
      return [...new Set(links.map(family))].filter((one) => one.startsWith('https'))
    })
    expect(asTally(seen.links, (one) => one.address)).toEqual(new Map(tally(followed) as never))
    expect(seen.links).toHaveLength(2)
    for (const { address, letters } of seen.links)
      expect((await lines({ pick: 'link', word: address })).letters).toBe(letters)
    expect((await lines({ pick: 'link', word: 'https://elsewhere.example/' })).letters).toBe(0)
  })
  test('each letter has its outcome, and what came back of it is told with it', async () => {
    const { lines: shown } = await lines()
    expect(shown.map((l) => l.outcome)).toEqual(plainly().map((l) => l.outcome))
    for (const [i, one] of plainly().entries()) {
      const { letters } = await world.call(routes.heardFrom, { params: { round, row: messages[i].rowId } })
      expect(letters).toHaveLength(1)
      expect(letters[0].responses.map((r) => [r.kind, r.at, r.automatic])).toEqual(
        one.responses.map((r) => [r.kind, r.at, one.machine.has(r)]),
      )
      const first = one.mail
        .filter((m) => m.of === 'person' && (m.kind === 'reply' || m.kind === 'bounce'))
        .sort((a, b) => a.at - b.at)[0]
      if (one.sentAt !== null) {
        expect(shown[i].said).toBe(first?.words ?? '')
        expect(shown[i].lastAt).toBe(one.responses.at(-1)?.at ?? null)
      }
      if (one.state === 'refused') expect(shown[i].said).toBe('The host said no.')
    }
  })
  test('as columns of the list: outcome and word of every row, by which the next round chooses its people', async () => {
    const { list } = await world.call(routes.round, { params: { round } })
    const told = await world.call(routes.cameOf, { params: { round } })
    const all = plainly()
    expect(told).toMatchObject({ list: list!.id, title: (await world.call(routes.round, { params: { round } })).title })
    expect(told.rows.map((row) => row.slice(0, 4))).toEqual(
      all.map((l, i) => [messages[i].rowId, l.outcome, wordOf(i), null]),
    )
    const [{ timeZone }] = await world.call(routes.mailboxes)
    const clock = (at: number) =>
      Temporal.Instant.fromEpochMilliseconds(at)
        .toZonedDateTimeISO(timeZone)
        .toPlainDateTime()
        .toString({ smallestUnit: 'minute' })
        .replace('T', ' ')
    expect(told.rows.map((row) => row[4]?.repliedAt)).toEqual(
      all.map(({ mail, sentAt: left }) => {
        const replies = mail.filter((m) => m.kind === 'reply' && m.of === 'person').map((m) => m.at)
        return left === null || replies.length === 0 ? undefined : clock(Math.min(...replies))
      }),
    )
    const column = (name: string, what: 'outcome' | 'word') => ({
      do: 'addColumn' as const,
      column: { name, kind: 'text' as const, recipe: { do: 'cameOf' as const, round, what } },
    })
    const params = { list: list!.id }
    const edited = await world.call(routes.editList, {
      params,
      body: { words: 'Add', wishes: [column('Last time', 'outcome'), column('Said', 'word')] },
    })
    const [outcome, word] = edited.list.columns.slice(-2).map((c) => c.id)
    const shown = await world.call(routes.derivedRows, { params, query: { from: 0, count: people } })
    expect(shown.faults).toEqual([])
    expect(shown.rows.map((r) => [r.cells[outcome], r.cells[word] ?? null])).toEqual(
      all.map((l, i) => [outcomeWords[l.outcome], wordOf(i)]),
    )
    // The next round to the same list, to those who have a word.
    const next = await world.call(routes.startRound, { body: { title: 'Next' } })
    await world.call(routes.changeRound, {
      params: { round: next.id },
      body: {
        listId: list!.id,
        selection: { match: 'all', rules: [{ column: word, comparison: 'is', value: words[0] }] },
      },
    })
    const chosen = async () =>
      (await world.call(routes.people, { params: { round: next.id } })).chosen.toSorted((a, b) => a - b)
    const having = (wanted: string) => messages.flatMap(({ rowId }, i) => (wordOf(i) === wanted ? [rowId] : []))
    expect(await chosen()).toEqual(having(words[0]).toSorted((a, b) => a - b))
    // What came since the last word was said is noticed at posting: other people would get it than were told of.
    await world.call(routes.changeRound, {
      params: { round: next.id },
      body: { letterHtml: { subject: 'Once more', html: '<p>Dear {{Name}}</p>' } },
    })
    const said = await world.call(routes.lastWord, { params: { round: next.id } })
    await world.call(routes.giveWords, {
      params: { round },
      body: { given: [{ row: having(words[0])[0], word: null }] },
    })
    await world.call(routes.giveWords, {
      params: { round },
      body: { given: [{ row: having(words[1])[0], word: words[0] }] },
    })
    expect(
      await refusal(
        world.call(routes.post, {
          params: { round: next.id },
          body: { messages: said.letters, paper: 0, print: said.print },
        }),
      ),
    ).toMatch(/changed since you saw it/)
    await world.call(routes.giveWords, {
      params: { round },
      body: { given: [{ row: having(words[1])[0], word: words[1] }] },
    })
    await world.call(routes.giveWords, {
      params: { round },
      body: { given: [{ row: having(words[0])[0], word: words[0] }] },
    })
    // Given to one more, the list knows it too, soon.
    const more = messages[2].rowId
    await world.call(routes.giveWords, { params: { round }, body: { given: [{ row: more, word: words[0] }] } })
    await expect.poll(async () => (await chosen()).includes(more), { timeout: 20_000 }).toBe(true)
    await world.call(routes.giveWords, { params: { round }, body: { given: [{ row: more, word: null }] } })
    await world.call(routes.deleteRound, { params: { round: next.id } })
    // In a copy of the list, whose rows are others, it says that it cannot be told.
    const copy = await world.call(routes.copyList, { params, body: { name: 'Copy' } })
    const there = await world.call(routes.derivedRows, { params: { list: copy.id }, query: { from: 0, count: 5 } })
    if (copy.columns.some((c) => c.recipe)) expect(there.faults[0].why).toMatch(/is gone, or was to another list/)
    else expect(there.rows[0].cells[outcome]).toBe(outcomeWords[all[0].outcome])
    await world.call(routes.undoEdit, { params })
  })
  test('in parts, in every order, both ways: together they are the whole, in that order', async () => {
    const whole = (await lines()).lines
    const by: Record<string, (l: BoardLine) => string | number | null> = {
      person: (l) => l.person.toLowerCase(),
      outcome: (l) => outcomeWords[l.outcome],
      word: (l) => l.word,
      version: (l) => l.version,
      when: (l) => l.lastAt ?? l.sentAt,
      said: (l) => l.said.toLowerCase() || null,
    }
    for (const [order, value] of Object.entries(by))
      for (const way of ['up', 'down']) {
        const parts: BoardLine[] = []
        while (parts.length < people)
          parts.push(...(await lines({ by: order, way, from: parts.length, count: 7 })).lines)
        expect(new Set(parts.map((l) => l.messageId)).size).toBe(people)
        const given = parts.map(value)
        const there = given.filter((one) => one !== null)
        // What has nothing there stands last, whichever way.
        expect(given.slice(there.length).every((one) => one === null)).toBe(true)
        for (const [i, one] of there.entries()) {
          const before = there[i - 1]
          if (before === undefined || typeof before === 'string') continue
          expect(way === 'up' ? before <= (one as number) : before >= (one as number)).toBe(true)
        }
        // Texts are in the database's order, which for these names, of ASCII and figures, is that of their characters.
        if (order === 'person')
          expect(there).toEqual(there.toSorted((a, b) => (a! < b! ? -1 : 1) * (way === 'up' ? 1 : -1)))
        expect(parts.map((l) => l.messageId).toSorted((a, b) => a - b)).toEqual(whole.map((l) => l.messageId))
      }
  })
  test('what is looked for is in the name or the address; signs that mean something to the database mean themselves', async () => {
    expect((await lines({ find: 'PERSON 27' })).lines.map((l) => l.person)).toEqual([
      ...['', 1, 2].map((n) => `Person ${n}27`),
      ...Array.from({ length: 10 }, (_, i) => `Person 27${i}`),
    ])
    expect((await lines({ find: 'person12@' })).lines.map((l) => l.person)).toEqual(['Person 12'])
    expect((await lines({ find: '%' })).letters).toBe(0)
    expect((await lines({ find: 'n_1' })).letters).toBe(0)
    expect((await lines({ find: '\\' })).letters).toBe(0)
    expect((await lines({ pick: 'word', word: "o'clock" })).letters).toBe(0)
  })
})

describe('what a board draws', () => {
  test('over time: as many as happened by then, in stretches', async () => {
    const { overTime } = await world.call(routes.boardCharts, { params: params() })
    const of: Record<string, (one: ReturnType<typeof plainly>[number]) => number[]> = {
      sent: (l) => [l.sentAt!],
      replied: (l) => l.responses.filter((r) => r.kind === 'reply' && r.of === 'person').map((r) => r.at),
      bounced: (l) => l.responses.filter((r) => r.kind === 'bounce' && r.of === 'person').map((r) => r.at),
      opened: (l) =>
        l.responses.filter((r) => (r.kind === 'open' || r.kind === 'click') && !l.machine.has(r)).map((r) => r.at),
    }
    for (const [kind, times] of Object.entries(of)) {
      const firsts = plainly()
        .filter((l) => l.sent)
        .map(times)
        .filter((some) => some.length > 0)
        .map((some) => Math.min(...some))
      const drawn = overTime.lines.find((one) => one.kind === kind)!
      expect([drawn.count, drawn.first, drawn.last], kind).toEqual([
        firsts.length,
        Math.min(...firsts),
        Math.max(...firsts),
      ])
      const stretches = new Map<number, number>()
      for (const at of firsts) {
        const n = Math.floor((at - overTime.from) / overTime.step)
        stretches.set(n, (stretches.get(n) ?? 0) + 1)
      }
      expect(drawn.some, kind).toEqual([...stretches].sort((a, b) => a[0] - b[0]))
    }
    expect(overTime.lines.every((one) => one.some.length <= 250)).toBe(true)
  })
  // Hours by ECMA-262 Temporal, over the night in which the clocks go back in London (25 October 2026).
  test('by the hour of the day where the mailbox is, over a change of the clocks', async () => {
    const { byHour } = await world.call(routes.boardCharts, { params: params() })
    const hours = (fits: (r: Response, l: ReturnType<typeof plainly>[number]) => boolean) => {
      const counted: number[] = Array(24).fill(0)
      for (const l of plainly().filter((one) => one.sent)) {
        const times = l.responses.filter((r) => fits(r, l)).map((r) => r.at)
        if (times.length > 0) counted[wall(Math.min(...times), 'Europe/London').hour]++
      }
      return counted
    }
    expect(byHour.timeZone).toBe('Europe/London')
    expect(byHour.replied).toEqual(hours((r) => r.kind === 'reply' && r.of === 'person'))
    expect(byHour.opened).toEqual(hours((r, l) => (r.kind === 'open' || r.kind === 'click') && !l.machine.has(r)))
  })
  test('why letters came back: of how many that went there', async () => {
    const { returned } = await world.call(routes.boardCharts, { params: params() })
    const back = plainly().filter((l) => l.sent && l.responses.some((r) => r.kind === 'bounce' && r.of === 'person'))
    expect(returned.reduce((sum, one) => sum + one.count, 0)).toBe(back.length)
    for (const one of returned) expect(one.sent).toBe(plainly().filter((l) => l.sent).length)
    expect(new Set(returned.map((one) => one.domain))).toEqual(new Set(['village.example']))
  })
  test('beside earlier rounds to the same list: of those who were given as long, how many answered within it', async () => {
    const list = (await world.call(routes.round, { params: params() })).list!.id
    const { id } = await world.call(routes.startRound, { body: { title: 'The next' } })
    await world.call(routes.changeRound, { params: { round: id }, body: { listId: list, letterHtml: letter } })
    const { db } = world.handPost.parts
    const at = begin + 3 * day + 12 * hour
    await db.query('UPDATE rounds SET posted_at = $2 WHERE id = $1', [id, at])
    world.clock.move(at - world.clock.now())
    const { compared } = await world.call(routes.boardCharts, { params: { round: id } })
    // Nothing of the new one has been out for a day.
    expect(compared.map((one) => [one.roundId, one.after.length])).toEqual([
      [id, 0],
      [round, 3],
    ])
    for (const { days, arrived, replied } of compared[1].after) {
      const old = plainly().filter((l) => l.arrived && l.sentAt! <= at - days * day)
      expect(arrived).toBe(old.length)
      const within = (l: (typeof old)[number]) =>
        l.responses.some((r) => r.kind === 'reply' && r.of === 'person' && r.at - l.sentAt! <= days * day)
      expect(replied).toBe(old.filter(within).length)
      expect(replied).toBeGreaterThan(0)
    }
    expect(compared[1].after.map((one) => one.days)).toEqual([1, 2, 3])

    // All rounds to the list, beside each other: chasers are no rounds of their own.
    const { list: told, rounds, more } = await world.call(routes.roundsOfList, { params: { list } })
    expect([told.name, more]).toEqual(['people', 0])
    expect(rounds.map((one) => [one.roundId, one.after])).toEqual(compared.map((one) => [one.roundId, one.after]))
    const { counts } = await world.board(round)
    expect(rounds[1].counts).toEqual(
      Object.fromEntries(Object.keys(rounds[1].counts).map((name) => [name, counts[name as keyof typeof counts]])),
    )
    // Half of those had answered within the time of the one in the middle: of an even number the earlier of both.
    const took = plainly()
      .filter((l) => l.arrived)
      .flatMap((l) => {
        const first = l.responses.find((r) => r.kind === 'reply' && r.of === 'person')
        return first ? Math.max(0, first.at - l.sentAt!) : []
      })
      .sort((x, y) => x - y)
    expect(rounds[1].halfWithin).toBe(took[Math.ceil(took.length / 2) - 1])
    expect(rounds[0]).toMatchObject({ halfWithin: null, chased: 0, paper: 0, counts: { sent: 0, replied: 0 } })
    await db.query('UPDATE rounds SET chases = $2 WHERE id = $1', [id, round])
    const without = await world.call(routes.roundsOfList, { params: { list } })
    expect(without.rounds.map((one) => one.roundId)).toEqual([round])
    await db.query('UPDATE rounds SET chases = NULL WHERE id = $1', [id])
    expect(await refusal(world.call(routes.roundsOfList, { params: { list: 99_999 } }))).toMatch(
      /no such list|not there/i,
    )
  })
})

test('what is added, changed or taken away is on the board the next time it is looked at', async () => {
  const { db } = world.handPost.parts
  const i = plainly().find((l) => l.outcome === 'sent')!.i
  const outcome = async () => (await lines()).lines[i].outcome
  const [{ id }] = await db.query<{ id: number }>(
    `INSERT INTO responses (message_id, kind, at, of, address, mail_id) VALUES ($1, 'reply', $2, 'person', 'a@b.example', '<new@m.example>') RETURNING id`,
    [messages[i].id, begin + day],
  )
  expect(await outcome()).toBe('replied')
  await db.query(`UPDATE responses SET of = 'no' WHERE id = $1`, [id])
  expect(await outcome()).toBe('sent')
  await db.query(`UPDATE responses SET of = 'person', kind = 'bounce' WHERE id = $1`, [id])
  expect(await outcome()).toBe('bounced')
  await db.query('DELETE FROM responses WHERE id = $1', [id])
  expect(await outcome()).toBe('sent')
})
test('an answer before the letter is known to be sent counts once it is', async () => {
  const { db } = world.handPost.parts
  const i = all.findIndex((one) => one.state === 'waiting')
  await db.query(
    `INSERT INTO responses (message_id, kind, at, of, address, mail_id) VALUES ($1, 'reply', $2, 'person', 'a@b.example', '<early@m.example>')`,
    [messages[i].id, begin],
  )
  expect((await lines()).lines[i].outcome).toBe('waiting')
  await db.query(`UPDATE messages SET state = 'sent', sent_at = $2 WHERE id = $1`, [messages[i].id, begin + minute])
  expect((await lines()).lines[i].outcome).toBe('replied')
})
