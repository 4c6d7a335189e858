import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { namedLimits, saidLimit } from './saidLimit.ts'

describe('the limit that a host names', () => {
  // Common practice, no source: forms from memory in which hosts speak of their limits.
  test.each([
    ['550 5.4.5 Daily user sending limit of 500 exceeded', 'perDay', 500],
    ['550 5.4.5 Daily sending quota exceeded (max: 2,000)', 'perDay', 2000],
    ['452 4.5.3 You may send to 500 recipients per day', 'perDay', 500],
    ['450 4.7.1 Rate limit of 100 messages per hour exceeded', 'perHour', 100],
    ['421 4.7.0 too many messages: 250 an hour', 'perHour', 250],
    ['451 hourly limit reached: 300', 'perHour', 300],
    ['450 4.7.0 Slow down, 20 messages/minute', 'perMinute', 20],
    ['450 4.7.0 at most 30 recipients per minute', 'recipientsPerMinute', 30],
    ['452 4.5.3 Too many recipients, 50 recipients per message at most', 'perMessage', 50],
    ['452 4.5.3 Too many recipients per message (100)', 'perMessage', 100],
    ['554 5.7.1 more than 1 000 mails in 24 hours', 'perDay', 1000],
    ['554-5.7.1 quota: 1500 emails per day for user ann.100@quay.example', 'perDay', 1500],
  ] as const)('%s', (text, limit, n) => {
    expect(saidLimit(text)).toEqual({ limit, n })
  })
  test.each([
    '550 5.1.1 No such user',
    '450 4.7.0 too many messages, slow down',
    '451 4.7.1 Greylisted, try again in 300 seconds',
    '550 5.4.5 Daily user sending limit exceeded',
    '421 4.7.0 Try again later, closing connection. a12si345678',
    '450 4.2.1 <hourly.200@quay.example>: mailbox busy',
    '',
  ])('names none: %s', (text) => {
    expect(saidLimit(text, ['hourly.200@quay.example'])).toBeNull()
  })
  test('whatever a host says, a limit is a figure of its own words, and not of an address', () => {
    const word = fc.constantFrom(
      'limit',
      'daily',
      'hourly',
      '20',
      '500',
      'per',
      'hour',
      'day',
      '/',
      '5.4.5',
      'recipients',
      'message',
      ',',
      'a7@quay.example',
    )
    fc.assert(
      fc.property(fc.array(word, { maxLength: 30 }), (words) => {
        const found = saidLimit(`550 ${words.join(' ')}`)
        if (found === null) return
        expect(namedLimits).toContain(found.limit)
        expect(String(found.n)).toMatch(/^(?:20|500)(?:500)*$/)
      }),
    )
  })
})
