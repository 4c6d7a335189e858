import { tz } from '@date-fns/tz'
import { format } from 'date-fns'
import type { PaperState } from '../paper/states.ts'
import { type Row, shown } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { csvText } from './csv.ts'
import { isPersons, type Outcome, outcomeWords, type Response, type ResponseKind, strongestOutcome } from './outcome.ts'
import { outcomeList as say } from './words.ts'

/** One letter of a round with what came back of it. */
export interface HeardOf {
  rowId: number
  address: string
  outcome: Outcome
  /** Milliseconds since 1970; null when it has not left. */
  sentAt: number | null
  /** Why it was refused, in words. */
  reason: string | null
  /** Of which version of the round it is: 1 is as it was posted first. */
  version: number
  /** The choice of the letter that they made last, or null. */
  choice: string | null
  responses: (Pick<Response, 'kind' | 'at' | 'of'> & { automatic: boolean; words: string })[]
}

/** A letter on paper of a round. */
export interface OnPaperOf {
  rowId: number
  person: string
  state: PaperState
  /** When it was said to be printed (ms since 1970); null while it was not. */
  printedAt: number | null
}

/** What stands behind the list's own columns; of a letter with choices that of each, and of a round that was amended, the version that each had too. */
const headings = ['Outcome', 'Sent', 'Opened', 'Replied', say.answerOrReason]

/**
 * A round's list with what became of each row, as lines of texts, the first of headings. Over all letters of a person: one sent once more
 * does not hide what the one before brought back. Whoever was taken out of the list after posting has a line all the same.
 * @param rows with what is worked out from other columns, as they stand in the table.
 * @param letters all letters of the round, the earlier of a person's first.
 * @param onPaper its letters on paper; as sent they count from the day on which they were said to be printed.
 * @param timeZone the zone (IANA) in which times are told, as ISO 8601 with the hours that it is ahead.
 */
export function outcomeList(
  columns: readonly Column[],
  rows: readonly Pick<Row, 'id' | 'cells'>[],
  letters: readonly HeardOf[],
  addressColumn: string | null,
  timeZone: string,
  onPaper: readonly OnPaperOf[] = [],
): string[][] {
  const byRow = new Map<number, HeardOf[]>()
  for (const letter of letters) {
    const theirs = byRow.get(letter.rowId)
    if (theirs) theirs.push(letter)
    else byRow.set(letter.rowId, [letter])
  }
  const when = (at: number | null | undefined) =>
    at ? format(at, "yyyy-MM-dd'T'HH:mm:ssxxx", { in: tz(timeZone) }) : ''
  const printed = new Map(onPaper.map((one) => [one.rowId, one]))
  const amended = letters.some((letter) => letter.version > 1)
  const chosen = letters.some((letter) => letter.choice !== null)
  const there = new Set(rows.map((row) => row.id))
  const gone = [...byRow].filter(([id]) => !there.has(id))
  const all: Pick<Row, 'id' | 'cells'>[] = [
    ...rows,
    ...gone.map(([id, theirs]) => ({ id, cells: addressColumn ? { [addressColumn]: theirs.at(-1)!.address } : {} })),
    ...onPaper
      .filter((one) => !there.has(one.rowId) && !byRow.has(one.rowId))
      .map((one) => ({ id: one.rowId, cells: columns[0] ? { [columns[0].id]: one.person } : {} })),
  ]
  return [
    [...columns.map((c) => c.name), ...headings, ...(chosen ? [say.choice] : []), ...(amended ? ['Version'] : [])],
    ...all.map((row) => {
      const theirs = byRow.get(row.id) ?? []
      const outcome = strongestOutcome(theirs.map((l) => l.outcome))
      const responses = theirs.flatMap((l) => l.responses).sort((a, b) => a.at - b.at)
      const first = (...kinds: ResponseKind[]) =>
        responses.find((r) => kinds.includes(r.kind) && !r.automatic && isPersons(r))
      const paper = printed.get(row.id)
      const sent = [...theirs.map((l) => l.sentAt), paper?.printedAt ?? null].filter((at) => at !== null)
      return [
        ...columns.map((c) => shown(row.cells[c.id])),
        outcome ? outcomeWords[outcome] : paper ? say.onPaper[paper.state] : say.notRound,
        when(sent.length > 0 ? Math.min(...sent) : null),
        when(first('open', 'click')?.at),
        when(first('reply')?.at),
        (first('reply') ?? (outcome === 'bounced' ? first('bounce') : undefined))?.words ??
          (outcome === 'refused' ? (theirs.at(-1)?.reason ?? '') : ''),
        ...(chosen ? [theirs.findLast((l) => l.choice !== null)?.choice ?? ''] : []),
        ...(amended ? [theirs.map((l) => l.version).join(', ')] : []),
      ]
    }),
  ]
}

/** A format in which the outcome list is handed back. */
interface OutcomeFormat {
  ending: string
  mediaType: string
  write: (list: string[][]) => string | Uint8Array
}

/** The formats of the outcome list, the usual one first. A format is an entry of this table. */
export const outcomeFormats = {
  csv: { ending: 'csv', mediaType: 'text/csv; charset=utf-8', write: csvText },
} as const satisfies Record<string, OutcomeFormat>
export type OutcomeFormatName = keyof typeof outcomeFormats
export const outcomeFormatNames = Object.keys(outcomeFormats) as [OutcomeFormatName, ...OutcomeFormatName[]]
