import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { readIncoming, saidOf } from './incoming.ts'
import {
  formsOf,
  isHard,
  looksReturned,
  readPlainReturn,
  reasonOf,
  reasonOfWords,
  returnReasons,
} from './plainReturns.ts'

const languages = ['English', 'German', 'French', 'Spanish', 'Italian', 'Dutch', 'Portuguese', 'Swedish']
const forms = returnReasons.flatMap((reason) =>
  formsOf(reason).flatMap((list, i) => list.map((form) => [reason, languages[i], form] as const)),
)

// What hosts say instead of a report, one sentence for each form; made up for this, with the common forms of such sentences in them.
describe('each form of a sentence gives its reason', () => {
  test('every reason has forms in all eight languages', () => {
    for (const reason of returnReasons) expect(formsOf(reason)).toHaveLength(languages.length)
  })
  test.each(forms)('%s, in %s: “%s”', (reason, _language, form) => {
    expect(reasonOfWords(`<ada.penrose@quay.example>: ${form}.`)).toBe(reason)
    const shouted = `<ADA.PENROSE@QUAY.EXAMPLE>:\r\n  ${form.toUpperCase()}!`
    expect(reasonOfWords(shouted)).toBe(reason)
  })
  test('what says nothing of the kind gives none', () => {
    for (const text of ['', 'Thank you, all in order.', 'Yours, Ada', 'The boat is moored at B12.'])
      expect(reasonOfWords(text)).toBeNull()
  })
})

const whole: [
  name: string,
  subject: string,
  text: string,
  expected: Partial<ReturnType<typeof readPlainReturn> & object>,
][] = [
  [
    'no such mailbox, with a code in the sentence',
    'Undelivered Mail Returned to Sender',
    'I am the mail program at host quay.example. I could not deliver your message.\n\n<ada@quay.example>: host mx.quay.example said: 550 5.1.1 <ada@quay.example>: Recipient address rejected: User unknown',
    { kind: 'bounce', status: '5.1.1', reason: 'unknown' },
  ],
  [
    'no such mailbox, in words alone',
    'failure notice',
    'Hi. This is the mail program at quay.example.\n\n<ada@quay.example>:\nSorry, no mailbox here by that name.',
    { kind: 'bounce', status: '5.1.1', reason: 'unknown', words: 'Sorry, no mailbox here by that name.' },
  ],
  [
    'a full mailbox, in words alone, comes back for a while only',
    'Unzustellbar: Ihr Liegeplatz',
    'Ihre Nachricht an ada@quay.example konnte nicht zugestellt werden.\nDas Postfach ist voll.',
    { kind: 'bounce', status: '4.2.2', reason: 'full', words: 'Das Postfach ist voll.' },
  ],
  [
    'a full mailbox with a code of what lasts is one that lasts',
    'Undeliverable: Your berth',
    'ada@quay.example: 552 5.2.2 mailbox full',
    { kind: 'bounce', status: '5.2.2', reason: 'full' },
  ],
  [
    'a warning that it goes on trying is a delay, whatever its code',
    'Delivery delayed',
    'Delivery is delayed to these recipients: ada@quay.example\n4.4.1 connection timed out\nThe server will keep trying for 2 days.',
    { kind: 'delayed', status: '4.4.7', reason: 'delayed' },
  ],
  [
    'one that has given up is returned, and not late',
    'Delivery failed',
    'Your message could not be delivered for 5 days.\nDelivery has been delayed before; giving up.',
    { kind: 'bounce', status: '5.4.7', reason: 'timedOut' },
  ],
  [
    'an old code by itself',
    'Mail delivery failed',
    'ada@quay.example\n  host mx.quay.example: 550 "We do not like you"',
    { kind: 'bounce', status: '5.0.0', reason: null },
  ],
  ['no words that are known', 'Returned mail', 'It came back.', { kind: 'bounce', status: '5.0.0', reason: null }],
]
test.each(whole)('%s', (_name, subject, text, expected) => {
  expect(readPlainReturn(subject, text)).toMatchObject(expected)
})

describe('hard and soft', () => {
  // RFC 3463, section 2: class 2 success, 4 persistent transient failure, 5 permanent failure.
  test('are told apart by the class of the status', () => {
    expect(['5.1.1', '5.2.2', '5.0.0'].map(isHard)).toEqual([true, true, true])
    expect(['4.2.2', '4.4.7', '4.0.0'].map(isHard)).toEqual([false, false, false])
  })
  test('a status says the reason before any words do', () => {
    expect(reasonOf('5.1.1', 'mailbox full')).toBe('unknown')
    expect(reasonOf('5.0.0', 'mailbox full')).toBe('full')
    expect(reasonOf('5.0.0', 'delivery is delayed')).toBe('timedOut')
    expect(reasonOf('5.9.9', 'so it is')).toBeNull()
  })
})

