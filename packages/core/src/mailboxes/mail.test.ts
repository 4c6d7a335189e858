import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { headerLine, longestLine, oneLine } from './mail.ts'

describe('a header as a person reads it', () => {
  // RFC 2047, section 8: the printed table of encoded-words and what is displayed for each, and the printed Subject.
  test.each([
    ['=?ISO-8859-1?Q?a?=', 'a'],
    ['=?ISO-8859-1?Q?a?= b', 'a b'],
    ['=?ISO-8859-1?Q?a?= =?ISO-8859-1?Q?b?=', 'ab'],
    ['=?ISO-8859-1?Q?a?=  =?ISO-8859-1?Q?b?=', 'ab'],
    ['=?ISO-8859-1?Q?a?=\r\n    =?ISO-8859-1?Q?b?=', 'ab'],
    ['=?ISO-8859-1?Q?a_b?=', 'a b'],
    ['=?ISO-8859-1?Q?a?= =?ISO-8859-2?Q?_b?=', 'a b'],
    [
      '=?ISO-8859-1?B?SWYgeW91IGNhbiByZWFkIHRoaXMgeW8=?=\r\n    =?ISO-8859-2?B?dSB1bmRlcnN0YW5kIHRoZSBleGFtcGxlLg==?=',
      'If you can read this you understand the example.',
    ],
  ])('%j', (written, shown) => {
    expect(headerLine(`To: x\r\nSubject: ${written}\r\nFrom: y\r\n`, 'subject')).toBe(shown)
  })

  test('the name is looked for whatever its capitals, whole, and the first counts', () => {
    const head = 'X-Subject: no\r\nsUBJECT: yes\r\nSubject: later\r\n'
    expect(headerLine(head, 'Subject')).toBe('yes')
    expect(headerLine(head, 'Sub')).toBe('')
    expect(headerLine('', 'Subject')).toBe('')
  })

  test('whatever is folded or encoded into it, it is one line that is not too long (RFC 5322, sections 2.1.1 and 2.2)', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 4000 }), (text) => {
        const encoded = `=?utf-8?B?${Buffer.from(text, 'utf8').toString('base64')}?=`
        for (const line of [oneLine(text), headerLine(`Subject: ${encoded}\r\n`, 'subject')]) {
          expect(line).not.toMatch(/[\p{Cc}\p{Zl}\p{Zp}]/u)
          expect(line.length).toBeLessThanOrEqual(longestLine)
          expect(line).toBe(line.trim())
        }
      }),
    )
  })
})
