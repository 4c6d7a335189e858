import fc from 'fast-check'
import Handlebars from 'handlebars'
import { Parser } from 'htmlparser2'
import { describe, expect, test } from 'vitest'
import type { Cell, Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { letterCases } from '../people/recipes.ts'
import type { Letter } from './document.ts'
import { parseTemplate, type Segment, serializeTemplate } from './field.ts'
import { cellWriter, dateFormat, numberFormat } from './format.ts'
import { readHtml } from './html.ts'
import { draftingMarks, marksOf, nearestName, swapMark } from './marks.ts'
import { compileLetter } from './merge.ts'

const column = (name: string, kind: Column['kind'] = 'text', id = 'c1'): Column => ({ id, name, kind })
const row = (...cells: Cell[]): Row => ({
  id: 1,
  position: '',
  number: 1,
  cells: Object.fromEntries(cells.map((cell, i) => [`c${i + 1}`, cell])),
})
const letter = (subject: string, html: string): Letter => ({ subject, body: readHtml(html).body })
const textOf = (html: string) => {
  let text = ''
  const parser = new Parser({
    ontext(t) {
      text += t
    },
    onopentag(tag) {
      if (tag === 'br') text += '\n'
    },
  })
  parser.end(html)
  return text
}
/** One line of any text, as a cell may hold it. */
const anyText = fc
  .string({ unit: 'grapheme', maxLength: 40 })
  .map((s) => s.replace(/[\0\r\n\t]/g, ''))
  .filter((s) => s.trim() !== '')

describe('typed fields', () => {
  const field = fc.record({
    column: fc.oneof(anyText, fc.constantFrom('“', 'a”b', '\\', 'or "x"')).map((s) => s.trim()),
    standIn: fc.option(anyText),
    format: fc.option(fc.constantFrom('d MMMM yyyy', '#,##0.00', 'x "y" \\z')),
    letterCase: fc.option(fc.constantFrom(...letterCases)),
  })
  test('printing and parsing are inverse, whatever stands in a name', () => {
    // Words between fields have no braces: those would be drafting marks.
    const words = fc.string({ minLength: 1 }).filter((s) => !/[{}]/.test(s))
    fc.assert(
      fc.property(fc.array(fc.tuple(words, field)), (pairs) => {
        const segments: Segment[] = pairs.flat()
        expect(parseTemplate(serializeTemplate(segments))).toEqual(segments)
      }),
    )
  })
  test.each([
    ['{{First name}}', { column: 'First name', standIn: null, format: null, letterCase: null }],
    ['{{First name, or "neighbour"}}', { column: 'First name', standIn: 'neighbour', format: null, letterCase: null }],
    [
      '{{ Due date , as “d MMMM yyyy” }}',
      { column: 'Due date', standIn: null, format: 'd MMMM yyyy', letterCase: null },
    ],
    ['{{"the \\“old\\” berth"}}', { column: 'the “old” berth', standIn: null, format: null, letterCase: null }],
    ['{{"A, B", or "x", as "0"}}', { column: 'A, B', standIn: 'x', format: '0', letterCase: null }],
    ['{{Boat, in title capitals}}', { column: 'Boat', standIn: null, format: null, letterCase: 'title' }],
  ])('reads %s', (template, expected) => expect(parseTemplate(template)).toEqual([expected]))
  test.each(['{{', '{{}}', '{{a', '{{a}', '{{a, or}}', '{{a, or x}}', '{{a, in pink}}', '{ {a}}'])(
    'leaves %s as it stands',
    (text) => {
      expect(serializeTemplate(parseTemplate(text))).toBe(text)
      expect(parseTemplate(text)).toEqual([text])
    },
  )
})

describe('merge', () => {
  test('any text in a cell comes out as that text in html, unchanged in plain text, and on one line in the subject', () => {
    const compiled = compileLetter(letter('S {{A}} E', '<p>Before {{A}} after</p>'), [column('A')])
    fc.assert(
      fc.property(anyText, (value) => {
        const { html, text, subject } = compiled.merge(row(value))
        expect(textOf(html)).toContain(`Before ${value.trim()} after`)
        expect(text).toContain(`Before ${value.trim()} after`)
        expect(subject).toBe(`S ${value.trim()} E`)
      }),
    )
  })
  test('line ends in a cell never leave the subject', () => {
    const compiled = compileLetter(letter('{{A}}', '<p>x</p>'), [column('A')])
    fc.assert(
      fc.property(fc.string({ unit: fc.constantFrom('a', ' ', '\r', '\n', ':', '\t') }), (value) => {
        expect(compiled.merge(row(value)).subject).not.toMatch(/[\r\n]/)
      }),
    )
  })
  test('a letter without fields is the same for everybody', () => {
    const compiled = compileLetter(letter('Hello', '<p>Dear all, <b>come</b>.</p>'), [column('A')])
    fc.assert(
      fc.property(anyText, anyText, (a, b) => {
        expect(compiled.merge(row(a))).toEqual(compiled.merge(row(b)))
      }),
    )
  })
  test.each([
    ['<p>Dear {{A}},</p>', 'Dear,\n'],
    ['<p>{{A}} and more</p>', 'and more\n'],
    ['<p>in {{A}} harbour</p>', 'in harbour\n'],
    ['<p>end {{A}}</p>', 'end\n'],
    ['<p>the {{A, or "old"}} quay.</p>', 'the old quay.\n'],
  ])('a blank leaves no scar: %s', (html, text) => {
    expect(compileLetter(letter('', html), [column('A')]).merge(row('')).text).toBe(text)
  })
  test('columns are found by name, then without regard to case; others are named as unknown', () => {
    const compiled = compileLetter(letter('{{first NAME}}', '<p>{{First nme}}</p>'), [column('First name')])
    expect(compiled.unknown).toEqual(['First nme'])
    expect(compiled.merge(row('Ada')).subject).toBe('Ada')
    expect(nearestName('First nme', ['Last name', 'First name', 'Boat'])).toBe('First name')
    expect(nearestName('Chain', ['Berth', 'Boat'])).toBeNull()
  })
  test('says who has a blank without a stand-in', () => {
    const compiled = compileLetter(letter('{{A}} {{B, or "x"}}', '<p>{{A}}</p>'), [
      column('A'),
      column('B', 'text', 'c2'),
    ])
    expect(compiled.blanks(row('', ''))).toEqual(['A'])
    expect(compiled.blanks(row('a', ''))).toEqual([])
  })
  test('lists, headings, links and marks read well as plain text', () => {
    const html =
      '<h1>Rules</h1><ul><li>one <b>{{A}}</b></li><li>two</li></ul><ol><li>x</li><li>y</li></ol><p>See <a href="https://quay.example/r?a=1&amp;b=2">here</a>.</p>'
    const { text, html: made } = compileLetter(letter('', html), [column('A')]).merge(row('Ada'))
    expect(text).toBe('Rules\n\n- one Ada\n- two\n\n1. x\n2. y\n\nSee here (https://quay.example/r?a=1&b=2).\n')
    expect(made).toContain('<strong>Ada</strong>')
    expect(made).toContain('href="https://quay.example/r?a=1&amp;b=2"')
    expect(made).not.toMatch(/<script|<link|url\(/)
  })
  test('fills the same values as a general-purpose template library (handlebars)', () => {
    const compiled = compileLetter(letter('', '<p>Dear {{A}}, pay {{B}}.</p>'), [
      column('A'),
      column('B', 'text', 'c2'),
    ])
    const other = Handlebars.compile('Dear {{A}}, pay {{B}}.')
    fc.assert(
      fc.property(anyText, anyText, (a, b) => {
        const filled = textOf(other({ A: a.trim(), B: b.trim() }))
        expect(textOf(compiled.merge(row(a, b)).html)).toContain(filled)
      }),
    )
  })
})

describe('html read as a letter', () => {
  test('nothing that could run or be fetched is kept, and what was left out is said', () => {
    const read = readHtml(
      '<p onclick="x()">Hi <a href="javascript:alert(1)">there</a></p><script>alert(1)</script><img src="https://elsewhere.example/p.png"><iframe src="x"></iframe>',
    )
    expect(JSON.stringify(read.body)).not.toMatch(/script|onclick|elsewhere|iframe/)
    expect(read.removed.join(' ')).toMatch(/a script.*elsewhere.*a piece of another page/s)
    expect(read.body.content).toHaveLength(1)
  })
  test('broken nesting loses no words', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('<p>', '</p>', '<b>', '</b>', '<ul>', '<li>', '</ul>', '<h2>', 'word ')),
        (parts) => {
          const { body } = readHtml(parts.join(''))
          const words = JSON.stringify(body).match(/word/g)?.length ?? 0
          expect(words).toBe(parts.filter((p) => p === 'word ').length)
        },
      ),
    )
  })
})

