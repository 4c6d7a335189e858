import fc from 'fast-check'
import Papa from 'papaparse'
import { describe, expect, test } from 'vitest'
import { type MessageState, messageStates } from '../dispatch/lifecycle.ts'
import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { asBeforeDefusing } from './csv.ts'
import {
  type Answered,
  automaticOnes,
  heardOf,
  outcomeOf,
  outcomeOfState,
  outcomes,
  outcomeWords,
  responseKinds,
  strongestOutcome,
} from './outcome.ts'
import { type HeardOf, outcomeFormatNames, outcomeFormats, outcomeList } from './outcomeList.ts'

const columns: Column[] = [
  { id: 'c1', name: 'Name', kind: 'text' },
  { id: 'c2', name: 'Email', kind: 'address' },
]
const sentAt = Date.UTC(2026, 10, 3, 9)
const response = fc.record({
  kind: fc.constantFrom(...responseKinds),
  at: fc.integer({ min: sentAt, max: sentAt + 1e9 }),
  of: fc.constantFrom('person' as const, 'copy' as const, 'other' as const, undefined),
  link: fc.option(fc.nat(3), { nil: undefined }),
})
const answered: fc.Arbitrary<Answered> = fc
  .tuple(fc.constantFrom(...(messageStates as readonly MessageState[])), fc.array(response, { maxLength: 6 }))
  .map(([state, responses]) => ({ state, sentAt: state === 'sent' ? sentAt : null, responses }))

describe('the board', () => {
  test('every message is in exactly one outcome, and what was heard of it agrees with it', () => {
    fc.assert(
      fc.property(answered, (one) => {
        const outcome = outcomeOf(one)
        expect(outcomes).toContain(outcome)
        if (one.sentAt === null) {
          expect(outcome).toBe(outcomeOfState[one.state])
          return
        }
        const heard = heardOf(one.sentAt, one.responses)
        expect(outcome).toBe(heard.outcome ?? 'sent')
        // Whoever has an outcome is among those who are counted for it; some are counted for more than their outcome.
        const { firsts } = heard
        const first = firsts[outcome as keyof typeof firsts]
        if (outcome !== 'delivered' && outcome !== 'delayed' && outcome !== 'sent') expect(first).not.toBeNull()
        // A reply decides before all, and a letter that came back did not arrive.
        expect(outcome === 'replied').toBe(firsts.replied !== null)
        if (firsts.bounced !== null && firsts.replied === null) expect(outcome).toBe('bounced')
      }),
    )
  })
  test('each first time is that of one of the person’s own, and the earliest; whoever followed a link has opened the letter', () => {
    fc.assert(
      fc.property(fc.array(response, { maxLength: 8 }), (came) => {
        const { firsts, lastAt, byMachine } = heardOf(sentAt, came)
        const machine = automaticOnes(sentAt, came)
        const times = (...kinds: string[]) =>
          came
            .filter((r) => kinds.includes(r.kind) && (r.of ?? 'person') === 'person' && !machine.has(r))
            .map((r) => r.at)
            .sort((a, b) => a - b)
        expect(firsts.replied).toBe(times('reply')[0] ?? null)
        expect(firsts.bounced).toBe(times('bounce')[0] ?? null)
        expect(firsts.opened).toBe(times('open', 'click')[0] ?? null)
        expect(firsts.clicked).toBe(times('click')[0] ?? null)
        expect(firsts.optedOut).toBe(times('optOut')[0] ?? null)
        if (firsts.clicked !== null) expect(firsts.opened).toBeLessThanOrEqual(firsts.clicked)
        expect(lastAt).toBe(came.length === 0 ? null : Math.max(...came.map((r) => r.at)))
        expect(byMachine !== null).toBe(came.some((r) => r.kind === 'open' && machine.has(r)))
        // In whatever order they are told, it is the same.
        expect(heardOf(sentAt, [...came].reverse())).toEqual(heardOf(sentAt, came))
      }),
    )
  })
  test('what comes later never takes back that somebody has answered, and what is another’s counts for nothing', () => {
    fc.assert(
      fc.property(answered, response, (one, more) => {
        const before = outcomeOf(one)
        const after = outcomeOf({ ...one, responses: [...one.responses, more] })
        if (before === 'replied') expect(after).toBe('replied')
        const foreign = { ...more, of: 'copy' as const, kind: 'reply' as const }
        expect(outcomeOf({ ...one, responses: [...one.responses, foreign] })).toBe(before)
      }),
    )
  })
  test('of several letters the strongest counts, in whatever order', () => {
    fc.assert(
      fc.property(fc.shuffledSubarray([...outcomes], { minLength: 1 }), (some) => {
        expect(strongestOutcome(some)).toBe(strongestOutcome([...some].reverse()))
        expect(some).toContain(strongestOutcome(some))
      }),
    )
    expect(strongestOutcome(['bounced', 'replied'])).toBe('replied')
    expect(strongestOutcome([])).toBeNull()
  })
})

