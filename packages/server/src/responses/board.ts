import { tz } from '@date-fns/tz'
import type { Board, ResponseEntry } from '@hand-post/contract'
import {
  automaticOnes,
  countBoard,
  csvText,
  dayOf,
  isPersons,
  outcomeOf,
  outcomeWords,
  type ResponseKind,
  type Row,
  shown,
  strongestOutcome,
} from '@hand-post/core'
import { format } from 'date-fns'
import type { Database } from '../db/database.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { loadList } from '../people/loadList.ts'
import { roundById } from '../rounds/store.ts'
import * as responses from './store.ts'

/** A response as the API gives it. */
export const asEntry = (r: Omit<responses.StoredResponse, 'address'>, automatic: boolean): ResponseEntry => ({
  id: r.id,
  kind: r.kind,
  at: r.at,
  automatic,
  from: r.details.from ?? r.details.agent ?? '',
  subject: r.details.subject ?? '',
  words: r.details.words ?? '',
  of: r.of,
})

/** The board of a round. */
export async function boardOf(db: Database, roundId: number): Promise<Board> {
  const round = await roundById(db, roundId)
  const byMessage = new Map<number, responses.StoredResponse[]>()
  for (const r of await responses.responsesOfRound(db, roundId)) {
    const same = byMessage.get(r.messageId)
    if (same) same.push(r)
    else byMessage.set(r.messageId, [r])
  }
  const timeline: Board['timeline'] = []
  const answered = (await responses.boardMessages(db, roundId)).map((message) => {
    const came = (byMessage.get(message.id) ?? []).map((r) => ({ ...r, link: r.details.link }))
    const machine = message.sentAt === null ? new Set() : automaticOnes(message.sentAt, came)
    if (message.sentAt !== null) timeline.push({ at: message.sentAt, kind: 'sent', automatic: false })
    for (const r of came.filter(isPersons)) timeline.push({ at: r.at, kind: r.kind, automatic: machine.has(r) })
    return { message, came, machine }
  })
  return {
    counts: countBoard(
      answered.map(({ message, came }) => ({ state: message.state, sentAt: message.sentAt, responses: came })),
    ),
    people: answered.map(({ message, came, machine }) => ({
      messageId: message.id,
      rowId: message.rowId,
      person: message.person,
      address: message.address,
      outcome: outcomeOf({ state: message.state, sentAt: message.sentAt, responses: came }),
      sentAt: message.sentAt,
      lastAt: came.at(-1)?.at ?? null,
      reason: message.reason,
      responses: came.map((r) => asEntry(r, machine.has(r))),
    })),
    timeline: timeline.sort((a, b) => a.at - b.at),
    tracking: round.tracking,
  }
}

/** A round's list with its outcomes, as CSV. */
export async function outcomeCsv(db: Database, roundId: number, now: number): Promise<{ title: string; text: string }> {
  const round = await roundById(db, roundId)
  const { settings } = await mailboxById(db, round.mailboxId)
  const board = await boardOf(db, round.id)
  // With what is worked out from other columns, as it stands in the table.
  const loaded = round.listId === null ? null : await loadList(db, round.listId, dayOf(now, settings.timeZone))
  const byRow = new Map<number, Board['people']>()
  for (const person of board.people) {
    const letters = byRow.get(person.rowId)
    if (letters) letters.push(person)
    else byRow.set(person.rowId, [person])
  }
  // ISO 8601, with the hours that the mailbox's zone is ahead.
  const when = (at: number | null | undefined) =>
    at ? format(at, "yyyy-MM-dd'T'HH:mm:ssxxx", { in: tz(settings.timeZone) }) : ''
  const there = loaded?.rows ?? []
  // Whoever was taken out of the list after posting is in the sheet all the same.
  const ids = new Set(there.map((row) => row.id))
  const rows: Pick<Row, 'id' | 'cells'>[] = [
    ...there,
    ...[...byRow]
      .filter(([id]) => !ids.has(id))
      .map(([id, letters]) => ({
        id,
        cells: round.addressColumn ? { [round.addressColumn]: letters.at(-1)!.address } : {},
      })),
  ]
  const columns = loaded?.list.columns ?? []
  const table = [
    [...columns.map((c) => c.name), 'Outcome', 'Sent', 'Opened', 'Replied', 'Answer or reason'],
    ...rows.map((row) => {
      // Over all letters of a person: one sent once more does not hide what the one before brought back.
      const letters = byRow.get(row.id) ?? []
      const outcome = strongestOutcome(letters.map((l) => l.outcome))
      const responses = letters.flatMap((l) => l.responses).sort((a, b) => a.at - b.at)
      const first = (...kinds: ResponseKind[]) =>
        responses.find((r) => kinds.includes(r.kind) && !r.automatic && isPersons(r))
      const sent = letters.map((l) => l.sentAt).filter((at) => at !== null)
      return [
        ...columns.map((c) => shown(row.cells[c.id])),
        outcome ? outcomeWords[outcome] : 'not in this round',
        when(sent.length > 0 ? Math.min(...sent) : null),
        when(first('open', 'click')?.at),
        when(first('reply')?.at),
        (first('reply') ?? (outcome === 'bounced' ? first('bounce') : undefined))?.words ??
          (outcome === 'refused' ? (letters.at(-1)?.reason ?? '') : ''),
      ]
    }),
  ]
  return { title: round.title, text: csvText(table) }
}
