import { addBusinessDays } from 'date-fns'
import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { describe, expect, test } from 'vitest'
import { anyTime, type Hours, readyWeeks } from '../mailboxes/hours.ts'
import { ZoneDays } from '../mailboxes/zone.ts'
import {
  type ChasedFacts,
  type ChasedKind,
  chasedKinds,
  chaserDaysWords,
  chaserDue,
  chaserSchema,
  chasersFault,
  judgeChaser,
  nothingCame,
  usualChaser,
} from './chaser.ts'

const at = (text: string) => Date.parse(text)
const dayOf = (moment: number, zone: string) =>
  Temporal.Instant.fromEpochMilliseconds(moment).toZonedDateTimeISO(zone).toPlainDate().toString()

describe('when a chaser is due', () => {
  test('working days from Monday to Friday are those of date-fns', () => {
    const days = new ZoneDays('UTC')
    fc.assert(
      fc.property(
        fc.integer({ min: at('2020-01-01T00:00:00Z'), max: at('2035-01-01T00:00:00Z') }),
        fc.integer({ min: 1, max: 366 }),
        (left, n) => {
          const due = chaserDue(left, { n, of: 'workingDays' }, anyTime, days)!
          // date-fns reckons by this machine's zone: only the day is compared, of a moment at noon.
          const noon = new Date(left)
          const local = addBusinessDays(new Date(noon.getUTCFullYear(), noon.getUTCMonth(), noon.getUTCDate(), 12), n)
          expect(dayOf(due, 'UTC')).toBe(
            `${local.getFullYear()}-${String(local.getMonth() + 1).padStart(2, '0')}-${String(local.getDate()).padStart(2, '0')}`,
          )
        },
      ),
    )
  })

  test('days are added by the clock on the wall, as Temporal (ECMA-262 proposal) adds them, over changes of the clock', () => {
    const zones = ['Europe/London', 'America/New_York', 'Australia/Lord_Howe', 'Asia/Kathmandu']
    fc.assert(
      fc.property(
        fc.constantFrom(...zones),
        fc.integer({ min: at('2024-01-01T00:00:00Z'), max: at('2030-01-01T00:00:00Z') }),
        fc.integer({ min: 1, max: 366 }),
        (zone, left, n) => {
          const minute = Math.floor(left / 60_000) * 60_000
          const wall = Temporal.Instant.fromEpochMilliseconds(minute).toZonedDateTimeISO(zone)
          const due = chaserDue(minute, { n, of: 'days' }, anyTime, new ZoneDays(zone))!
          const expected = wall.toPlainDateTime().add({ days: n }).toZonedDateTime(zone, { disambiguation: 'earlier' })
          const later = wall.toPlainDateTime().add({ days: n }).toZonedDateTime(zone, { disambiguation: 'later' })
          // What the clock jumps over is meant at the jump: between the two ways of Temporal.
          expect(due).toBeGreaterThanOrEqual(Math.min(expected.epochMilliseconds, later.epochMilliseconds))
          expect(due).toBeLessThanOrEqual(later.epochMilliseconds)
          if (expected.epochMilliseconds === later.epochMilliseconds) expect(due).toBe(expected.epochMilliseconds)
        },
      ),
    )
  })

  test('the mailbox’s own week and its days off are what counts', () => {
    const week = readyWeeks.office.map((spans, i) => (i === 5 ? readyWeeks.office[0] : i === 2 ? [] : spans))
    const hours: Hours = { week, off: [{ from: '2026-12-24', to: '2026-12-28', name: 'Christmas' }] }
    const days = new ZoneDays('Europe/London')
    // Tuesday 22 December; Wednesdays are closed, Saturdays open: next come Tuesday 29, Thursday 31, Friday 1, Saturday 2.
    const left = at('2026-12-22T09:30:00Z')
    const due = (n: number) => dayOf(chaserDue(left, { n, of: 'workingDays' }, hours, days)!, 'Europe/London')
    expect([1, 2, 3, 4].map(due)).toEqual(['2026-12-29', '2026-12-31', '2027-01-01', '2027-01-02'])
    const never: Hours = { week: readyWeeks.office.map(() => []), off: [] }
    expect(chaserDue(left, { n: 1, of: 'workingDays' }, never, days)).toBeNull()
  })

  test('is told in words', () => {
    const zone = new ZoneDays('Europe/London')
    expect(chaserDaysWords(58, at('2026-12-03T09:00:00Z'), at('2026-12-03T16:00:00Z'), zone)).toBe(
      'up to 58 chasers on Thu 3 December',
    )
    expect(chaserDaysWords(1, at('2026-12-03T09:00:00Z'), at('2026-12-04T16:00:00Z'), zone)).toBe(
      'up to 1 chaser between Thu 3 December and Fri 4 December',
    )
    expect(chaserDaysWords(2, null, null, zone)).toBe('2 chasers, with no day on which they could leave')
  })
})

