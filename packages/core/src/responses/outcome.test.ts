import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { type MessageState, messageStates } from '../dispatch/lifecycle.ts'
import {
  type Answered,
  automaticOnes,
  heardOf,
  outcomeOf,
  outcomeOfState,
  outcomes,
  responseKinds,
  strongestOutcome,
} from './outcome.ts'

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
