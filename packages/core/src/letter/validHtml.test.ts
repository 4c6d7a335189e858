import fc from 'fast-check'
import { HtmlValidate } from 'html-validate/node'
import { describe, expect, test } from 'vitest'
import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import type { Block, Letter } from './document.ts'
import { readHtml } from './html.ts'
import { compileLetter } from './merge.ts'
import { startingLetters } from './startingLetters.ts'

// html-validate, by the standard of WHATWG. What mail programs need and the standard has given up is let through, each for its reason.
const validator = new HtmlValidate({
  extends: ['html-validate:recommended'],
  rules: {
    // Mail programs read styles of elements only, and know old attributes of tables.
    'no-inline-style': 'off',
    'no-deprecated-attr': 'off',
    // A table body that is not written is there all the same (HTML, 4.9.5).
    'prefer-tbody': 'off',
    // The letter's subject is its title.
    'element-required-content': 'off',
    // How it is written down, not what it is.
    'doctype-style': 'off',
    // Two columns stand side by side in programs that know tables only.
    'no-conditional-comment': 'off',
  },
})
const faultsOf = async (html: string) =>
  (await validator.validateString(html)).results.flatMap((r) =>
    r.messages.map((m) => `${m.ruleId}: ${m.message} at ${html.slice(Math.max(0, m.offset - 40), m.offset + 40)}`),
  )

const columns: Column[] = [
  { id: 'c1', name: 'Name', kind: 'text' },
  { id: 'c2', name: 'Page', kind: 'text' },
  { id: 'c3', name: 'Fee', kind: 'amount' },
]
const row = (c1: string, c2 = 'https://quay.example/a?b=1&c=2', c3 = '£7.50'): Row => ({
  id: 1,
  position: 'a0',
  cells: { c1, c2, c3 },
})
const every: Block[] = [
  { type: 'heading', attrs: { level: 2 }, content: [{ type: 'text', text: 'A & B' }] },
  {
    type: 'paragraph',
    content: [
      { type: 'text', text: 'Dear ' },
      {
        type: 'field',
        attrs: { column: 'Name', standIn: null, format: null, letterCase: null },
        marks: [{ type: 'bold' }],
      },
      { type: 'hardBreak' },
      { type: 'text', text: 'see', marks: [{ type: 'link', attrs: { href: '{{Page}}' } }, { type: 'italic' }] },
      { type: 'text', text: 'red', marks: [{ type: 'textStyle', attrs: { color: '#aa0000' } }, { type: 'highlight' }] },
    ],
  },
  { type: 'band', attrs: { color: '#0b5a5e' }, content: [{ type: 'text', text: 'Band' }] },
  { type: 'button', attrs: { href: '{{Page}}' }, content: [{ type: 'text', text: 'Go' }] },
  { type: 'image', attrs: { src: 'data:image/png;base64,AA==', alt: 'Plan of {{Name}}', width: 200 } },
  { type: 'horizontalRule' },
  {
    type: 'bulletList',
    content: [
      { type: 'listItem', content: [{ type: 'paragraph', content: [{ type: 'text', text: 'one' }] }] },
      { type: 'listItem', content: [{ type: 'paragraph', content: [{ type: 'text', text: 'two' }] }] },
    ],
  },
  {
    type: 'table',
    content: [
      {
        type: 'tableRow',
        content: [
          { type: 'tableHeader', content: [{ type: 'paragraph', content: [{ type: 'text', text: 'H' }] }] },
          { type: 'tableCell', content: [{ type: 'paragraph', content: [{ type: 'text', text: 'C' }] }] },
        ],
      },
    ],
  },
  { type: 'rowsTable', attrs: { columns: ['Name', 'Fee'], totals: ['Fee'] } },
  { type: 'signature' },
  { type: 'personalNote' },
  { type: 'choices', attrs: { choices: ['Yes & no', '<b>', '"so"'] } },
] as Block[]
const letterOf = (content: Block[]): Letter => ({ subject: 'S', body: { type: 'doc', content } })

describe('the html of a letter is html (WHATWG, by html-validate)', () => {
  test('the validator finds what is wrong', async () => {
    expect(await faultsOf('<!doctype html><html lang="en"><body><p><div></p></body></html>')).not.toEqual([])
    expect(await faultsOf('<!doctype html><html lang="en"><body><img src="x"></body></html>')).not.toEqual([])
  })
  test.each(every.map((block) => [block.type, block] as const))('%s', async (_, block) => {
    const compiled = compileLetter(letterOf([block]), columns, { signature: 'Ada\nHarbour Office', optOut: true })
    for (const person of [row('Ada'), row(''), row('<b>&"\''), row('Ada', '')])
      expect(await faultsOf(compiled.merge(person, [person], 'A note\n\nof two').html)).toEqual([])
  })
  test.each(startingLetters.map((one) => [one.name, one.letter] as const))('the letter “%s”', async (_, letter) => {
    expect(await faultsOf(compileLetter(letter, columns, {}).merge(row('Ada')).html)).toEqual([])
  })
  test('whatever stands in the cells, and whatever html was brought in', async () => {
    const all = compileLetter(letterOf(every), columns, { signature: 'A' })
    await fc.assert(
      fc.asyncProperty(fc.string({ unit: 'grapheme' }), fc.string({ unit: 'grapheme' }), async (name, page) => {
        expect(await faultsOf(all.merge(row(name, page)).html)).toEqual([])
      }),
      { numRuns: 30 },
    )
    const hostile = [
      '<p>a<table><tr><td>b</p></table><ul><p>c</ul>',
      '<h1><h2>x</h1></h2><a href="javascript:x">y<a href="https://quay.example">z</a></a>',
      '<b><p>bold</b> not</p><img src=x onerror=1><div><li>loose',
    ]
    for (const html of hostile) {
      const { body } = readHtml(html)
      expect(await faultsOf(compileLetter({ subject: '', body }, columns, {}).merge(row('Ada')).html)).toEqual([])
    }
  })
})
