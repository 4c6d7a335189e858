import { describe, expect, test } from 'vitest'
import { base64Size, encloser, messageSize, namesInCell, type RoundFile } from '../enclosures/match.ts'
import { readHtml } from '../letter/html.ts'
import type { Column, Row } from '../people/table.ts'
import { checks } from './checks.ts'
import { mayPost, proofRound, type RoundToProof } from './proof.ts'

const columns: Column[] = [
  { id: 'c1', name: 'First name', kind: 'text' },
  { id: 'c2', name: 'Email', kind: 'address' },
  { id: 'c3', name: 'Permit', kind: 'files' },
]
const row = (id: number, name: string, email: string, file: string): Row => ({
  id,
  position: id - 1,
  cells: Object.fromEntries(
    [
      ['c1', name],
      ['c2', email],
      ['c3', file],
    ].filter(([, v]) => v !== ''),
  ),
})
const file = (id: number, name: string, size = 1000, role: RoundFile['role'] = 'own'): RoundFile => ({
  id,
  name,
  size,
  role,
})
const good: RoundToProof = {
  letter: { subject: 'Permit for {{First name}}', body: readHtml('<p>Dear {{First name}}</p>').body },
  columns,
  people: [row(1, 'Ada', 'ada@quay.example', 'a.pdf'), row(2, 'Bram', 'bram@quay.example', 'b.pdf')],
  rowsOf: new Map(),
  sameAddress: null,
  addressColumn: 'c2',
  nameColumns: ['c1'],
  filesColumn: 'c3',
  files: [file(1, 'a.pdf'), file(2, 'b.pdf')],
  pictureSizes: [],
  largestMessage: 25_000_000,
}
const found = (changes: Partial<RoundToProof>) =>
  proofRound({ ...good, ...changes }).map((f) => [f.check, f.grade, f.rowId])
const people = (...rows: Row[]) => ({ people: rows })

describe('the proof', () => {
  test('finds nothing in a good round, which may be posted', () => {
    expect(proofRound(good)).toEqual([])
    expect(mayPost([], new Set())).toBe(true)
  })
  const cases: [string, Partial<RoundToProof>, [string, string, number | null][]][] = [
    ['nobody', people(), [['nobody', 'stop', null]]],
    ['no address column', { addressColumn: null }, [['noAddressColumn', 'stop', null]]],
    ['unknown field', { letter: { ...good.letter, subject: '{{Frist name}}' } }, [['unknownField', 'stop', null]]],
    ['drafting mark', { letter: { ...good.letter, subject: 'By [date]' } }, [['draftingMark', 'stop', null]]],
    ['loose braces', { letter: { ...good.letter, subject: 'Dear {{First name' } }, [['draftingMark', 'stop', null]]],
    ['no subject', { letter: { ...good.letter, subject: ' ' } }, [['emptyLetter', 'stop', null]]],
    ['blank without stand-in', people(row(1, '', 'ada@quay.example', 'a.pdf')), [['blankField', 'stop', 1]]],
    ['missing address', people(row(1, 'Ada', '', 'a.pdf')), [['address', 'stop', 1]]],
    ['bad address', people(row(1, 'Ada', 'ada.quay.example', 'a.pdf')), [['address', 'stop', 1]]],
    [
      'same address',
      people(row(1, 'Ada', 'ada@quay.example', 'a.pdf'), row(2, 'A', 'ADA@quay.example', 'b.pdf')),
      [['sameAddress', 'ask', 2]],
    ],
    ['missing file', people(row(1, 'Ada', 'ada@quay.example', 'c.pdf')), [['missingFile', 'stop', 1]]],
    ['no file here at all', { files: [] }, [['missingFile', 'stop', null]]],
    [
      'no own file',
      people(row(1, 'Ada', 'ada@quay.example', ''), row(2, 'B', 'b@quay.example', 'b.pdf')),
      [['noOwnFile', 'ask', 1]],
    ],
    ['too large', { files: [file(1, 'a.pdf', 30_000_000), file(2, 'b.pdf')] }, [['tooLarge', 'stop', 1]]],
  ]
  test.each(cases)('finds: %s', (_, changes, expected) => expect(found(changes)).toEqual(expected))
  test('every check is one that some case here sets off', () => {
    const set = new Set(cases.flatMap(([, , expected]) => expected.map(([check]) => check)))
    expect(checks.map((c) => c.name).filter((name) => !set.has(name))).toEqual([])
  })
  test('stops cannot be accepted, asks can, and each finding says what can be done', () => {
    const asks = proofRound({ ...good, people: [good.people[0], row(3, 'A', 'ada@quay.example', 'b.pdf')] })
    expect(mayPost(asks, new Set())).toBe(false)
    expect(mayPost(asks, new Set(asks.map((f) => f.key)))).toBe(true)
    const stops = proofRound({ ...good, addressColumn: null })
    expect(mayPost(stops, new Set(stops.map((f) => f.key)))).toBe(false)
    for (const f of [...asks, ...stops]) expect(f.mends.length).toBeGreaterThan(0)
  })
})

describe('enclosures', () => {
  test('are taken by exact name only; near ones are proposed, never taken', () => {
    const enclose = encloser([file(1, 'Permit é.pdf'), file(2, 'b.pdf'), file(3, 'rules.pdf', 1, 'common')], 'c3')
    // The same name composed and decomposed (Unicode normalisation forms C and D) looks alike and is alike.
    expect(enclose(row(1, 'x', 'x', 'Permit e\u0301.pdf')).files.map((f) => f.id)).toEqual([3, 1])
    expect(enclose(row(1, 'x', 'x', 'B.PDF'))).toEqual({
      files: [expect.objectContaining({ id: 3 })],
      missing: [{ name: 'B.PDF', near: 'b.pdf' }],
    })
    expect(namesInCell('C:\\permits\\a.pdf; /tmp/b.pdf\nc.pdf')).toEqual(['a.pdf', 'b.pdf', 'c.pdf'])
  })
  // RFC 4648, section 4: three octets become four; RFC 2045, section 6.8: lines of at most 76 with CRLF.
  test('sizes are those of base64 in lines', () => {
    for (const n of [0, 1, 2, 3, 57, 58, 1000, 123_457]) {
      const text = Buffer.alloc(n)
        .toString('base64')
        .replace(/.{1,76}/g, '$&\r\n')
      expect(base64Size(n)).toBe(text.length)
    }
    expect(messageSize('<p>é</p>', 'é', [3])).toBeGreaterThan(base64Size(3) + 9)
  })
})
