import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { Letter } from '../letter/document.ts'
import { daysInLetter, withOtherWords } from './nextTime.ts'

const at = Date.UTC(2026, 10, 16, 9)
const letter: Letter = {
  subject: 'Your permit for {{Boat}}, season 2027',
  firstLine: 'Due on 31 January 2027',
  body: {
    type: 'doc',
    content: [
      {
        type: 'paragraph',
        content: [
          { type: 'text', text: 'The fee is due on ' },
          { type: 'text', text: '31 January 2027', marks: [{ type: 'bold' }] },
          { type: 'text', text: '. Berth 20271 stays; come next Tuesday, or by 12 December.' },
        ],
      },
      {
        type: 'bulletList',
        content: [
          { type: 'listItem', content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Rules of 2026' }] }] },
        ],
      },
      { type: 'choices', attrs: { choices: ['I come on 3 March 2027', 'I do not'] } },
    ],
  },
}

describe('days in a letter', () => {
  test('are found in subject, first line, words and choices, each once, with the next year', () => {
    expect(daysInLetter(letter, at, 'Europe/London')).toEqual([
      { words: '2027', day: null, next: '2028' },
      { words: 'on 31 January 2027', day: '2027-01-31', next: 'on 31 January 2028' },
      { words: '31 January 2027', day: '2027-01-31', next: '31 January 2028' },
      { words: 'next Tuesday', day: '2026-11-24', next: 'next Tuesday' },
      { words: '12 December', day: '2026-12-12', next: '12 December' },
      { words: '2026', day: null, next: '2027' },
      { words: 'on 3 March 2027', day: '2027-03-03', next: 'on 3 March 2028' },
    ])
  })

  test('are put in their places, and nothing else is changed', () => {
    const days = daysInLetter(letter, at, 'Europe/London')
    const next = withOtherWords(
      letter,
      days.map(({ words, next }) => ({ words, to: words === 'next Tuesday' ? 'on Friday' : next })),
    )
    expect(JSON.stringify(next)).toBe(
      JSON.stringify(letter)
        .replace('season 2027', 'season 2028')
        .replaceAll('31 January 2027', '31 January 2028')
        .replace('next Tuesday', 'on Friday')
        .replace('Rules of 2026', 'Rules of 2027')
        .replace('3 March 2027', '3 March 2028'),
    )
    // A run in bold by itself is changed by itself.
    expect(
      JSON.stringify(withOtherWords(letter, [{ words: '31 January 2027', to: '1 February 2028' }]).body),
    ).toContain('"1 February 2028","marks":[{"type":"bold"}]')
    // Each is looked up once: what was put there is not changed again.
    expect(
      withOtherWords({ ...letter, subject: '2026 2027' }, [
        { words: '2026', to: '2027' },
        { words: '2027', to: '2028' },
      ]).subject,
    ).toBe('2027 2028')
  })

  test('fields stay what they are, whatever is put beside them', () => {
    fc.assert(
      fc.property(fc.string(), fc.string({ maxLength: 20 }), (words, to) => {
        const { subject } = withOtherWords({ ...letter, subject: 'For {{Boat}} of {{Name|friend}}' }, [{ words, to }])
        expect(subject).toContain('{{Boat}}')
        expect(subject).toContain('{{Name|friend}}')
      }),
    )
  })
})
