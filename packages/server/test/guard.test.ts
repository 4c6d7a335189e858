import {
  judge,
  noMatching,
  nothingAround,
  proofRound,
  type RoundToProof,
  type Row,
  readHtml,
  tellingIndex,
} from '@hand-post/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { permitPdf } from '../../../demo/src/documents.ts'
import { type Holder, holders, permitFile } from '../../../demo/src/world.ts'
import { examine } from '../src/enclosures/examine.ts'

// The wrong-file guard over a round as the demo's finished one: 62 people, each with a PDF of their own.
const people = holders(Date.UTC(2026, 10, 25))
const headings = [
  'First name',
  'Last name',
  'Email',
  'Boat',
  'Group',
  'Berth',
  'Permit no',
  'Length (m)',
  'Fee',
  'Permit file',
]
const columns: RoundToProof['columns'] = headings.map((name, i) => ({
  id: `c${i}`,
  name,
  kind:
    name === 'Email'
      ? 'address'
      : name === 'Fee'
        ? 'amount'
        : name === 'Length (m)'
          ? 'number'
          : name === 'Permit file'
            ? 'files'
            : 'text',
}))
const cells = (h: Holder) => [
  h.first,
  h.last,
  h.email,
  h.boat,
  h.group,
  h.berth,
  h.permit,
  h.length.toFixed(1),
  `£${h.fee}`,
  permitFile(h),
]
const rows = people.map(
  (h, i): Row => ({
    id: i + 1,
    position: '',
    number: i + 1,
    cells: Object.fromEntries(cells(h).map((text, c) => [`c${c}`, text])),
  }),
)
const facts: Awaited<ReturnType<typeof examine>>[] = []
beforeAll(async () => {
  for (const h of people) facts.push(await examine(await permitPdf(h, 2027)))
}, 120_000)

/** The round with the contents of two people's files exchanged. */
const round = (a = 0, b = 0): RoundToProof => {
  const place = (i: number) => (i === a ? b : i === b ? a : i)
  return {
    letter: {
      subject: 'Permit {{Permit no}}',
      body: readHtml('<p>Dear {{First name}}, it goes with this letter.</p>').body,
    },
    columns,
    people: rows,
    rowsOf: new Map(),
    leftOut: [],
    paper: null,
    madeFiles: null,
    sameAddress: null,
    anyDoubled: true,
    addressColumn: 'c2',
    nameColumns: ['c0', 'c1'],
    matching: { ...noMatching, column: 'c9' },
    // The names stay, the contents do not: what a slip in the office does.
    files: people.map((h, i) => ({
      id: i + 1,
      name: permitFile(h),
      folder: '',
      hash: `${place(i)}`,
      size: 1000,
      role: 'own',
    })),
    fileFacts: new Map(facts.map((one, i) => [`${i}`, one])),
    around: nothingAround,
    making: { today: '2026-11-25' },
    notes: new Map(),
    copies: { cc: [], bcc: [], replyTo: [] },
    pictureSizes: [],
    largestMessage: 25_000_000,
  }
}

describe('the wrong-file guard', () => {
  test('reads every permit, and raises no false alarm', () => {
    expect(facts.every((one, i) => one.kind === 'pdf' && one.text?.includes(people[i].permit))).toBe(true)
    expect(proofRound(round()).filter((f) => /File|speaks/.test(f.check))).toEqual([])
  })
  test('finds every exchange of two files, whichever two they are', () => {
    const telling = tellingIndex(rows, columns, ['c0', 'c1'], new Set(['c9']))
    // By their words alone: under a name that says nothing.
    const said = facts.map((one) => telling.saidIn(one.text ?? ''))
    const missed: number[][] = []
    for (let a = 0; a < rows.length; a++)
      for (let b = 0; b < rows.length; b++)
        if (judge(said[b], [rows[a].id]).says !== (a === b ? 'right' : 'wrong')) missed.push([a, b])
    expect(missed).toEqual([])
  })
  test('stops the round for both, with the words found, though the names are those that the rows name', () => {
    for (const [a, b] of [
      [0, 31],
      [7, 8],
      [40, 61],
    ]) {
      const found = proofRound(round(a, b)).filter((f) => f.check === 'wrongFile' || f.check === 'doubtfulFile')
      expect(found.map((f) => f.rowId)).toEqual([a + 1, b + 1])
      expect(found[0].message).toContain(people[b].permit)
    }
  })
})
