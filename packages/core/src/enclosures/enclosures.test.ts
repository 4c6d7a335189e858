import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { extensionMismatch, faultOf } from './fileFacts.ts'
import { encloser, noMatching, type RoundFile } from './match.ts'
import { compileName, namesInCell, nearFiles, safeFolder, safeName, swapNameInCell } from './names.ts'
import { proposeOwners, proposePattern } from './propose.ts'
import { judge, tellingIndex, wordsIn } from './tellingValues.ts'

const columns: Column[] = ['First', 'Last', 'Email', 'Permit no', 'Boat', 'Fee'].map((name, i) => ({
  id: `c${i}`,
  name,
  kind: name === 'Email' ? 'address' : name === 'Fee' ? 'amount' : 'text',
}))
const row = (id: number, ...cells: string[]): Row => ({
  id,
  position: '',
  number: id,
  cells: Object.fromEntries(cells.map((text, i) => [`c${i}`, text])),
})
const people = [
  row(1, 'Ada', 'Penrose', 'ada@quay.example', 'BQ-2041', 'Halcyon', '£12'),
  row(2, 'Bram', 'Tolland', 'bram@quay.example', 'BQ-2044', 'Halcyon II', '£12'),
  row(3, 'Łucja', 'Wadham', 'lucja@quay.example', 'BQ-2047', 'Osprey', '£13'),
]
const file = (id: number, name: string, more: Partial<RoundFile> = {}): RoundFile => ({
  id,
  name,
  folder: '',
  hash: `${id}`,
  size: 10,
  role: 'own',
  ...more,
})

