import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { Row } from './cell.ts'
import type { Column } from './column.ts'
import { comparisons, comparisonsFor } from './comparisons.ts'
import { kindNames } from './kinds.ts'
import { numbered } from './packed.ts'
import {
  compileSelection,
  isFollowed,
  type Rule,
  rowNumber,
  ruleFault,
  type Selection,
  selectionWords,
  whyNotChosen,
} from './rules.ts'
import { type Choice, choosePeople, countSentence, onPaperWays } from './selection.ts'

const columns: Column[] = [
  { id: 'c1', name: 'Group', kind: 'text' },
  { id: 'c2', name: 'Due', kind: 'date', dayFirst: true },
  { id: 'c3', name: 'Fee', kind: 'amount' },
  { id: 'c4', name: 'Seen', kind: 'yesNo' },
  { id: 'c5', name: 'Email', kind: 'address' },
  { id: 'c6', name: 'At', kind: 'dateTime' },
]
const rows: Row[] = [
  ['Pontoon A', '01/05/2026', '£300', 'yes', 'ada@quay.example', '01/05/2026 09:30'],
  ['pontoon b', '31/12/2025', '£1,200.50', 'no', 'Bram@quay.example', '01/05/2026 14:00'],
  [],
  ['Caf\u00e9', '26/04/2026', '-£5', 'y', 'ada@quay.example', '2026-05-02 00:00'],
].map((cells, i) => ({
  id: i + 1,
  position: '',
  number: i + 1,
  cells: Object.fromEntries(cells.map((c, n) => [`c${n + 1}`, c])),
}))
const context = {
  today: '2026-04-26',
  members: (group: number) => (group === 7 ? new Set(['bram@quay.example']) : undefined),
}
const rule = (column: string, comparison: string, value = '', to?: string): Rule => ({
  column,
  comparison: comparison as 'is',
  value,
  to,
})
const fitting = (...rules: Selection['rules']) => {
  const fits = compileSelection({ match: 'all', rules }, columns, context)
  return rows.filter(fits).map((r) => r.id)
}

