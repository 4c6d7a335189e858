import type { FileFacts } from '../enclosures/fileFacts.ts'
import { endingOf } from '../enclosures/names.ts'
import { postalLines } from '../paper/postal.ts'
import { maxPostalLines } from '../paper/sheet.ts'
import type { Row } from '../people/cell.ts'
import { errorIn } from '../people/failedFormula.ts'
import type { Check, RoundFacts } from './check.ts'
import type { Mend } from './finding.ts'
import { paperChecks as say } from './words.ts'

/** What of a content's facts tells whether it can be printed. */
export type KindFacts = Pick<FileFacts, 'kind' | 'fault'>

/** What contents can be printed behind a letter, by the ending that they ask for. */
const printable = new Set(['pdf', 'png', 'jpg'])

/** What a file is, by the ending that its content asks for; not examined yet, by its name. '' where neither tells. */
export const kindOf = (file: { name: string }, known: KindFacts | undefined): string =>
  (known ? (known.kind ?? '') : endingOf(file.name).slice(1)).replace(/^jpeg$/, 'jpg')

/** Why a file cannot be printed behind a letter; null when it can. A file that was not examined yet is told by its name. */
export function whyNotPrinted(
  file: { name: string; hash: string },
  fileFacts: ReadonlyMap<string, KindFacts>,
): string | null {
  const known = fileFacts.get(file.hash)
  if (known?.fault === 'locked') return say.locked
  if (known?.fault === 'broken') return say.broken
  return printable.has(kindOf(file, known)) ? null : say.noPage
}

const cellsOf = (row: Row, { paper, columns }: RoundFacts): Mend[] => [
  ...(paper?.columns ?? [])
    .filter(({ column }) => columns.some((c) => c.id === column))
    .map(({ column }) => ({ do: 'editCell' as const, rowId: row.id, columnId: column })),
  { do: 'setAside', rowId: row.id },
]
const linesOf = (row: Row, { paper }: RoundFacts) => postalLines(row, paper?.columns ?? [])

/** The checks of letters that go on paper. */
export const paperChecks: Check[] = [
  {
    name: 'noPostalColumns',
    grade: 'stop',
    about: 'paper',
    title: say.noColumns,
    looksAt: say.columnsLookedAt,
    ofRound: ({ paper, columns }) =>
      paper === null ||
      paper.people.length === 0 ||
      paper.columns.some((c) => columns.some((one) => one.id === c.column))
        ? []
        : [
            {
              place: 'round',
              message: say.noColumnsSaid(paper.people.length),
              mends: [{ do: 'goTo', stage: 'people' }],
            },
          ],
  },
  {
    name: 'postalAddress',
    grade: 'stop',
    about: 'paper',
    title: say.address,
    looksAt: say.addressLookedAt(maxPostalLines),
    ofPerson: ({ row }, facts) => {
      // Without any column that is said once, of the round.
      if (facts.paper!.columns.length === 0) return []
      const lines = linesOf(row, facts)
      const wide = facts.paper!.tooWide.get(row.id) ?? []
      return [
        ...(lines.length === 0 ? [say.blank] : []),
        ...(lines.length > maxPostalLines ? [say.tooLong(lines.length, maxPostalLines, lines[maxPostalLines])] : []),
        ...wide.map((line) => say.tooWide(line)),
        ...lines.flatMap((line) => {
          const error = errorIn(line)
          return error === null ? [] : [say.failed(error)]
        }),
      ].map((message, i) => ({ place: `postal ${i}`, message, mends: cellsOf(row, facts) }))
    },
  },
  {
    name: 'postalShort',
    grade: 'ask',
    about: 'paper',
    title: say.short,
    looksAt: say.shortLookedAt,
    ofPerson: ({ row }, facts) => {
      const lines = linesOf(row, facts)
      return lines.length === 1 ? [{ place: 'postal', message: say.oneLine(lines[0]), mends: cellsOf(row, facts) }] : []
    },
  },
  {
    name: 'notPrinted',
    grade: 'ask',
    about: 'paper',
    title: say.notPrinted,
    looksAt: say.notPrintedLookedAt,
    ofPerson: ({ row, enclosed }, facts) =>
      enclosed.files.flatMap((file) => {
        const why = whyNotPrinted(file, facts.fileFacts)
        return why === null
          ? []
          : [
              {
                place: file.hash.slice(0, 16),
                message: say.printYourself(file.sentAs, why),
                mends: [
                  { do: 'goTo' as const, stage: 'enclosures' as const },
                  { do: 'setAside' as const, rowId: row.id },
                ],
              },
            ]
      }),
  },
]