describe('formats', () => {
  // Unicode Technical Standard #35, part 4 (Dates), section "Date Format Patterns": the printed example of a pattern.
  test('writes the example that UTS #35 prints', () => {
    expect(dateFormat("yyyy.MM.dd G 'at' HH:mm:ss")!('1996-07-10T15:08:56')).toBe('1996.07.10 AD at 15:08:56')
    expect(dateFormat("EEE, MMM d, ''yy")!('1996-07-10')).toBe("Wed, Jul 10, '96")
  })
  // UTS #35, part 3 (Numbers), section "Number Patterns": the printed examples for 1234.567 and its like.
  test.each([
    ['#,##0.##', 1234.567, '1,234.57'],
    ['#,##0.###', 1234.567, '1,234.567'],
    ['###0.#####', 1234.567, '1234.567'],
    ['###0.0000#', 1234.567, '1234.5670'],
    ['00000.0000', 1234.567, '01234.5670'],
    ['£#,##0.00', -1234.5, '-£1,234.50'],
  ])('number pattern %s writes %d as %s', (pattern, value, text) => expect(numberFormat(pattern)!(value)).toBe(text))
  test('a float of an amount is written as an amount, and a date as the pattern says', () => {
    expect(cellWriter(column('Fee', 'amount'), '£#,##0.00')({ shown: '1234.5', value: 1234.5 })).toBe('£1,234.50')
    expect(cellWriter({ ...column('Due', 'date'), dayFirst: true }, 'd MMMM yyyy')('07/04/2026')).toBe('7 April 2026')
    expect(cellWriter({ ...column('Due', 'date'), dayFirst: false }, 'd MMMM yyyy')('07/04/2026')).toBe('4 July 2026')
    expect(cellWriter(column('Due', 'date'), 'd MMMM yyyy')('soon')).toBe('soon')
  })
})

