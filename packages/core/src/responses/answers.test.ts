import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { compileTyped } from '../letter/typedText.ts'
import { answerSubject, answerText, quotedText, threadOf } from './answers.ts'
import { withoutQuotes } from './quotes.ts'

describe('an answer', () => {
  test('has one “Re:” before its subject, and one line', () => {
    expect(answerSubject('Your berth')).toBe('Re: Your berth')
    expect(answerSubject('RE: Your berth')).toBe('RE: Your berth')
    expect(answerSubject('Your\r\nBcc: x@y.example berth')).toBe('Re: Your Bcc: x@y.example berth')
  })
  // RFC 3676, section 4.5: a sign before each line; what is quoted already gets one more.
  test('quotes each line behind a sign, whatever it is', () => {
    expect(quotedText({ from: 'Ada <a@b.example>', at: 'Fri 27 Nov 09:00', text: 'One\n\n> two\nthree ' })).toBe(
      'On Fri 27 Nov 09:00 Ada <a@b.example> wrote:\n> One\n>\n>> two\n> three\n',
    )
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 300 }), (text) => {
        const [, ...lines] = quotedText({ from: 'x', at: 'y', text }).trimEnd().split('\n')
        expect(lines.every((line) => line.startsWith('>'))).toBe(true)
      }),
    )
  })
  test('of a long text quotes the beginning, and says so', () => {
    const quoted = quotedText({ from: 'x', at: 'y', text: 'word '.repeat(10_000) })
    expect(quoted.length).toBeLessThan(21_000)
    expect(quoted).toContain('> (What follows was left out.)')
  })
  // RFC 3676, section 4.3: the line before a signature is two hyphens and a space.
  test('has its words first, the signature behind its line, and what it quotes last', () => {
    expect(answerText(' Yes. ', 'Ada\nHarbour Office', 'On … wrote:\n> so?\n')).toBe(
      'Yes.\n\n-- \nAda\nHarbour Office\n\nOn … wrote:\n> so?\n',
    )
    expect(answerText('Yes.', '', '')).toBe('Yes.\n')
  })
  test('is read back without what it quotes by our own reader of answers', () => {
    const quoted = quotedText({ from: 'Ada <a@b.example>', at: '27 Nov 2026 09:00', text: 'May I come?\nAda' })
    expect(withoutQuotes(answerText('Yes, on Friday.', '', quoted)).trim()).toBe('Yes, on Friday.')
  })
  // RFC 5322, section 3.6.4: References is those of the thread, and the one that is answered last.
  test('names its thread: the letter, and what it answers where that has a name', () => {
    expect(threadOf('<l@x>', '<a@y>')).toEqual({ inReplyTo: '<a@y>', references: ['<l@x>', '<a@y>'] })
    expect(threadOf('<l@x>', null)).toEqual({ inReplyTo: '<l@x>', references: ['<l@x>'] })
    expect(threadOf('<l@x>', 'choice:abc')).toEqual({ inReplyTo: '<l@x>', references: ['<l@x>'] })
    expect(threadOf('<l@x>', '<a@y>\r\nBcc: z@z.example')).toEqual({ inReplyTo: '<l@x>', references: ['<l@x>'] })
  })
})

describe('a text with fields', () => {
  const columns = [
    { id: 'c1', name: 'Name', kind: 'text' as const },
    { id: 'c2', name: 'Berth', kind: 'text' as const },
  ]
  const row = (name: string, berth: string) => ({ id: 1, position: 'a', cells: { c1: name, c2: berth } })
  test('reads for a row; what is blank there, and what is of no column, is named', () => {
    const typed = compileTyped('Dear {{name}}, berth {{Berth}} is yours. {{Quay}} {{Berth, or "none"}}', columns)
    expect(typed.unknown).toEqual(['Quay'])
    expect(typed.of(row('Ada', 'B1'))).toEqual({ text: 'Dear Ada, berth B1 is yours.  B1', blank: ['Quay'] })
    expect(typed.of(row('', ''))).toEqual({ text: 'Dear , berth  is yours.  none', blank: ['Name', 'Berth', 'Quay'] })
  })
})
