import { compileName } from '../enclosures/names.ts'
import { type Cell, type Row, shown } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { languagesOfDate } from '../people/dateWords.ts'
import { errorIn } from '../people/failedFormula.ts'
import { parsedValue } from '../people/kinds.ts'
import { languageName } from '../people/languages.ts'
import { cellIn } from '../people/packed.ts'
import type { Check, Found, RoundFacts } from './check.ts'
import type { Mend } from './finding.ts'
import { sheetChecks as say } from './words.ts'

/** The columns that the letter's fields name, each once. */
export const usedColumns = ({ compiled, columns }: RoundFacts): Column[] => {
  const used = new Set(compiled.columnIds)
  return columns.filter((c) => used.has(c.id))
}
/** What can be done about a fault in one cell: change it, or leave the person out of this round. */
export const atCell = (row: Row, column: Column): Mend[] => [
  { do: 'editCell', rowId: row.id, columnId: column.id },
  { do: 'setAside', rowId: row.id },
]

/** What uses the columns of a round: each column with the words for it. Found once for a round. */
const usesOf = new WeakMap<RoundFacts['compiled'], [Column, string][]>()
function usesIn(facts: RoundFacts): [Column, string][] {
  let uses = usesOf.get(facts.compiled)
  if (!uses) {
    const { columns, matching } = facts
    const named = [matching.pattern, matching.sentAs, matching.madeName].flatMap((name) =>
      name ? compileName(name, columns).columnIds : [],
    )
    const by: [string[], string][] = [
      [facts.compiled.columnIds, say.letter],
      [facts.copies.columnIds, say.copiesOrAnswers],
      [[...named, ...(matching.column === null ? [] : [matching.column])], say.namesFiles],
      [facts.nameColumns, say.personSName],
      [facts.byRule?.columnIds ?? [], say.rule],
    ]
    uses = columns.flatMap((column): [Column, string][] => {
      const words = by.find(([ids]) => ids.includes(column.id))?.[1]
      return words === undefined ? [] : [[column, words]]
    })
    usesOf.set(facts.compiled, uses)
  }
  return uses
}

/** A person's rows: several where their message is for several. */
const rowsOf = (facts: RoundFacts, row: Row) => facts.rowsOf.get(row.id) ?? [row]

/** A figure as a sheet shortens it: "4.47701E+11". */
const shortened = /^[-+]?\d(?:[.,]\d{1,15})?E[-+]\d{1,3}$/i
/** Day nought of both systems in which sheets count days, and the days beside it, as text. */
const dayNought =
  /(?<!\d)(?:0?0[/.-]0?1[/.-]1900|(?:30|31)[/.-]12[/.-]1899|12[/.-](?:30|31)[/.-]1899|0?1[/.-]0?1[/.-](?:1900|1904)|1899-12-3[01]|190[04]-01-0[01])(?!\d)/
const oldYear = /(?<![\d/.-])(?:\d{1,2}[/.-]\d{1,2}[/.-](?:1899|1900)|(?:1899|1900)-\d\d-\d\d)(?![\d/.-])/

/** What a cell holds as a day; null when it is none. */
const dayOf = (cell: Cell | undefined, column: Column): string | null => {
  const value = typeof cell === 'object' && typeof cell.value === 'string' ? cell.value : parsedValue(cell, column)
  return typeof value === 'string' && /^\d{4}-\d\d-\d\d/.test(value) ? value : null
}

const twice =
  /\p{Sc}[ \u00a0\u202f]?\p{Sc}[ \u00a0\u202f]?\d[\d.,]{0,20}|\p{Sc}[ \u00a0\u202f]?\d[\d.,]{0,20}[ \u00a0\u202f]?\p{Sc}(?![\d ])/u
const percentage = /^[-+]?\d[\d.,\s]{0,20}\s?%$/
const fraction = /^[-+]?(?:0?[.,]\d{1,15}|0|1)$/
/** From which share of a column's cells the others stand out. Common practice, no source. */
const most = 0.6

