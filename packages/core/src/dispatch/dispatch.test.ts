import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { mayBecome, messageStates, nextTry } from './lifecycle.ts'
import { allowanceAt, plan } from './plan.ts'
import { enhancedStatus, judgeFailure } from './smtpAnswer.ts'

const day = 24 * 60 * 60 * 1000

describe('the plan', () => {
  const item = fc.record({
    recipients: fc.integer({ min: 1, max: 4 }),
    notBefore: fc.integer({ min: 0, max: 2 * day }),
    gap: fc.integer({ min: 0, max: 600_000 }),
  })
  const departure = fc.record({ at: fc.integer({ min: -2 * day, max: 0 }), recipients: fc.integer({ min: 1, max: 5 }) })
  const world = fc.record({
    items: fc.array(item, { maxLength: 40 }),
    history: fc.array(departure, { maxLength: 10 }),
    perDay: fc.integer({ min: 1, max: 12 }),
    perMinute: fc.integer({ min: 1, max: 60 }),
  })
  test('keeps the earliest times, the order, the pace and the allowance of any 24 hours', () => {
    fc.assert(
      fc.property(world, ({ items, history, perDay, perMinute }) => {
        const toPlan = items.map((i, id) => ({ ...i, id }))
        const times = plan(0, toPlan, { perDay, perMinute }, history)
        const gone = history.filter((d) => d.at > -day)
        // What already left may be over the limit by itself; only what is added must keep it.
        let last = Math.max(Number.NEGATIVE_INFINITY, ...gone.map((d) => d.at))
        for (const [i, at] of times.entries()) {
          if (at === null) {
            expect(items[i].recipients).toBeGreaterThan(perDay)
            continue
          }
          expect(at).toBeGreaterThanOrEqual(
            Math.max(0, items[i].notBefore, last + Math.max(items[i].gap, 60_000 / perMinute)) - 1,
          )
          last = at
          gone.push({ at, recipients: items[i].recipients })
          expect(allowanceAt(at, perDay, gone.slice(0, -1))).toBeGreaterThanOrEqual(items[i].recipients)
        }
      }),
    )
  })
  test('the allowance comes back a day after it was used, not at midnight', () => {
    const history = [{ at: 0, recipients: 9 }]
    expect(allowanceAt(day - 1, 10, history)).toBe(1)
    expect(allowanceAt(day, 10, history)).toBe(10)
    expect(
      plan(1, [{ id: 1, recipients: 2, notBefore: 0, gap: 0 }], { perDay: 10, perMinute: 60_000 }, history),
    ).toEqual([day])
  })
})

describe('the life of a message', () => {
  test('what was sent stays sent, and only what was claimed is sent', () => {
    for (const to of messageStates) expect(mayBecome(to)).not.toContain('sent')
    expect(mayBecome('sent')).toEqual(['sending', 'inDoubt'])
    expect(mayBecome('sending')).toEqual(['waiting', 'retrying'])
    expect(mayBecome('withdrawn')).not.toContain('sending')
  })
  test('tries again with growing gaps, and not for ever', () => {
    const gaps = [1, 2, 3, 4, 5, 6].map((n) => nextTry(0, n)!)
    expect(gaps).toEqual([...gaps].sort((a, b) => a - b))
    expect(gaps[0]).toBe(5 * 60_000)
    expect(nextTry(0, 7)).toBeNull()
  })
})

describe('what the host answers', () => {
  const said = (code: number | null, text: string, stage: 'connect' | 'signIn' | 'envelope' | 'message' = 'envelope') =>
    judgeFailure({ stage, code, text }).do
  // RFC 5321 section 4.2.1: 4yz is transient, 5yz permanent. RFC 3463 gives the enhanced codes.
  test.each([
    [550, '550 5.1.1 no such mailbox', 'refuse'],
    [552, '552 5.3.4 message too big', 'refuse'],
    [553, '553 5.1.3 bad address syntax', 'refuse'],
    [451, '451 4.7.1 greylisted, please try again in five minutes', 'retry'],
    [450, '450 4.2.1 mailbox temporarily unavailable', 'retry'],
    [452, '452 4.5.3 too many recipients today', 'pause'],
    [550, '550 5.4.5 daily sending quota exceeded', 'pause'],
    [421, '421 4.7.0 closing, too many connections', 'pause'],
    [450, '450 4.7.0 too many messages a minute, slow down', 'pause'],
    [535, '535 5.7.8 authentication credentials invalid', 'stop'],
    [550, '550 5.2.2 mailbox full, over quota', 'refuse'],
  ] as const)('%d “%s” → %s', (code, text, verdict) => expect(said(code, text)).toBe(verdict))
  test('silence before the message is no harm; silence after it is a doubt', () => {
    expect(said(null, 'refused', 'connect')).toBe('pause')
    expect(said(null, 'broken', 'envelope')).toBe('pause')
    expect(said(null, 'broken', 'message')).toBe('doubt')
    expect(said(535, '535 5.7.8', 'signIn')).toBe('stop')
    expect(said(454, '454 4.7.0', 'signIn')).toBe('pause')
  })
  test('the enhanced code is read where RFC 3463 puts it, and a version number is none', () => {
    expect(enhancedStatus('550 5.1.1 <x> no')).toBe('5.1.1')
    expect(enhancedStatus('550-5.7.26 long')).toBe('5.7.26')
    expect(enhancedStatus('host 10.5.1.1 says no')).toBeNull()
  })
})