describe('what looks returned', () => {
  const signs = (more: object) => ({
    from: 'ada@quay.example',
    subject: 'Hello',
    returnPath: null,
    failedRecipients: null,
    ...more,
  })
  test('is from a host’s own name, names whom it failed, or comes from nobody with a subject that says so', () => {
    expect(looksReturned(signs({ from: 'MAILER-DAEMON@quay.example' }))).toBe(true)
    expect(looksReturned(signs({ from: 'postmaster@quay.example' }))).toBe(true)
    expect(looksReturned(signs({ failedRecipients: 'b@quay.example' }))).toBe(true)
    expect(looksReturned(signs({ returnPath: '<>', subject: 'Onbestelbaar: uw ligplaats' }))).toBe(true)
  })
  test('an automatic reply, which comes from nobody too, and a person’s “undeliverable” do not', () => {
    expect(looksReturned(signs({ returnPath: '<>', subject: 'Automatic reply: Your berth' }))).toBe(false)
    expect(looksReturned(signs({ subject: 'Undeliverable parcel at the gate' }))).toBe(false)
  })
})

describe('read as mail', () => {
  const raw = (head: string, text: string) =>
    new TextEncoder().encode(`${head}\nContent-Type: text/plain; charset=utf-8\n\n${text}`.replace(/\n/g, '\r\n'))
  test('it names whom it is about, and that person’s statement is made of it', async () => {
    const read = await readIncoming(
      raw(
        'Return-Path: <>\nFrom: Mail Delivery System <Mailer-Daemon@host.example>\nX-Failed-Recipients: ada@quay.example\nSubject: Mail delivery failed: returning message to sender',
        'A message that you sent could not be delivered:\n\n  ada@quay.example\n    no such user here\n\n------ This is a copy of the message ------\nMessage-ID: <abc@office.example>\nTo: ada@quay.example, bram@quay.example',
      ),
    )
    expect(read.kind).toBe('bounce')
    expect(read.names.messageIds).toEqual(['<abc@office.example>'])
    expect(read.names.addresses[0]).toBe('ada@quay.example')
    expect(saidOf(read, { address: 'Ada@quay.example', copies: ['bram@elsewhere.example'] })).toEqual([
      { of: 'person', kind: 'bounce', address: 'ada@quay.example', status: '5.1.1', words: 'no such user here' },
    ])
    // An address that is named twice is one, however it is written.
    const twice = { ...read, names: { ...read.names, addresses: ['ada@quay.example', 'ADA@quay.example.'] } }
    expect(saidOf(twice, { address: 'ada@quay.example', copies: [] })).toHaveLength(1)
    // Named is only who has a copy: it is about them.
    expect(
      saidOf(read, { address: 'cy@quay.example', copies: ['bram@quay.example'] }).map((s) => [s.of, s.address]),
    ).toEqual([['copy', 'bram@quay.example']])
    // It names nobody that the letter went to, as where a host forwarded it: then it is about the person.
    expect(saidOf(read, { address: 'cy@quay.example', copies: [] })).toMatchObject([
      { of: 'person', address: 'cy@quay.example' },
    ])
  })
  test('an automatic reply of a host’s own name that says nothing of delivery stays one', async () => {
    const read = await readIncoming(
      raw('From: postmaster@quay.example\nAuto-Submitted: auto-replied\nSubject: Opening hours', 'We open at nine.'),
    )
    expect([read.kind, read.plain]).toEqual(['automatic', null])
  })
  test('whatever it is made of, reading it ends, and a statement is about somebody', async () => {
    const words = fc.constantFrom(
      '550',
      '5.1.1',
      '<',
      '>',
      '@',
      'ada@quay.example',
      'mailbox full',
      '\n',
      ' ',
      'über',
      '----',
      'Message-ID: <a@b>',
    )
    await fc.assert(
      fc.asyncProperty(fc.array(words, { maxLength: 200 }), async (some) => {
        const read = await readIncoming(raw('From: mailer-daemon@x.example\nSubject: Returned mail', some.join('')))
        for (const said of saidOf(read, { address: 'ada@quay.example', copies: [] })) expect(said.of).toBe('person')
      }),
      { numRuns: 60 },
    )
  })
})