/** Which columns hold percentages in most of their cells, found once for a round. */
const percentColumns = new WeakMap<Row[], Map<string, boolean>>()
function isPercentColumn(facts: RoundFacts, column: Column): boolean {
  let known = percentColumns.get(facts.people)
  if (!known) {
    known = new Map()
    percentColumns.set(facts.people, known)
  }
  let is = known.get(column.id)
  if (is === undefined) {
    const texts = facts.people.map((row) => shown(cellIn(row, column.id)).trim()).filter(Boolean)
    is = texts.length > 1 && texts.filter((text) => percentage.test(text)).length >= most * texts.length
    known.set(column.id, is)
  }
  return is
}

/** TRUE and FALSE as sheets show them in the languages that the house knows. */
const truthWords =
  /^(?:TRUE|FALSE|WAHR|FALSCH|VRAI|FAUX|VERDADERO|FALSO|VERDADEIRO|VERO|WAAR|ONWAAR|TOSI|EPÄTOSI|SANT|FALSKT|SANN|USANN|PRAWDA|FAŁSZ)$/

/** The checks of what a sheet does to values, before they are in the letter. */
export const sheetChecks: Check[] = [
  {
    name: 'failedFormula',
    grade: 'stop',
    title: say.formulaFailed,
    looksAt: say.whatIsTaken,
    ofRound: (facts) =>
      facts.columns.flatMap((column) => {
        if (!facts.byRule?.columnIds.includes(column.id)) return []
        const failed = facts.byRule.leftOut.filter((row) => errorIn(shown(cellIn(row, column.id))) !== null)
        if (failed.length === 0) return []
        const who = failed.slice(0, 3).map(facts.nameOf).join(', ')
        return [
          {
            place: column.id,
            message: say.ruleLooksWhereFormula(column.name, failed.length, who),
            mends: [
              { do: 'editCell', rowId: failed[0].id, columnId: column.id } as Mend,
              { do: 'goTo', stage: 'people' } as Mend,
            ],
          },
        ]
      }),
    ofPerson: ({ row }, facts) =>
      rowsOf(facts, row).flatMap((one) =>
        usesIn(facts).flatMap(([column, by]): Found[] => {
          const error = errorIn(shown(cellIn(one, column.id)))
          return error === null
            ? []
            : [
                {
                  place: `${one.id} ${column.id}`,
                  message: say.whichFormulaWorkbookFailed(
                    column.name,
                    by,
                    by.startsWith('the names'),
                    by.startsWith('its'),
                    error,
                  ),
                  mends: [
                    { do: 'editCell', rowId: one.id, columnId: column.id },
                    { do: 'setAside', rowId: row.id },
                  ],
                },
              ]
        }),
      ),
  },
  {
    name: 'shortened',
    grade: 'stop',
    title: say.longNumberCutShort,
    looksAt: say.figuresSuchAs4,
    ofPerson: ({ row }, facts) =>
      usesIn(facts).flatMap(([column]) => {
        const text = shown(cellIn(row, column.id)).trim()
        return shortened.test(text)
          ? [
              {
                place: column.id,
                message: say.sheetCutsLongNumbers(column.name, text),
                mends: atCell(row, column),
              },
            ]
          : []
      }),
  },
  {
    name: 'dayNought',
    grade: 'stop',
    title: say.dayNought,
    looksAt: say.daysVeryBeginningHow,
    ofPerson: ({ row }, facts) =>
      usesIn(facts).flatMap(([column]) => {
        const cell = cellIn(row, column.id)
        const text = shown(cell).trim()
        const day = dayOf(cell, column)
        const isNought = dayNought.test(text) || (day !== null && dayNought.test(day.slice(0, 10)))
        return isNought
          ? [
              {
                place: column.id,
                message: say.howSheetShowsBlank(column.name, text),
                mends: atCell(row, column),
              },
            ]
          : []
      }),
  },
  {
    name: 'oldYear',
    grade: 'ask',
    title: say.day1899Or1900,
    looksAt: say.daysTheseTwoYears,
    ofPerson: ({ row }, facts) =>
      usesIn(facts).flatMap(([column]) => {
        const cell = cellIn(row, column.id)
        const text = shown(cell).trim()
        const day = dayOf(cell, column) ?? ''
        const isOld = oldYear.test(text) || /^(?:1899|1900)-/.test(day)
        return isOld && !dayNought.test(text) && !dayNought.test(day.slice(0, 10))
          ? [
              {
                place: column.id,
                message: say.dayYearOrNumber(column.name, text),
                mends: atCell(row, column),
              },
            ]
          : []
      }),
  },
  {
    name: 'twiceCurrency',
    grade: 'stop',
    title: say.currencySignTwice,
    looksAt: say.amountsWordsEachMessage,
    ofPerson: ({ row, merged }) => {
      const said = (twice.exec(merged.subject) ?? twice.exec(merged.text))?.[0].trim()
      return said === undefined
        ? []
        : [
            {
              place: said,
              message: say.hasCurrencySignToo(said),
              mends: [
                { do: 'goTo', stage: 'letter' },
                { do: 'setAside', rowId: row.id },
              ],
            },
          ]
    },
  },
  {
    name: 'fraction',
    grade: 'ask',
    byOthers: true,
    title: say.fractionAmongPercentages,
    looksAt: say.figuresFrom01,
    ofPerson: ({ row }, facts) =>
      usedColumns(facts).flatMap((column) => {
        const text = shown(cellIn(row, column.id)).trim()
        if (!fraction.test(text) || !isPercentColumn(facts, column)) return []
        const percent = Math.round(Number(text.replace(',', '.')) * 1e6) / 1e4
        return [
          {
            place: column.id,
            message: say.whereOthersHavePercentages(column.name, text, percent),
            mends: atCell(row, column),
          },
        ]
      }),
  },
  {
    name: 'truthWord',
    grade: 'ask',
    title: say.trueOrFalseLetter,
    looksAt: say.cellsWhichSheetShows,
    ofPerson: ({ row, merged }, facts) =>
      usedColumns(facts).flatMap((column) => {
        const text = shown(cellIn(row, column.id)).trim()
        if (!truthWords.test(text)) return []
        const word = new RegExp(`(?<!\\p{L})${text}(?!\\p{L})`, 'u')
        return word.test(merged.subject) || word.test(merged.text)
          ? [
              {
                place: column.id,
                message: say.letterSaysAsSheet(text, column.name),
                mends: [{ do: 'goTo', stage: 'letter', find: column.name }, ...atCell(row, column)],
              },
            ]
          : []
      }),
  },
  {
    name: 'mixedLanguages',
    grade: 'ask',
    title: say.datesSeveralLanguages,
    looksAt: say.namesMonthsWeekdaysEach,
    ofRound: (facts) =>
      usedColumns(facts).flatMap((column) => {
        // By language how many cells may be in it; a month may be called the same in several.
        const counts = new Map<string, number>()
        const ways = new Map<string, { languages: ReadonlySet<string>; row: Row; n: number }>()
        let dates = 0
        for (const row of facts.people) {
          const languages = languagesOfDate(shown(cellIn(row, column.id)))
          if (languages === null) continue
          dates++
          for (const language of languages) counts.set(language, (counts.get(language) ?? 0) + 1)
          const key = [...languages].join()
          const way = ways.get(key)
          if (way) way.n++
          else ways.set(key, { languages, row, n: 1 })
        }
        const [main, n] = [...counts].sort((a, b) => b[1] - a[1])[0] ?? ['', dates]
        if (n === dates) return []
        const other = [...ways.values()].find(({ languages }) => !languages.has(main))!
        return [
          {
            place: column.id,
            message: say.hasDatesSeveralLanguages(
              column.name,
              n,
              languageName(main),
              shown(cellIn(other.row, column.id)).trim(),
              facts.nameOf(other.row),
            ),
            mends: [{ do: 'goTo', stage: 'letter', find: column.name } as Mend, ...atCell(other.row, column)],
          },
        ]
      }),
  },
]
