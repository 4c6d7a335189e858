import type { MessageState } from '../dispatch/lifecycle.ts'
import { wallOf } from '../mailboxes/zone.ts'
import type { PaperState } from '../paper/states.ts'
import { isPersons, type Outcome, outcomeWords, type Response, strongestOutcome } from './outcome.ts'
import { outcomeSheet as say } from './words.ts'

/** One letter of a round as the outcome sheet asks of it. Times in ms since 1970. */
export interface SheetLetter {
  rowId: number
  state: MessageState
  outcome: Outcome
  sentAt: number | null
  address: string
  from: string
  subject: string
  files: readonly string[]
  /** What its host answered, or why it does not go, in words. */
  answer: string | null
  /** Of which version of the round it is: 1 is as it was posted first. */
  version: number
  choice: string | null
  word: string | null
  responses: readonly (Pick<Response, 'kind' | 'at' | 'of'> & { automatic: boolean; words: string })[]
  /** How often its picture was fetched and its links were followed, machines too; and where the links lead that people followed. */
  fetched: { opens: number; clicks: number; links: readonly string[] }
  /** Names of the files that came back. */
  returned: readonly string[]
  /** The day (ISO 8601) until which an automatic reply says that they are away. */
  awayUntil: string | null
}

/** All of a row in a round: its letters in their order, those that chased it, and its letter on paper. */
export interface SheetRow {
  letters: readonly SheetLetter[]
  chased: readonly { sentAt: number }[]
  paper: { state: PaperState; printedAt: number | null } | null
}

/** A cell of the outcome sheet: words, a number, or a moment (ms since 1970). Empty where there is nothing to say. */
export type SheetCell = { text: string } | { number: number } | { at: number } | null

const text = (words: string | null | undefined): SheetCell => (words ? { text: words } : null)
const at = (moment: number | null | undefined): SheetCell =>
  moment === null || moment === undefined ? null : { at: moment }
const times = (n: number): SheetCell => (n === 0 ? null : { number: n })

type Came = SheetLetter['responses'][number]
/** What came of all letters of a row by a person, in order. */
const own = ({ letters }: SheetRow): Came[] =>
  letters
    .flatMap((letter) => letter.responses)
    .filter((r) => isPersons(r) && !r.automatic)
    .sort((a, b) => a.at - b.at)
const first = (row: SheetRow, ...kinds: Came['kind'][]) => own(row).find((r) => kinds.includes(r.kind))
const last = (row: SheetRow, ...kinds: Came['kind'][]) => own(row).findLast((r) => kinds.includes(r.kind))
const newest = ({ letters }: SheetRow): SheetLetter | undefined => letters.at(-1)
const sum = (row: SheetRow, of: (letter: SheetLetter) => number) => row.letters.reduce((all, one) => all + of(one), 0)
/** How often a person did something: all times less those that are known to be machines'. */
const byPeople = (row: SheetRow, kind: 'open' | 'click', all: (letter: SheetLetter) => number) =>
  own(row).some((r) => r.kind === kind)
    ? Math.max(1, sum(row, all) - sum(row, (l) => l.responses.filter((r) => r.kind === kind && r.automatic).length))
    : 0

