import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { noMatching } from '../enclosures/match.ts'
import { readHtml } from '../letter/html.ts'
import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { nothingAround } from './check.ts'
import { type RoundToProof, readingSetOf } from './proof.ts'
import { cover } from './readingSet.ts'

const columns: Column[] = ['Name', 'Email', 'Boat', 'Area'].map((name, i) => ({ id: `c${i}`, name, kind: 'text' }))
const row = (id: number, ...cells: string[]): Row => ({
  id,
  position: '',
  number: id,
  cells: Object.fromEntries(cells.flatMap((cell, i) => (cell === '' ? [] : [[`c${i}`, cell]]))),
})
const round = (people: Row[]): RoundToProof => ({
  letter: {
    subject: 'S',
    body: {
      type: 'doc',
      content: [
        ...readHtml('<p>Dear {{Name}}, {{Boat, or "your boat"}}</p>').body.content,
        {
          type: 'passage',
          attrs: { selection: { match: 'all', rules: [{ column: 'Area', comparison: 'is', value: 'A' }] } },
          content: [{ type: 'paragraph', content: [{ type: 'text', text: 'in' }] }],
        },
      ],
    },
  },
  columns,
  people,
  rowsOf: new Map(),
  leftOut: [],
  paper: null,
  madeFiles: null,
  sameAddress: null,
  anyDoubled: true,
  addressColumn: 'c1',
  nameColumns: ['c0'],
  matching: noMatching,
  fileFacts: new Map(),
  around: nothingAround,
  files: [],
  making: { today: '2026-11-02' },
  notes: new Map(),
  copies: { cc: [], bcc: [], replyTo: [] },
  pictureSizes: [],
  largestMessage: 1e9,
})

describe('the reading set', () => {
  test('shows every passage in and out, stand-ins, extremes and alphabets, each with who shows it', () => {
    const people = [
      row(1, 'Ada', 'a@q.example', 'Wren', 'A'),
      row(2, 'Bartholomew', 'b@q.example', 'Tern', 'B'),
      row(3, 'Cy', 'c@q.example', '', 'A'),
      row(4, 'Łucja', 'd@q.example', 'Gull', 'B'),
      row(5, 'Ольга', 'e@q.example', 'Teal', 'B'),
      row(6, 'Edwin', 'f@q.example', 'Wren', 'A'),
    ]
    const set = readingSetOf(round(people))
    expect(set.flatMap((one) => one.reasons).sort()).toEqual([
      'letters of another alphabet: Cyrillic',
      'letters with accents',
      'no file',
      'passage 1 in',
      'passage 1 left out',
      'the longest “Name”',
      'the shortest “Name”',
      'the stand-in for “Boat”',
    ])
    expect(set.map((one) => one.rowId)).toEqual([2, 3, 4, 5])
    expect(readingSetOf(round(people))).toEqual(set)
  })
  test('of a round in which all are alike it is one', () => {
    expect(readingSetOf(round([1, 2, 3].map((n) => row(n, 'Ada', `a${n}@q.example`, 'Wren', 'A'))))).toHaveLength(1)
    expect(readingSetOf(round([]))).toEqual([])
  })
  // Against the best set that an exhaustive search finds.
  test('it holds everything, and is no larger than the smallest there is', () => {
    const sets = fc.array(fc.uniqueArray(fc.nat(9), { maxLength: 5 }), { minLength: 1, maxLength: 10 })
    fc.assert(
      fc.property(sets, (given) => {
        const all = [...new Set(given.flat())]
        const places = given.map((set) => set.map((one) => all.indexOf(one)))
        const found = cover(places, all.length)
        expect(new Set(found.flatMap((i) => places[i])).size).toBe(all.length)
        let best = Number.POSITIVE_INFINITY
        for (let bits = 0; bits < 2 ** places.length; bits++) {
          const chosen = places.filter((_, i) => bits & (1 << i))
          if (chosen.length < best && new Set(chosen.flat()).size === all.length) best = chosen.length
        }
        expect(found.length).toBeLessThanOrEqual(best)
      }),
      { numRuns: 300 },
    )
  })
})