describe('the list handed back', () => {
  const text = fc.oneof(
    fc.string({ unit: 'grapheme' }),
    fc.constantFrom('', '=1+1', '-5', '"', 'a,b', 'two\nlines', "'=x"),
  )
  const heard = (rowId: number): fc.Arbitrary<HeardOf> =>
    fc.record({
      rowId: fc.constant(rowId),
      address: fc.constant(`p${rowId}@village.example`),
      outcome: fc.constantFrom(...outcomes),
      sentAt: fc.option(fc.constant(sentAt)),
      reason: fc.option(text),
      version: fc.constantFrom(1, 1, 1, 2),
      choice: fc.constantFrom(null, null, null, 'I shall come'),
      responses: fc.array(
        fc.record({
          kind: fc.constantFrom(...responseKinds),
          at: fc.integer({ min: sentAt, max: sentAt + 1e9 }),
          of: fc.constantFrom('person' as const, 'other' as const),
          automatic: fc.boolean(),
          words: text,
        }),
        { maxLength: 3 },
      ),
    })
  const round = fc.record({ names: fc.array(text, { maxLength: 6 }), gone: fc.nat(2) }).chain(({ names, gone }) =>
    fc.record({
      rows: fc.constant(
        names.map(
          (name, i): Row => ({ id: i + 1, position: `a${i}`, cells: { c1: name, c2: `p${i + 1}@village.example` } }),
        ),
      ),
      letters: fc
        .tuple(...Array.from({ length: names.length + gone }, (_, i) => fc.array(heard(i + 1), { maxLength: 2 })))
        .map((all) => all.flat()),
    }),
  )
  test('has every row once, whoever was posted to and is gone too, and each outcome as it is called', () => {
    fc.assert(
      fc.property(round, ({ rows, letters }) => {
        const [head, ...lines] = outcomeList(columns, rows, letters, 'c2', 'Europe/London')
        const people = new Set([...rows.map((r) => r.id), ...letters.map((l) => l.rowId)])
        expect(lines.length).toBe(people.size)
        expect(lines.every((line) => line.length === head.length)).toBe(true)
        const posted = new Set(letters.map((l) => l.rowId))
        const called = lines.map((line) => line[2])
        expect(called.filter((words) => words !== 'not in this round').length).toBe(posted.size)
        for (const words of called) expect(['not in this round', ...Object.values(outcomeWords)]).toContain(words)
      }),
    )
  })
  test('says of an amended round which version each has had, and of others nothing', () => {
    fc.assert(
      fc.property(round, ({ rows, letters }) => {
        const [head, ...lines] = outcomeList(columns, rows, letters, 'c2', 'Europe/London')
        const amended = letters.some((letter) => letter.version > 1)
        expect(head.at(-1) === 'Version').toBe(amended)
        if (!amended) return
        const said = lines.flatMap((line) => line.at(-1)!.split(', ').filter(Boolean)).map(Number)
        expect(said.sort()).toEqual(letters.map((letter) => letter.version).sort())
      }),
    )
  })
  test('as CSV it is read back by another reader as it was (RFC 4180, Papa Parse)', () => {
    fc.assert(
      fc.property(round, ({ rows, letters }) => {
        const list = outcomeList(columns, rows, letters, 'c2', 'Europe/London')
        const file = outcomeFormats.csv.write(list)
        const read = Papa.parse<string[]>(file.replace(/^\ufeff/, '').replace(/\r\n$/, ''), { newline: '\r\n' })
        expect(read.errors).toEqual([])
        expect(read.data.map((line) => line.map(asBeforeDefusing))).toEqual(list)
      }),
    )
  })
  test('times are those of the mailbox’s zone, by the offset that it had then (ISO 8601)', () => {
    const letter: HeardOf = {
      rowId: 1,
      address: 'a@b.example',
      outcome: 'replied',
      sentAt,
      reason: null,
      version: 1,
      choice: null,
      responses: [],
    }
    const at = (moment: number, zone: string) =>
      outcomeList(columns, [], [{ ...letter, sentAt: moment }], 'c2', zone)[1][3]
    expect(at(Date.UTC(2026, 6, 1, 9), 'Europe/London')).toBe('2026-07-01T10:00:00+01:00')
    expect(at(Date.UTC(2026, 11, 1, 9), 'Europe/London')).toBe('2026-12-01T09:00:00+00:00')
    expect(at(Date.UTC(2026, 11, 1, 9), 'Asia/Kolkata')).toBe('2026-12-01T14:30:00+05:30')
  })
  test.each(outcomeFormatNames)('the format %s is whole', (name) => {
    const { ending, mediaType, write } = outcomeFormats[name]
    expect(ending).toMatch(/^[a-z0-9]+$/)
    expect(mediaType).toMatch(/^[\w.+-]+\/[\w.+-]+/)
    expect(write([['a']]).length).toBeGreaterThan(0)
  })
})