describe('rules', () => {
  test.each<[Rule, number[]]>([
    [rule('c1', 'is', 'PONTOON A'), [1]],
    [rule('c1', 'isNot', 'Pontoon A'), [2, 3, 4]],
    // The same letter composed and decomposed (Unicode Standard Annex 15) is the same.
    [rule('c1', 'is', 'cafe\u0301'), [4]],
    [rule('c1', 'isOneOf', 'café; Pontoon B'), [2, 4]],
    [rule('c1', 'isNoneOf', 'café\nPontoon B'), [1, 3]],
    [rule('c1', 'contains', 'toon'), [1, 2]],
    [rule('c1', 'containsNot', 'toon'), [3, 4]],
    [rule('c1', 'begins', 'pont'), [1, 2]],
    [rule('c1', 'ends', 'B'), [2]],
    [rule('c1', 'isBlank'), [3]],
    [rule('c1', 'isFilled'), [1, 2, 4]],
    [rule('c2', 'after', '31 December 2025'), [1, 4]],
    [rule('c2', 'before', '2026-01-01'), [2]],
    [rule('c2', 'between', '26/04/2026', '1 May 2026'), [1, 4]],
    [rule('c2', 'inNextDays', '5'), [1, 4]],
    [rule('c2', 'inNextDays', '4'), [4]],
    [rule('c2', 'inLastDays', '0'), [4]],
    [rule('c2', 'after', 'soon'), []],
    [rule('c6', 'is', '1 May 2026'), [1, 2]],
    [rule('c6', 'after', '01/05/2026 10:00'), [2, 4]],
    [rule('c3', 'above', '300'), [2]],
    [rule('c3', 'below', '£0'), [4]],
    [rule('c3', 'between', '-5', '300'), [1, 4]],
    [rule('c3', 'isOneOf', '£300; 1200.5'), [1, 2]],
    [rule('c4', 'is', 'Y'), [1, 4]],
    [rule('c4', 'isNot', 'yes'), [2, 3]],
    [rule('c5', 'inGroup', '7'), [2]],
    [rule('c5', 'notInGroup', '7'), [1, 3, 4]],
    [rule('c5', 'inGroup', '8'), []],
    [rule('row', 'between', '2', '3'), [2, 3]],
    [rule('row', 'isOneOf', '1; 3-9'), [1, 3, 4]],
    [rule('c9', 'isNot', 'x'), []],
    // What cannot be read chooses nobody, whatever would be said of it.
    [rule('c2', 'isNot', 'soon'), []],
    [rule('c2', 'isNoneOf', '1 May 2026; soon'), []],
    [rule('c4', 'isNot', 'perhaps'), []],
    [rule('c2', 'inNextDays', 'some'), []],
    // What is not finished does not count.
    [rule('c1', 'is', ' '), [1, 2, 3, 4]],
    [rule('c3', 'between', '5'), [1, 2, 3, 4]],
    [rule('c1', 'isOneOf', ';'), [1, 2, 3, 4]],
    [rule('c5', 'inGroup'), [1, 2, 3, 4]],
  ])('%j', (one, ids) => expect(fitting(one)).toEqual(ids))

  test('sets stand within sets, an empty one says nothing', () => {
    const either: Selection = { match: 'any', rules: [rule('c4', 'is', 'no'), rule('c3', 'below', '0')] }
    expect(fitting(rule('c1', 'isFilled'), either)).toEqual([2, 4])
    expect(fitting(rule('c1', 'isFilled'), { match: 'any', rules: [] })).toEqual([1, 2, 4])
    expect(selectionWords({ match: 'all', rules: [rule('c1', 'isFilled'), either] }, columns)).toBe(
      '“Group” is filled in and (“Seen” is no or “Fee” is below 0)',
    )
  })
  test('rows are numbered as in the sheet that they came from', () => {
    const fits = compileSelection({ match: 'all', rules: [rule('row', 'isOneOf', '3-4')] }, columns, context)
    expect(
      numbered(rows, 3)
        .filter(fits)
        .map((r) => r.id),
    ).toEqual([1, 2])
    // What has no number is in no range of them.
    expect(fits({ ...rows[0], number: undefined })).toBe(false)
  })
  test.each<[Rule, string | null]>([
    [rule('c1', 'isBlank'), null],
    [rule('c1', 'is', 'soon'), null],
    [rule('c2', 'before', '1 May 2026'), null],
    [rule('row', 'isOneOf', '2-40; 57'), null],
    [rule('c1', 'contains'), 'This rule is not finished, so it does not count yet.'],
    [rule('c2', 'between', '1 May 2026', ''), 'This rule is not finished, so it does not count yet.'],
    [rule('c2', 'before', 'soon'), '“soon” does not read as a date, which “Due” holds, so nobody fits this rule.'],
    [
      rule('c2', 'between', '1 May 2026', '31 April 2026'),
      '“31 April 2026” does not read as a date, which “Due” holds, so nobody fits this rule.',
    ],
    [
      rule('c3', 'isOneOf', '£5; much'),
      '“much” does not read as an amount, which “Fee” holds, so nobody fits this rule.',
    ],
    [
      rule('c4', 'is', 'perhaps'),
      '“perhaps” does not read as yes or no, which “Seen” holds, so nobody fits this rule.',
    ],
    [
      rule('row', 'isOneOf', '2-x'),
      '“2-x” does not read as a number, which “Row number” holds, so nobody fits this rule.',
    ],
    [rule('c2', 'inLastDays', 'a few'), '“a few” is not a number of days, so nobody fits this rule.'],
    [rule('c9', 'is', 'x'), 'The column of this rule is gone, so nobody fits it.'],
  ])('what keeps %j from being followed', (one, words) => expect(ruleFault(one, columns)?.words ?? null).toBe(words))
  test('a rule has a fault exactly where its value makes no difference', () => {
    const value = fc.constantFrom('', 'soon', '£300', '1/5/2026', 'yes', '2', 'pontoon a', '2-3')
    fc.assert(
      fc.property(
        fc.constantFrom('c1', 'c2', 'c3', 'c4', 'c6', 'row'),
        fc.nat(),
        value,
        value,
        (column, n, first, to) => {
          const kind = [...columns, rowNumber].find((c) => c.id === column)!.kind
          const offered = comparisonsFor(kind).filter((name) => comparisons[name].takes !== 'group')
          const one = rule(column, offered[n % offered.length], first, to)
          const fault = ruleFault(one, columns)
          const chosen = fitting(one)
          if (fault?.why === 'unfinished') expect(chosen).toEqual([1, 2, 3, 4])
          if (fault?.why === 'unread') expect(chosen).toEqual([])
          const opposite = { is: 'isNot', isBlank: 'isFilled', contains: 'containsNot', isOneOf: 'isNoneOf' }[
            one.comparison as string
          ]
          // Where a rule can be followed, everybody fits either it or its opposite.
          if (fault === null && opposite)
            expect([...chosen, ...fitting({ ...one, comparison: opposite as 'is' })].sort()).toEqual([1, 2, 3, 4])
        },
      ),
    )
  })
  test('every kind has comparisons, and each takes what its words promise', () => {
    for (const kind of kindNames) {
      expect(comparisonsFor(kind)).toEqual(expect.arrayContaining(['is', 'isBlank']))
      for (const name of comparisonsFor(kind))
        expect(() =>
          comparisons[name].compile({ id: 'c1', name: 'X', kind }, rule('c1', name, ''), context),
        ).not.toThrow()
    }
    // Days have no letters to contain, and words no size to be above.
    expect(comparisonsFor('date')).not.toContain('contains')
    expect(comparisonsFor('text')).not.toContain('above')
    expect(comparisonsFor('address')).toContain('inGroup')
    expect(comparisonsFor('text')).not.toContain('inGroup')
  })
  test('a row left out is told the first rule that it does not fit, and only then', () => {
    const leaf = fc.record({
      column: fc.constantFrom('c1', 'c3', 'c4', 'row'),
      comparison: fc.constantFrom('is', 'isNot', 'isBlank', 'isOneOf') as fc.Arbitrary<'is'>,
      value: fc.constantFrom('pontoon a', '£300', 'yes', '2', ''),
    })
    const { set } = fc.letrec<{ set: Selection; rule: Rule | Selection }>((tie) => ({
      set: fc.record({
        match: fc.constantFrom('all', 'any'),
        rules: fc.array(tie('rule'), { maxLength: 3 }),
      }) as fc.Arbitrary<Selection>,
      rule: fc.oneof({ maxDepth: 3 }, leaf, tie('set') as fc.Arbitrary<Selection>),
    }))
    fc.assert(
      fc.property(set, fc.nat(3), (selection, place) => {
        const fits = compileSelection(selection, columns, context)(rows[place])
        const why = whyNotChosen(rows[place], selection, columns, context)
        if (!fits) expect(why).toMatch(/^(it is not so that |“.*” does not read as )/)
        // What is not chosen by all is chosen by the opposite of some part: De Morgan over the set's own members.
        const members = selection.rules.map((r) =>
          compileSelection({ match: 'all', rules: [r] }, columns, context)(rows[place]),
        )
        const meaning = selection.rules.filter(isFollowed)
        if (meaning.length === selection.rules.length && members.length > 0)
          expect(fits).toBe(selection.match === 'all' ? !members.includes(false) : members.includes(true))
      }),
    )
  })
})

