import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { mayBecome, messageStates, nextTry } from './lifecycle.ts'
import { askedWait, enhancedStatus, judgeFailure, restAfter, withoutAddresses } from './smtpAnswer.ts'

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
    expect(nextTry(0, 1, 60)).toBe(60 * 60_000)
    expect(nextTry(0, 2, 1)).toBe(15 * 60_000)
  })
})

describe('what the host answers', () => {
  const said = (code: number | null, text: string, stage: 'connect' | 'signIn' | 'envelope' | 'message' = 'envelope') =>
    judgeFailure({ stage, code, text }).do
  // RFC 5321 section 4.2.1: 4yz is transient, 5yz permanent. RFC 3463 gives the enhanced codes. The sentences are of the kinds that
  // hosts write: common practice, no source.
  const answers = [
    [550, '550 5.1.1 <{}>: no such mailbox', 'refuse'],
    [550, '550 5.1.1 {} does not exist here', 'refuse'],
    [550, '550 No such user - {}', 'refuse'],
    [551, '551 5.1.6 <{}> has moved', 'refuse'],
    [552, '552 5.3.4 message too big for {}', 'refuse'],
    [552, '552 5.2.2 <{}>: quota exceeded', 'refuse'],
    [553, '553 5.1.3 <{}> bad address syntax', 'refuse'],
    [554, '554 5.7.1 <{}>: relay access denied', 'refuse'],
    [550, '550 5.2.2 {} mailbox full, over quota', 'refuse'],
    [550, '550 5.7.1 Message to {} looks like spam', 'refuse'],
    [556, '556 5.1.10 {} takes no mail', 'refuse'],
    [451, '451 4.7.1 <{}>: Greylisted, please try again in five minutes', 'retry'],
    [450, '450 <{}>: Recipient address rejected: Greylisted', 'retry'],
    [450, '450 4.2.0 <{}>: Recipient address rejected: Greylisting in action, please come back later', 'retry'],
    [450, '450 4.2.1 mailbox {} temporarily unavailable', 'retry'],
    [
      450,
      '450 4.2.1 The user you are writing to, {}, is receiving mail at a rate that prevents further delivery',
      'retry',
    ],
    [450, '450 4.1.2 <{}>: domain not found', 'retry'],
    [451, '451 4.4.1 no answer from the host of {}', 'retry'],
    [452, '452 4.2.2 <{}>: mailbox full', 'retry'],
    [451, '451 Temporary local problem with {}, please try later', 'retry'],
    [452, '452 4.5.3 too many recipients today', 'pause'],
    [452, '452 4.3.1 Insufficient system storage', 'pause'],
    [452, '452 requested action not taken: insufficient system storage', 'pause'],
    [451, '451 4.3.2 The system takes no mail just now', 'pause'],
    [550, '550 5.4.5 daily sending quota exceeded', 'pause'],
    [554, '554 5.7.0 Your account has exceeded its daily sending limit', 'pause'],
    [450, '450 4.7.1 <{}>: sending quota exceeded for office@brindlequay.example', 'pause'],
    [421, '421 4.7.0 closing, too many connections', 'pause'],
    [421, '421 4.7.28 our system has detected an unusual rate of mail from you', 'pause'],
    [450, '450 4.7.0 too many messages a minute, slow down', 'pause'],
    [451, '451 4.7.0 rate limit exceeded, sending to {}', 'pause'],
    [535, '535 5.7.8 authentication credentials invalid', 'stop'],
    [530, '530 5.7.0 authentication required', 'stop'],
  ] as const
  test.each(answers)('%d “%s” → %s', (code, text, verdict) => {
    expect(said(code, text.replace('{}', 'ada.penrose@village.example'))).toBe(verdict)
  })

  // What somebody is called must not decide for the mailbox of the writer. Each address has a word in it that hosts use for limits.
  const treacherous = [
    'daily.news@village.example',
    'kate.corporate@village.example',
    'quota@daily-limit.example',
    'too.fast@slow-down.example',
    'rate-limit@throttle.example',
    'greylist@greylisted.example',
    'o.sending-limit@per-day.example',
    'sending.quota.exceeded@rate.example',
  ]
  test.each(treacherous)('the same of %s, whole, quoted, or in parts', (address) => {
    for (const [code, text, verdict] of answers) {
      const whole = text.replace('{}', address)
      expect([whole, judgeFailure({ stage: 'envelope', code, text: whole }, [address]).do]).toEqual([whole, verdict])
      const [local, domain] = address.split('@')
      for (const part of [local, domain]) {
        const quoted = text.replace(/<?\{\}>?/, `“${part}”`)
        expect([quoted, judgeFailure({ stage: 'envelope', code, text: quoted }, [address]).do]).toEqual([
          quoted,
          verdict,
        ])
      }
    }
  })
  test('addresses, domains and links are taken out of words, and nothing else is', () => {
    expect(
      withoutAddresses('550 no rate@limit.example here, see https://host.example/daily-quota?x=1 now').split(/\s+/),
    ).toEqual(['550', 'no', 'here,', 'see', 'now'])
    expect(withoutAddresses('user daily at village.example is unknown; daily.x stays', ['daily@village.example'])).toBe(
      'user   at   is unknown; daily.x stays',
    )
    // Nothing in an address is an instruction to the search.
    expect(withoutAddresses('a.b+c a-b+c', ['a.b+c@x'])).toBe('  a-b+c')
    fc.assert(
      fc.property(fc.lorem({ mode: 'sentences' }), (text) => {
        expect(withoutAddresses(text, ['qqq@zzz.example'])).toBe(text)
      }),
    )
    // Linear, however a host fills its line: 4,000 characters of it are looked at.
    expect(withoutAddresses('<@'.repeat(500_000)).length).toBeLessThan(5000)
  })
  test('how long a host asks to wait', () => {
    expect(askedWait('please try again in five minutes')).toBe(5)
    expect(askedWait('Greylisted for 300 seconds')).toBe(5)
    expect(askedWait('come back after 1 hour')).toBe(60)
    expect(askedWait('try again in an hour')).toBe(60)
    expect(askedWait('retry in 00:04:58')).toBeNull()
    expect(askedWait('try again later')).toBeNull()
    expect(askedWait('wait 99999 hours')).toBe(24 * 60)
    expect(
      judgeFailure({ stage: 'envelope', code: 451, text: '451 4.7.1 Greylisted, please try again in five minutes' }),
    ).toEqual({
      do: 'retry',
      minutes: 5,
      words:
        'The host does not know this mailbox yet and asks us to come back in 5 minutes. The host said: 451 4.7.1 Greylisted, please try again in five minutes',
    })
  })
  test('rests that repeat grow, to eight times as long or two hours', () => {
    expect([0, 1, 2, 3, 20].map((n) => restAfter(2, n))).toEqual([2, 4, 8, 16, 16])
    expect([0, 1, 2].map((n) => restAfter(60, n))).toEqual([60, 120, 120])
  })
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