/** The columns that an outcome sheet may have, in the order in which they are offered. A column is an entry of this table. */
const table = {
  outcome: (row) => {
    const outcome = strongestOutcome(row.letters.map((letter) => letter.outcome))
    return text(outcome ? outcomeWords[outcome] : row.paper ? say.onPaper[row.paper.state] : say.notRound)
  },
  sentAt: (row) => {
    const sent = row.letters.flatMap((letter) => letter.sentAt ?? [])
    return at(sent.length > 0 ? Math.min(...sent) : null)
  },
  to: (row) => text(newest(row)?.address),
  from: (row) => text(newest(row)?.from),
  subject: (row) => text(newest(row)?.subject),
  files: (row) => text(newest(row)?.files.join(', ')),
  answer: (row) => text(newest(row)?.answer),
  delivered: (row) => at(first(row, 'delivered')?.at),
  opened: (row) => at(first(row, 'open', 'click')?.at),
  openedLast: (row) => at(last(row, 'open', 'click')?.at),
  openedTimes: (row) => times(byPeople(row, 'open', (letter) => letter.fetched.opens)),
  clicked: (row) => at(first(row, 'click')?.at),
  clickedTimes: (row) => times(byPeople(row, 'click', (letter) => letter.fetched.clicks)),
  links: (row) => text([...new Set(row.letters.flatMap((letter) => letter.fetched.links))].join(', ')),
  repliedAt: (row) => at(first(row, 'reply')?.at),
  words: (row) => text(first(row, 'reply')?.words),
  automaticAt: (row) => at(first(row, 'automatic')?.at),
  awayUntil: (row) => text(row.letters.findLast((letter) => letter.awayUntil !== null)?.awayUntil),
  bouncedAt: (row) => at(first(row, 'bounce')?.at),
  bouncedWhy: (row) => text(first(row, 'bounce')?.words),
  choice: (row) => text(row.letters.findLast((letter) => letter.choice !== null)?.choice),
  word: (row) => text(row.letters.findLast((letter) => letter.word !== null)?.word),
  returned: (row) => text(row.letters.flatMap((letter) => letter.returned).join(', ')),
  chasedTimes: ({ chased }) => times(chased.length),
  chasedLast: ({ chased }) => at(chased.length > 0 ? Math.max(...chased.map((one) => one.sentAt)) : null),
  optedOut: (row) => at(first(row, 'optOut')?.at),
  version: ({ letters }) => text(letters.map((letter) => letter.version).join(', ')),
  paperAt: ({ paper }) => at(paper?.printedAt),
} as const satisfies Record<string, (row: SheetRow) => SheetCell>

export type OutcomeColumn = keyof typeof table
export const outcomeColumns = Object.keys(table) as [OutcomeColumn, ...OutcomeColumn[]]
/** What stands over each column. */
export const outcomeHeadings: Readonly<Record<OutcomeColumn, string>> = say.headings

/** What is chosen while nobody has chosen. */
export const usualOutcomeColumns: readonly OutcomeColumn[] = [
  'outcome',
  'sentAt',
  'opened',
  'repliedAt',
  'words',
  'bouncedWhy',
  'choice',
  'word',
  'chasedTimes',
  'chasedLast',
]

/**
 * The cells of a row in an outcome sheet.
 * @example outcomeCells(['outcome', 'chasedTimes'], { letters: [], chased: [], paper: null }) // [{ text: 'not in this round' }, null]
 */
export const outcomeCells = (columns: readonly OutcomeColumn[], row: SheetRow): SheetCell[] =>
  columns.map((name) => table[name](row))

/** What stands in cells of a column: words, numbers, or moments. */
export const outcomeKind = (name: OutcomeColumn): 'text' | 'number' | 'dateTime' =>
  momentColumns.has(name) ? 'dateTime' : countColumns.has(name) ? 'number' : 'text'
const momentColumns: ReadonlySet<string> = new Set<OutcomeColumn>([
  'sentAt',
  'delivered',
  'opened',
  'openedLast',
  'clicked',
  'repliedAt',
  'automaticAt',
  'bouncedAt',
  'chasedLast',
  'optedOut',
  'paperAt',
])
const countColumns: ReadonlySet<string> = new Set<OutcomeColumn>(['openedTimes', 'clickedTimes', 'chasedTimes'])

/**
 * A moment by the clock of a zone, with the hours that it is ahead (ISO 8601).
 * @param at ms since 1970.
 * @param zone IANA.
 * @example zonedIso(Date.UTC(2026, 6, 1, 9), 'Europe/London') // '2026-07-01T10:00:00+01:00'
 */
export function zonedIso(at: number, zone: string): string {
  const wall = wallOf(at, zone)
  const ahead = Math.round((wall - at) / 60_000)
  const two = (n: number) => String(Math.floor(n)).padStart(2, '0')
  const by = `${ahead < 0 ? '-' : '+'}${two(Math.abs(ahead) / 60)}:${two(Math.abs(ahead) % 60)}`
  return `${new Date(wall).toISOString().slice(0, 19)}${by}`
}
