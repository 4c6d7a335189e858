import type { Board, ResponseEntry } from '@hand-post/contract'
import {
  automaticOnes,
  countBoard,
  csvText,
  isPersons,
  outcomeOf,
  outcomeWords,
  type ResponseKind,
  type Row,
  shown,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { momentWords } from '../dispatch/sentence.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { listById, rowsOf } from '../people/store.ts'
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
export async function outcomeCsv(db: Database, roundId: number): Promise<{ title: string; text: string }> {
  const round = await roundById(db, roundId)
  const { settings } = await mailboxById(db, round.mailboxId)
  const board = await boardOf(db, round.id)
  const list = round.listId === null ? null : await listById(db, round.listId)
  const byRow = new Map(board.people.map((p) => [p.rowId, p]))
  const when = (at: number | null | undefined) => (at ? momentWords(at, settings.timeZone) : '')
  const there = list ? await rowsOf(db, list.id) : []
  // Whoever was taken out of the list after posting is in the sheet all the same.
  const ids = new Set(there.map((row) => row.id))
  const rows = [
    ...there,
    ...board.people
      .filter((p) => !ids.has(p.rowId))
      .map((p) => ({ id: p.rowId, cells: round.addressColumn ? { [round.addressColumn]: p.address } : {} })),
  ]
  const columns = list?.columns ?? []
  const table = [
    [...columns.map((c) => c.name), 'Outcome', 'Sent', 'Opened', 'Replied', 'Answer or reason'],
    ...rows.map((row) => {
      const person = byRow.get(row.id)
      const first = (...kinds: ResponseKind[]) =>
        person?.responses.find((r) => kinds.includes(r.kind) && !r.automatic && isPersons(r))
      return [
        ...columns.map((c) => shown((row.cells as Row['cells'])[c.id])),
        person ? outcomeWords[person.outcome] : 'not in this round',
        when(person?.sentAt),
        when(first('open', 'click')?.at),
        when(first('reply')?.at),
        first('reply', 'bounce')?.words ?? (person?.outcome === 'refused' ? (person.reason ?? '') : ''),
      ]
    }),
  ]
  return { title: round.title, text: csvText(table) }
}
