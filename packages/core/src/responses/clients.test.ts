import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { clientOf } from './clients.ts'
import { automaticOnes, heardOf, type Response } from './outcome.ts'

describe('what a client tells of itself', () => {
  test.each([
    // The example of RFC 9110, section 10.1.5.
    ['CERN-LineMode/2.15 libwww/2.17b3', { machine: 'robot' }],
    // The forms in which programs name themselves; names made up, but for those that all browsers bear.
    ['Gullmail/3.1', { program: 'Gullmail' }],
    ['Gullmail/3.1 (X11; Linux x86_64)', { program: 'Gullmail', device: 'computer' }],
    [
      'Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Ternpost/128.5.0',
      { program: 'Ternpost', device: 'computer' },
    ],
    [
      'Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0',
      { program: 'Firefox', device: 'computer' },
    ],
    [
      'Mozilla/5.0 (Linux; Android 14; Quay One) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/131.0.0.0 Mobile Safari/537.36',
      { program: 'Chrome', device: 'phone' },
    ],
    [
      'Mozilla/5.0 (Linux; Android 14; Quay Tablet) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/131.0.0.0 Safari/537.36',
      { program: 'Chrome', device: 'tablet' },
    ],
    ['Mozilla/5.0 (Windows NT 10.0) AppleWebKit/537.36 (KHTML, like Gecko)', { device: 'computer' }],
    ['Harbour Office Mail/16.0 (Windows NT 10.0; Pro)', { program: 'Harbour Office Mail', device: 'computer' }],
    ['Mozilla/5.0 (Windows NT 5.1; rv:11.0) Gecko Firefox/11.0 (via quay.example ImageProxy)', { proxy: true }],
    ['QuayMailProxy; https://quay.example/proxy', { proxy: true }],
    ['Mozilla/5.0', { machine: 'ahead' }],
    ['Mozilla/5.0 (compatible; Quaybot/2.0; +http://quay.example/bot.html)', { machine: 'robot' }],
    ['curl/8.5.0', { machine: 'robot' }],
    ['', {}],
    ['x', {}],
    ['123/456', {}],
  ])('%s', (agent, known) => {
    expect(clientOf(agent)).toEqual({ program: null, device: null, proxy: false, machine: null, ...known })
  })
  test('whatever it says, it is told in few characters on one line, and takes no time', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 2000 }), (agent) => {
        const { program } = clientOf(agent)
        expect(program === null || (program.length <= 40 && !/[\r\n]/.test(program))).toBe(true)
      }),
    )
    for (const hostile of ['('.repeat(1e6), 'a/'.repeat(1e6), ' '.repeat(1e6), 'Mozilla/5.0 '.repeat(1e5)])
      clientOf(hostile)
  })
})

describe('who opened a letter', () => {
  const open = (at: number, agent: string, more: Partial<Response> = {}): Response => ({
    kind: 'open',
    at,
    agent,
    ...more,
  })
  const hour = 3_600_000
  test('a robot, and what fetches ahead, are machines whenever they come; each with the reason', () => {
    const all = [
      open(hour, 'Harbourbot/1.0'),
      open(2 * hour, 'Mozilla/5.0'),
      open(3 * hour, 'Gullmail/3.1'),
      open(2000, 'Gullmail/3.1'),
    ]
    expect([...automaticOnes(0, all)].map(([r, why]) => [r.at, why])).toEqual([
      [2000, 'quick'],
      [hour, 'robot'],
      [2 * hour, 'ahead'],
    ])
    expect(heardOf(0, all)).toMatchObject({
      byMachine: 'robot',
      firsts: { opened: 3 * hour },
      seen: { program: 'Gullmail', device: null, proxy: false, country: null },
    })
    expect(heardOf(0, all.slice(0, 2))).toMatchObject({ outcome: null, seen: null, firsts: { opened: null } })
  })
  test('several links within seconds are a burst, whoever follows them', () => {
    const clicks: Response[] = [0, 1, 2].map((link) => ({
      kind: 'click',
      at: hour + link * 100,
      link,
      agent: 'Gullmail/3.1',
    }))
    expect([...automaticOnes(0, clicks).values()]).toEqual(['burst', 'burst', 'burst'])
    expect(heardOf(0, clicks).followed).toEqual([])
    const person = clicks.map((one) => ({ ...one, at: hour + one.link! * hour }))
    expect(heardOf(0, [...person, ...person]).followed).toEqual([0, 1, 2])
  })
  test('a proxy tells nothing: what tells more counts, whenever it came', () => {
    const all = [
      open(hour, 'QuayMailProxy', { country: 'DE' }),
      open(2 * hour, 'Gullmail/3.1 (X11; Linux)', { country: 'GB' }),
    ]
    expect(heardOf(0, all).seen).toEqual({ program: 'Gullmail', device: 'computer', proxy: false, country: 'GB' })
    expect(heardOf(0, all.slice(0, 1)).seen).toEqual({ program: null, device: null, proxy: true, country: 'DE' })
  })
})