test('drafting marks are found, plain words are not', () => {
  expect(draftingMarks('By XXX on [date], <<name>> pays ____ or TBC, {{')).toEqual([
    'XXX',
    '[date]',
    '<<name>>',
    '____',
    'TBC',
    '{{',
  ])
  expect(draftingMarks('The XX club, footnote [1], a_b, TB')).toEqual([])
  expect(draftingMarks('one mark only: [XXX], <<TBC>>')).toEqual(['[XXX]', '<<TBC>>'])
})

describe('drafting marks are offered columns and swapped for fields', () => {
  const drafted = letter(
    'Your fee, [fist name]',
    '<p>Dear [fist name],</p><ul><li>berth XXX, pay <b>XXX</b> by [du<b>e date]</b>, {{Boat}} {{</li></ul>',
  )
  test('each once, with how often and the nearest column; what says nothing is offered none', () => {
    expect(marksOf(drafted, ['First name', 'Due date', 'XL'])).toEqual([
      { mark: '[fist name]', times: 2, near: 'First name' },
      { mark: 'XXX', times: 2, near: null },
      { mark: '[due date]', times: 1, near: 'Due date' },
    ])
  })
  test('in subject and body, in lists, across a change of format, formatted as the mark was', () => {
    const merged = (of: Letter) =>
      compileLetter(of, [column('First name'), column('Berth', 'text', 'c2'), column('Due date', 'text', 'c3')]).merge(
        row('Ada', 'A01', '1 May'),
      )
    const swapped = swapMark(
      swapMark(swapMark(drafted, '[fist name]', 'First name'), 'XXX', 'Berth'),
      '[due date]',
      'Due date',
    )
    expect(merged(swapped).subject).toBe('Your fee, Ada')
    expect(merged(swapped).text).toContain('Dear Ada,')
    expect(merged(swapped).text).toContain('berth A01, pay A01 by 1 May, {{Boat}} {{')
    expect(merged(swapped).html).toContain('berth A01, pay <strong>A01</strong> by 1 May, ')
    expect(marksOf(swapped, [])).toEqual([])
  })
  test('swapping changes nothing but the mark', () => {
    const words = fc.array(fc.constantFrom('a', ' ', 'XXX', '[name]', '{{Boat}}', '{{', '____', 'TBC', '\n'), {
      maxLength: 12,
    })
    fc.assert(
      fc.property(fc.array(words, { minLength: 1, maxLength: 3 }), (runs) => {
        const marked: Letter = {
          subject: '',
          body: {
            type: 'doc',
            content: [
              {
                type: 'paragraph',
                content: runs
                  .map((run) => run.join('').replace(/\n/g, ' '))
                  .filter((text) => text !== '')
                  .map((text, i) => ({ type: 'text', text, ...(i % 2 ? { marks: [{ type: 'bold' }] } : {}) })),
              },
            ],
          },
        }
        for (const { mark } of marksOf(marked, [])) {
          const written = compileLetter(swapMark(marked, mark, 'Mark'), [column('Mark')]).merge(row(mark))
          expect(written.text).toBe(compileLetter(marked, []).merge(row()).text)
        }
      }),
    )
  })
})
