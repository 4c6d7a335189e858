import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { bareSubject, type Candidate, foundBy, propose } from './match.ts'

describe('a subject without what mail programs put before it', () => {
  test.each([
    ['Re: Your berth', 'Your berth', true],
    ['RE: AW: Antw: Your berth', 'Your berth', true],
    ['Re[2]: Your berth', 'Your berth', true],
    ['AW (3): Your berth', 'Your berth', true],
    ['TR : Your berth', 'Your berth', true],
    ['Automatic reply: Your berth', 'Your berth', true],
    ['Automatische Antwort: Your berth', 'Your berth', true],
    ['Réponse automatique : Your berth', 'Your berth', true],
    ['Odp: Your  \t berth', 'Your berth', true],
    ['Your berth', 'Your berth', false],
    ['Reminder: your berth', 'Reminder: your berth', false],
    ['Berth 12: repairs', 'Berth 12: repairs', false],
  ])('%s', (subject, bare, answers) => {
    expect(bareSubject(subject)).toEqual({ subject: bare, answers })
  })
  test('taking it away twice takes away no more, and it ends on any text', () => {
    const part = fc.constantFrom('Re: ', 'AW:', 'Fwd:', ' ', 'R:', 'berth', ': ', 'I:')
    fc.assert(
      fc.property(fc.array(part, { maxLength: 8 }), (parts) => {
        const once = bareSubject(parts.join(''))
        expect(bareSubject(once.subject).subject).toBe(once.subject)
      }),
    )
  })
})

const letter = (id: number, more: Partial<Candidate> = {}): Candidate => ({
  id,
  address: `person${id}@village.example`,
  also: [],
  person: `Person ${['Ada', 'Bram', 'Cy', 'Dot'][id % 4]} Penrose`,
  subject: 'Your berth next season',
  sentAt: id,
  ...more,
})
const mail = (more: object = {}) => ({
  from: { name: '', address: 'somebody@elsewhere.example' },
  subject: 'Re: Your berth next season',
  returned: null,
  ...more,
})
const three = [letter(1), letter(2), letter(3)]

describe('which letter mail without headers may belong to', () => {
  test('the one to its sender with its subject; the latest of several', () => {
    const from = { name: '', address: 'Person2@Village.example' }
    expect(propose(mail({ from }), three)).toEqual({ letter: three[1], by: 'senderSubject' })
    const again = letter(2, { sentAt: 90 })
    expect(propose(mail({ from }), [...three, again])?.letter).toBe(again)
    // Without “Re:”: the sender is known all the same.
    expect(propose(mail({ from, subject: 'your BERTH next season' }), three)?.by).toBe('senderSubject')
  })
  test('one of another subject, or of none, is none', () => {
    const from = { name: '', address: 'person2@village.example' }
    for (const subject of ['Re: The regatta', '', 'Re:', 'Re: Your berth'])
      expect(propose(mail({ from, subject }), three)).toBeNull()
  })
  test('an address that was taught finds its person', () => {
    const taught = letter(4, { also: ['somebody@elsewhere.example'] })
    expect(propose(mail(), [...three, taught])).toEqual({ letter: taught, by: 'senderSubject' })
  })
  test('a name that only one of them has', () => {
    const from = { name: 'person cy  PENROSE', address: 'cy@home.example' }
    expect(propose(mail({ from }), three)).toEqual({ letter: three[1], by: 'nameSubject' })
    const namesake = letter(6, { person: three[1].person })
    expect(propose(mail({ from }), [...three, namesake])).toBeNull()
  })
  test('a subject that only one letter has, if it is answered and long enough to tell', () => {
    expect(propose(mail(), [three[0]])?.by).toBe('subjectOnly')
    expect(propose(mail(), three)).toBeNull()
    expect(propose(mail({ subject: 'Your berth next season' }), [three[0]])).toBeNull()
    expect(propose(mail({ subject: 'Re: Hello' }), [letter(1, { subject: 'Hello' })])).toBeNull()
  })
  test('returned mail by whom it names: certain with the letter’s subject, else proposed', () => {
    const returned = (text: string) =>
      mail({ subject: 'failure notice', returned: { named: ['person3@village.example'], text } })
    expect(propose(returned('> Subject: Your berth next season'), three)).toEqual({ letter: three[2], by: 'names' })
    expect(propose(returned('no such user'), three)).toEqual({ letter: three[2], by: 'addressOnly' })
    expect(propose(mail({ returned: { named: ['nobody@village.example'], text: '' } }), three)).toBeNull()
  })
  test('it is never another than one of those given, and nobody is certain by sender, name or subject', () => {
    const one = fc.record({
      id: fc.nat(50),
      address: fc.constantFrom('a@x.example', 'b@x.example'),
      also: fc.constantFrom([], ['c@x.example']),
      person: fc.constantFrom('Ada', 'Bram'),
      subject: fc.constantFrom('Your berth again', 'Rents', ''),
      sentAt: fc.nat(9),
    })
    const some = fc.record({
      from: fc.record({
        name: fc.constantFrom('Ada', ''),
        address: fc.constantFrom('a@x.example', 'c@x.example', 'd@x.example'),
      }),
      subject: fc.constantFrom('Re: Your berth again', 'Your berth again', 'Rents', 'Fwd: Rents', ''),
      returned: fc.constant(null),
    })
    fc.assert(
      fc.property(some, fc.array(one, { maxLength: 6 }), (stray, candidates) => {
        const found = propose(stray, candidates)
        if (found === null) return
        expect(candidates).toContain(found.letter)
        expect(foundBy[found.by].certain).toBe(false)
        expect(bareSubject(stray.subject).subject.toLowerCase()).toBe(found.letter.subject.toLowerCase())
      }),
    )
  })
})