describe('whom it goes to', () => {
  const reply = { replied: 5, lastResponse: 9 }
  /** What came, and the kinds of chaser that go then. */
  const table: [string, Partial<ChasedFacts>, ChasedKind[]][] = [
    ['nothing', {}, ['silent', 'noChoice', 'noFile', 'chosen']],
    ['an answer', reply, ['noChoice', 'noFile']],
    ['a choice', { ...reply, chose: 5 }, ['noFile']],
    ['a file', { ...reply, sentFile: true }, ['noChoice']],
    ['returned mail, for a while', { bounced: { at: 5, hard: false } }, ['softBounce']],
    ['returned mail, for good', { bounced: { at: 5, hard: true } }, []],
    ['opting out', { optedOut: 5 }, []],
    ['a word of the writer', { word: 'later', wordAt: 5 }, ['word']],
    ['another word', { word: 'coming', wordAt: 5 }, []],
    ['a word, and an answer behind it', { ...reply, word: 'later', wordAt: 4 }, []],
    ['an answer, and a word behind it', { ...reply, word: 'later', wordAt: 6 }, ['word']],
    ['what may be an answer', { proposed: true }, []],
  ]
  test.each(table)('%s', (_, facts, goes) => {
    const came = { ...nothingCame, ...facts }
    const chaser = { ...usualChaser, words: ['later'], rows: [1], since: { response: 8, at: 3 } }
    expect(chasedKinds.filter((kind) => judgeChaser({ ...chaser, who: [kind] }, came, 'UTC') === null)).toEqual(goes)
  })

  test('what may be an answer waits for the writer’s word only where it decides', () => {
    const proposed = { ...nothingCame, proposed: true }
    expect(judgeChaser(usualChaser, proposed, 'UTC')).toMatchObject({ yet: true })
    expect(judgeChaser(usualChaser, { ...proposed, replied: 1 }, 'UTC')).toMatchObject({ yet: false })
  })

  test('several ways of choosing are as good as any of them, and nothing but opting out and the like takes from that', () => {
    const facts = fc.record({
      replied: fc.option(fc.integer({ min: 0, max: 9 })),
      lastResponse: fc.option(fc.integer({ min: 0, max: 9 })),
      proposed: fc.constant(false),
      optedOut: fc.option(fc.integer({ min: 0, max: 9 })),
      bounced: fc.option(fc.record({ at: fc.integer({ min: 0, max: 9 }), hard: fc.boolean() })),
      chose: fc.option(fc.integer({ min: 0, max: 9 })),
      sentFile: fc.boolean(),
      word: fc.option(fc.constantFrom('later', 'coming')),
      wordAt: fc.integer({ min: 0, max: 9 }),
    })
    fc.assert(
      fc.property(facts, fc.uniqueArray(fc.constantFrom(...chasedKinds), { minLength: 1 }), (came, who) => {
        const chaser = { ...usualChaser, words: ['later'], rows: [1], since: { response: 4, at: 4 } }
        const goes = (kinds: ChasedKind[]) => judgeChaser({ ...chaser, who: kinds }, came, 'UTC') === null
        expect(goes(who)).toBe(who.some((kind) => goes([kind])))
        if (came.optedOut !== null || came.bounced?.hard) expect(goes(who)).toBe(false)
      }),
    )
  })
})

test('two of one round are not due on one day, and a number of days is one', () => {
  const after = (n: number, of: 'days' | 'workingDays' = 'workingDays') => ({ after: { n, of } })
  expect(chasersFault([after(5), after(10), after(5, 'days'), { after: null }, { after: null }])).toBeNull()
  expect(chasersFault([after(5), after(10), after(5)])).toBe(
    'Two chasers would leave 5 working days after the letter. Give one of them another day.',
  )
  for (const n of [0, 1.5, 367]) expect(chaserSchema.safeParse({ ...usualChaser, ...after(n) }).success).toBe(false)
})
