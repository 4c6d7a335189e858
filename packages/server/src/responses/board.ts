import type { Board, ResponseEntry } from '@hand-post/contract'
import {
  automaticOnes,
  countBoard,
  dayOf,
  domainOf,
  isHard,
  isPersons,
  type OutcomeFormatName,
  outcomeFormats,
  outcomeList,
  outcomeOf,
  reasonOf,
  reasonWords,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { loadList } from '../people/loadList.ts'
import { paperLinesOf } from '../rounds/paperLetters.ts'
import { roundById } from '../rounds/store.ts'
import * as responses from './store.ts'
import { wordsOfRound } from './trayStore.ts'

/** A response as the API gives it. */
const asEntry = (r: Omit<responses.StoredResponse, 'address'>, automatic: boolean): ResponseEntry => ({
  id: r.id,
  kind: r.kind,
  at: r.at,
  automatic,
  from: r.details.from ?? r.details.agent ?? '',
  subject: r.details.subject ?? '',
  words: r.details.words ?? '',
  of: r.of,
  status: r.details.status ?? '',
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
  const { words, given } = await wordsOfRound(db, roundId)
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
      word: given.get(message.rowId) ?? null,
      version: message.version,
      responses: came.map((r) => asEntry(r, machine.has(r))),
    })),
    outcomeWords: words,
    returned: returnedOf(
      answered.map(({ message, came }) => ({ address: message.address, sentAt: message.sentAt, came })),
    ),
    paper: await paperLinesOf(db, roundId),
    timeline: timeline.sort((a, b) => a.at - b.at),
    tracking: round.tracking,
  }
}

/** Why letters came back, by reason and domain, the most first. */
function returnedOf(
  letters: { address: string; sentAt: number | null; came: responses.StoredResponse[] }[],
): Board['returned'] {
  const sent = new Map<string, number>()
  const groups = new Map<string, Board['returned'][number]>()
  for (const { address, sentAt, came } of letters) {
    if (sentAt === null) continue
    const domain = domainOf(address)
    sent.set(domain, (sent.get(domain) ?? 0) + 1)
    const back = came.findLast((r) => r.kind === 'bounce' && isPersons(r))
    if (!back) continue
    const status = back.details.status ?? ''
    const reason = back.details.reason ?? reasonOf(status, back.details.words ?? '')
    const words = reason === null ? otherReason : reasonWords[reason]
    const hard = isHard(status)
    const key = `${words}\n${domain}\n${hard}`
    const group = groups.get(key) ?? { reason: words, domain, hard, count: 0, sent: 0 }
    group.count++
    groups.set(key, group)
  }
  return [...groups.values()]
    .map((group) => ({ ...group, sent: sent.get(group.domain) ?? 0 }))
    .sort((a, b) => b.count - a.count || (a.domain < b.domain ? -1 : 1))
}
const otherReason = 'for another reason'

/** A round's list with its outcomes, in one of the formats in which it is handed back. */
export async function outcomeFile(
  db: Database,
  roundId: number,
  as: OutcomeFormatName,
  now: number,
): Promise<{ title: string; file: string | Uint8Array }> {
  const round = await roundById(db, roundId)
  const { settings } = await mailboxById(db, round.mailboxId)
  const { people, paper } = await boardOf(db, round.id)
  const loaded = round.listId === null ? null : await loadList(db, round.listId, dayOf(now, settings.timeZone))
  const list = outcomeList(
    loaded?.list.columns ?? [],
    loaded?.rows ?? [],
    people,
    round.addressColumn,
    settings.timeZone,
    paper,
  )
  return { title: round.title, file: outcomeFormats[as].write(list) }
}