describe('names', () => {
  test('near ones differ in capitals, spaces, accents, ending or one character, and it is said in which', () => {
    const near = nearFiles(['Permit Zoë 12.pdf', 'chart.png', 'a-b.pdf', 'summery.pdf'].map((name, i) => file(i, name)))
    const why = (wanted: string) => near(wanted)?.why ?? null
    expect(why('PERMIT ZOË 12.PDF')).toBe('it differs in capitals only')
    expect(why('permit_zoë-12.pdf')).toBe('it differs in spaces or hyphens only')
    expect(why('permit zoe 12.pdf')).toBe('it differs in accents only')
    expect(why('chart.pdf')).toBe('its ending is .png')
    expect(why('summary.pdf')).toBe('it differs in one character')
    expect(why('sumemry.pdf')).toBe('it differs in one character')
    // Another figure is another file.
    expect(why('Permit Zoë 13.pdf')).toBe(null)
    expect(why('harbour.pdf')).toBe(null)
  })
  test('the near one is found whatever single slip was made, or several are as near', () => {
    const word = fc.stringMatching(/^[a-z]{6,12}$/)
    fc.assert(
      fc.property(word, fc.nat(11), fc.constantFrom('lose', 'add', 'change', 'swap'), (name, at, slip) => {
        const i = at % (name.length - 1)
        const wrong = {
          lose: name.slice(0, i) + name.slice(i + 1),
          add: `${name.slice(0, i)}q${name.slice(i)}`,
          change: `${name.slice(0, i)}q${name.slice(i + 1)}`,
          swap: name.slice(0, i) + name[i + 1] + name[i] + name.slice(i + 2),
        }[slip]
        const found = nearFiles([file(1, `${name}.pdf`), file(2, 'zzzzzzzzzzzzzzzzz.pdf')])(`${wrong}.pdf`)
        expect(found?.file.id).toBe(1)
      }),
    )
  })
  test('one name of a cell is swapped, wholly, and nothing else of it is touched', () => {
    const swap = (cell: string, from: string) => swapNameInCell(cell, from, '$& b.pdf')
    expect(swap('11.pdf;  1.pdf | x.pdf', '1.pdf')).toBe('11.pdf;  $& b.pdf | x.pdf')
    expect(swap('north/1.pdf; south/1.pdf', 'south/1.pdf')).toBe('north/1.pdf; $& b.pdf')
    expect(swap('C:\\out\\1.pdf\n1.pdf', '1.pdf')).toBe('$& b.pdf\n1.pdf')
    expect(swap('a.pdf', '1.pdf')).toBe('a.pdf')
    const name = fc.stringMatching(/^[a-z]{1,3}( [a-z])?$/)
    fc.assert(
      fc.property(fc.array(name, { minLength: 1, maxLength: 5 }), fc.nat(), name, (names, at, to) => {
        const from = names[at % names.length]
        const wanted = [...names]
        wanted[names.indexOf(from)] = to
        expect(namesInCell(swapNameInCell(names.join('; '), from, to))).toEqual(wanted)
      }),
    )
  })
  test('are safe whatever is given: no folders, no characters that control or turn, no device, not too long', () => {
    fc.assert(
      fc.property(
        fc.oneof(fc.string({ unit: 'binary', maxLength: 400 }), fc.constantFrom('../x', 'a/../../b.pdf')),
        (given) => {
          const name = safeName(given)
          expect(name).not.toBe('')
          expect(name.length).toBeLessThanOrEqual(200)
          expect(name).not.toMatch(/[\\/\p{Cc}\u200e\u200f\u202a-\u202e\u2066-\u2069"<>|:*?]|^\.|[. ]$/u)
          expect(safeFolder(given).split('/')).not.toContain('..')
        },
      ),
    )
    // Names of devices: from memory.
    expect(['CON', 'nul.txt', 'com1.pdf', 'console.pdf'].map(safeName)).toEqual([
      'CON_',
      'nul_.txt',
      'com1_.pdf',
      'console.pdf',
    ])
    expect(safeName(`${'x'.repeat(300)}.pdf`)).toMatch(/^x{196}\.pdf$/)
    expect(safeName('gnp.\u202efdp.exe')).toBe('gnp.fdp.exe')
    expect(safeFolder('C:\\a\\..\\b\\c.pdf')).toBe('C/a/b')
  })
  test('with fields are written for a row, and not at all where one is blank', () => {
    const name = compileName('{{Last, in capitals}} {{permit no}}, {{Boat, or "no boat"}}.pdf', columns)
    expect(name.of(people[0])).toBe('PENROSE BQ-2041, Halcyon.pdf')
    expect(name.of(row(9, 'A', 'B', 'x', 'P1', ''))).toBe('B P1, no boat.pdf')
    expect(name.of(row(9, 'A', 'B', 'x', '', 'Tern'))).toBe(null)
    expect(compileName('{{Berth}}.pdf', columns).unknown).toEqual(['Berth'])
  })
})

describe('files and their people', () => {
  test('by pattern, by hand and made; called otherwise on the way out, no two alike', () => {
    const files = [
      file(1, 'BQ-2041.pdf'),
      file(2, 'note.docx'),
      file(3, 'made.pdf', { folder: 'made' }),
      file(4, 'rules.pdf', { role: 'common' }),
    ]
    const enclose = encloser(files, columns, {
      ...noMatching,
      pattern: '{{Permit no}}.pdf',
      byHand: new Map([[1, [2, 99]]]),
      made: new Map([[1, 3]]),
      sentAs: 'For {{First}}',
    })
    expect(enclose(people[0]).files.map((f) => [f.id, f.by, f.sentAs])).toEqual([
      [4, 'common', 'rules.pdf'],
      [1, 'pattern', 'For Ada.pdf'],
      [2, 'hand', 'For Ada.docx'],
      [3, 'made', 'made.pdf'],
    ])
    expect(enclose(people[1])).toMatchObject({ missing: [{ name: 'BQ-2044.pdf', by: 'pattern', near: null }] })
    // All rows of one message bring their files, each once.
    const together = encloser([file(1, 'BQ-2041.pdf'), file(2, 'BQ-2044.pdf')], columns, {
      ...noMatching,
      pattern: '{{Permit no}}.pdf',
      sentAs: 'Permit',
    })
    expect(together(people[0], people.slice(0, 2)).files.map((f) => f.sentAs)).toEqual(['Permit.pdf', 'Permit (2).pdf'])
  })
  test('a pattern is proposed that finds every file again', () => {
    const files = (name: (p: Row) => string) => people.map((p, i) => file(i, name(p)))
    const cell = (p: Row, i: number) => p.cells[`c${i}`] as string
    const cases: [(p: Row) => string, string][] = [
      [(p) => `permit-${cell(p, 3)}.pdf`, 'permit-{{Permit no}}.pdf'],
      [(p) => `${cell(p, 1)}, ${cell(p, 0)} (2027).docx`, '{{Last}}, {{First}} (2027).docx'],
      [(p) => `${cell(p, 4)}.pdf`, '{{Boat}}.pdf'],
    ]
    for (const [name, pattern] of cases) {
      expect(proposePattern(files(name), people, columns)).toEqual({ pattern, files: 3 })
      const enclose = encloser(files(name), columns, { ...noMatching, pattern })
      expect(people.map((p) => enclose(p).files.map((f) => f.id))).toEqual([[0], [1], [2]])
    }
    expect(
      proposePattern(
        files((p) => `scan${p.id}.pdf`),
        people,
        columns,
      ),
    ).toBe(null)
  })
  test('owners are proposed by name, else by words, and never where two may be meant', () => {
    const index = tellingIndex(people, columns, ['c0', 'c1'], new Set())
    const texts = new Map([
      [2, 'Dear Ms Łucja Wadham'],
      [3, 'Ada Penrose and Bram Tolland'],
      [4, 'nobody'],
    ])
    const files = ['BQ-2041 signed.pdf', 'scan.pdf', 'both.pdf', 'x.pdf'].map((name, i) => file(i + 1, name))
    expect(proposeOwners(files, index, (f) => texts.get(f.id) ?? null)).toEqual([
      { fileId: 1, rowId: 1, why: 'its name has “BQ-2041” (Permit no)' },
      { fileId: 2, rowId: 3, why: 'its words have “Łucja Wadham” (First, Last)' },
    ])
  })
})

describe('telling values', () => {
  const index = tellingIndex(people, columns, ['c0', 'c1'], new Set())
  const says = (text: string, owner: number) => judge(index.saidIn(text), [owner]).says
  test('are found without regard to capitals, accents, characters and line ends; the longest counts', () => {
    expect(wordsIn('Łódź, ZOË\nBQ-2041')).toEqual(['lodz', 'zoe', 'bq', '2041'])
    expect([...index.saidIn('LUCJA\nWADHAM').keys()]).toEqual([3])
    expect([...index.saidIn('the Halcyon II lies there').keys()]).toEqual([2])
    expect([...index.saidIn('Penrose, Ada').keys()]).toEqual([1])
  })
  test('a fee that two share tells nothing, nor does a word by chance accuse', () => {
    expect(index.saidIn('£12 and £13').size).toBe(0)
    expect(says('An osprey was seen.', 1)).toBe('nobody')
    expect(says('Permit BQ-2044 for the Halcyon II', 1)).toBe('wrong')
    expect(says('Mr Penrose, see Bram Tolland', 1)).toBe('doubtful')
    expect(says('Ada Penrose, see Bram Tolland', 1)).toBe('right')
  })
})

test('an ending that belies its content is told, one that may be right is not', () => {
  const cases: [string, string | null, boolean][] = [
    ['a.pdf', 'pdf', false],
    ['a.pdf', 'png', true],
    ['a.pdf', null, true],
    ['a.txt', null, false],
    ['a.jpeg', 'jpg', false],
    ['a.doc', 'cfb', false],
    ['a.docx', 'zip', true],
    ['a.kmz', 'zip', false],
    ['a.png.txt', 'png', true],
    ['README', 'pdf', false],
  ]
  for (const [name, kind, belies] of cases) expect([name, extensionMismatch(name, kind)]).toEqual([name, belies])
  expect(faultOf({ name: 'x.pdf.exe', size: 1 }, undefined)?.fault).toBe('executable')
  expect(faultOf({ name: 'x.exe', size: 0 }, undefined)?.fault).toBe('empty')
})