describe('choosing people', () => {
  const choose = (choice: Partial<Choice>) =>
    choosePeople(rows, columns, {
      selection: { match: 'all', rules: [] },
      setAside: new Set(),
      addressColumn: 'c5',
      sameAddress: null,
      doNotWrite: new Set(),
      onPaper: { who: 'byHand', byHand: new Set() },
      context,
      ...choice,
    })
  test('one address on several rows: each, joined, or the first only', () => {
    expect(choose({}).chosen.map((r) => r.id)).toEqual([1, 2, 3, 4])
    const joined = choose({ sameAddress: 'joined' })
    expect(joined.chosen.map((r) => r.id)).toEqual([1, 2, 3])
    expect([...joined.rowsOf].map(([id, of]) => [id, of.map((r) => r.id)])).toEqual([[1, [1, 4]]])
    expect(countSentence(joined.counts)).toBe(
      '4 in the list, 3 in this round: 1 joined with an earlier row of the same address.',
    )
    // With the first row out of the round, the next one is the first.
    expect(choose({ sameAddress: 'first', setAside: new Set([1]) }).chosen.map((r) => r.id)).toEqual([2, 3, 4])
  })
  test('the do-not-write list is applied whatever the rules say', () => {
    const { standing, counts } = choose({ doNotWrite: new Set(['ada@quay.example']) })
    expect([1, 2, 3, 4].map((id) => standing.get(id))).toEqual(['doNotWrite', 'in', 'in', 'doNotWrite'])
    expect(countSentence(counts)).toContain('2 on the do-not-write list')
  })
  test('whoever has no address goes on paper where that is chosen, and whoever was chosen by hand', () => {
    // The third has none, and one of blanks alone is none.
    const without = rows.map((row) => (row.id === 3 ? { ...row, cells: { ...row.cells, c5: ' ' } } : row))
    const paper = (who: Choice['onPaper']['who'], byHand: number[] = [], more: Partial<Choice> = {}) =>
      choosePeople(without, columns, {
        selection: { match: 'all', rules: [] },
        setAside: new Set(),
        addressColumn: 'c5',
        sameAddress: null,
        doNotWrite: new Set(),
        context,
        ...more,
        onPaper: { who, byHand: new Set(byHand) },
      })
    const ids = (rows: { id: number }[]) => rows.map((row) => row.id)
    expect(ids(paper('byHand').onPaper)).toEqual([])
    expect(paper('byHand').withoutAddress).toBe(1)
    expect(ids(paper('withoutAddress').onPaper)).toEqual([3])
    expect(paper('withoutAddress').withoutAddress).toBe(1)
    expect(ids(paper('withoutAddress', [1]).onPaper)).toEqual([1, 3])
    expect(ids(paper('withoutAddress', [1]).chosen)).toEqual([2, 4])
    expect(countSentence(paper('withoutAddress', [1]).counts)).toBe(
      '4 in the list, 2 in this round and 2 by paper post.',
    )
    expect(ids(paper('everybody').onPaper)).toEqual([1, 2, 3, 4])
    // On the do-not-write list is on it for paper, too; and no column of addresses is not the same as no address.
    expect(ids(paper('everybody', [], { doNotWrite: new Set(['ada@quay.example']) }).onPaper)).toEqual([2, 3])
    expect(ids(paper('withoutAddress', [], { addressColumn: null }).onPaper)).toEqual([])
    // Whoever shares an address with somebody on paper gets their own message.
    expect(ids(paper('byHand', [1], { sameAddress: 'first' }).chosen)).toEqual([2, 3, 4])
  })
  test('every row is in exactly one standing, and the sentence adds up', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 1, max: 4 })),
        fc.boolean(),
        fc.constantFrom('each', 'joined', 'first', null),
        fc.uniqueArray(fc.constantFrom('ada@quay.example', 'bram@quay.example')),
        fc.record({ who: fc.constantFrom(...onPaperWays), byHand: fc.uniqueArray(fc.integer({ min: 1, max: 4 })) }),
        (aside, ruled, sameAddress, refused, { who, byHand }) => {
          const { counts, standing, chosen, onPaper, rowsOf, doubled } = choose({
            selection: { match: 'all', rules: ruled ? [rule('c1', 'isFilled')] : [] },
            setAside: new Set(aside),
            sameAddress,
            doNotWrite: new Set(refused),
            onPaper: { who, byHand: new Set(byHand) },
          })
          const { list, round, ...out } = counts
          expect(Object.values(out).reduce((a, b) => a + b, round)).toBe(list)
          expect(standing.size).toBe(4)
          expect(chosen.length).toBe(round)
          expect(onPaper.length).toBe(counts.onPaper)
          const of = chosen.map(({ cells }) => String(cells.c5).toLowerCase())
          expect(doubled).toBe(new Set(of.filter((one, i) => of.indexOf(one) < i)).size)
          // Nobody gets both, and nobody who is not to be written to gets either.
          for (const { id } of onPaper) {
            expect(standing.get(id)).toBe('onPaper')
            expect(aside).not.toContain(id)
          }
          expect(countSentence(counts)).toContain(`4 in the list, ${round} in this round`)
          expect([...rowsOf.values()].reduce((sum, of) => sum + of.length - 1, 0)).toBe(counts.joined)
        },
      ),
    )
  })
})
