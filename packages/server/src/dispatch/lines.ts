import type { MessageLine, MessageOrder, StateCounts } from '@hand-post/contract'
import { type MessageState, messageStates } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { notFound } from '../problem.ts'
import { wordsLookedFor } from '../rounds/lookedFor.ts'
import { statesOf } from '../rounds/store.ts'

const copiesOfLine = `coalesce((SELECT jsonb_agg(jsonb_build_object('id', k.id, 'address', k.address, 'role', k.role, 'state', k.state, 'at', coalesce(k.sent_at, k.planned_at), 'reason', k.reason) ORDER BY k.id)
   FROM copies k WHERE k.message_id = m.id), '[]') AS copies`

/** In doubt, looked for in Sent and not found. */
const asksWriter = `m.state = 'inDoubt' AND m.looked_at IS NOT NULL`

const lineColumns = `m.id, m.round_id AS "roundId", m.row_id AS "rowId", m.person, m.address, m.subject, m.state,
  m.planned_at AS "plannedAt", m.sent_at AS "sentAt", m.filed_at AS "filedAt", m.attempts, m.version, coalesce(CASE WHEN m.state IN ('waiting', 'retrying') THEN m.unfit END, m.reason) AS reason,
  m.filing_fault AS "filingFault", (${asksWriter}) AS "asksWriter", ${copiesOfLine}`

/** The messages of a round, in the list's order: all, those of a row, those that wait. */
export function messagesOf(
  db: Database,
  roundId: number,
  { row, waiting }: { row?: number; waiting?: 'yes' },
): Promise<MessageLine[]> {
  return db.query<MessageLine>(
    `SELECT ${lineColumns} FROM messages m WHERE m.round_id = $1 AND ($2::int IS NULL OR m.row_id = $2)
       ${waiting ? `AND m.state IN ('waiting', 'retrying')` : ''} ORDER BY m.position, m.again`,
    [roundId, row ?? null],
  )
}

/** By what messages are sorted; what has nothing there stands last. */
const orders: Readonly<Record<MessageOrder, string>> = {
  // In the order of a message's life.
  state: `array_position(ARRAY[${messageStates.map((state) => `'${state}'`).join(', ')}], m.state)`,
  person: 'lower(m.person)',
  version: 'm.version',
  when: 'coalesce(m.sent_at, m.planned_at)',
  words: `lower(nullif(coalesce(m.filing_fault, m.reason), ''))`,
}

/** A part of the messages of a round that are wanted, how many these are, and how the whole round stands. */
export async function partOfMessages(
  db: Database,
  roundId: number,
  { find, state }: { find: string; state?: MessageState },
  { by, way, from, count }: { by?: MessageOrder; way: 'up' | 'down'; from: number; count: number },
): Promise<{ found: number; states: StateCounts; copies: StateCounts; asking: number; lines: MessageLine[] }> {
  const { where, values } = wordsLookedFor(find, 3)
  const states = await statesOf(db, roundId)
  const wanted = `m.round_id = $1 AND ($2::text IS NULL OR m.state = $2) ${where}`
  const given = [roundId, state ?? null, ...values]
  const order = by ? `${orders[by]} ${way === 'up' ? 'ASC' : 'DESC'} NULLS LAST, ` : ''
  // The lines are made of those in view only: whoever has copies has them looked up.
  const lines = await db.query<MessageLine>(
    `SELECT ${lineColumns} FROM (SELECT * FROM messages m WHERE ${wanted} ORDER BY ${order}m.position, m.again LIMIT ${count} OFFSET ${from}) m
     ORDER BY ${order}m.position, m.again`,
    given,
  )
  const all = Object.values(states).reduce((sum, n) => sum + n, 0)
  return {
    found: find === '' ? (state ? states[state] : all) : await countFound(db, wanted, given),
    states,
    copies: await copyStates(db, roundId),
    asking: states.inDoubt === 0 ? 0 : await countFound(db, `m.round_id = $1 AND ${asksWriter}`, [roundId]),
    lines,
  }
}

async function countFound(db: Database, where: string, values: unknown[]): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(`SELECT count(*)::int AS n FROM messages m WHERE ${where}`, values)
  return n
}

/** How many copies of letters that have gone are in each state: the fate of the others is that of their letter. */
async function copyStates(db: Database, roundId: number): Promise<StateCounts> {
  const counted = await db.query<{ state: MessageState; n: number }>(
    `SELECT c.state, count(*)::int AS n FROM copies c JOIN messages m ON m.id = c.message_id
     WHERE m.round_id = $1 AND m.state = 'sent' GROUP BY c.state`,
    [roundId],
  )
  const none = Object.fromEntries(messageStates.map((state) => [state, 0])) as StateCounts
  return Object.assign(none, Object.fromEntries(counted.map(({ state, n }) => [state, n])))
}

/** One message's line. Throws a refusal when it is not there. */
export async function messageLine(db: Database, id: number): Promise<MessageLine> {
  const [found] = await db.query<MessageLine>(`SELECT ${lineColumns} FROM messages m WHERE m.id = $1`, [id])
  if (!found) throw notFound('message')
  return found
}

/** What is waiting over all rounds, in the order of leaving, and what is in doubt. */
export function outTray(
  db: Database,
  most: number,
  hidden: ReadonlySet<number>,
): Promise<(MessageLine & { round: string; answer: boolean; held: boolean; mailboxId: number })[]> {
  return db.query(
    `SELECT ${lineColumns}, coalesce(r.answers_of, r.id) AS "roundId", r.answers_of IS NOT NULL AS answer, r.title AS round, r.held, m.mailbox_id AS "mailboxId" FROM messages m JOIN rounds r ON r.id = m.round_id
     WHERE m.state IN ('waiting', 'sending', 'retrying', 'inDoubt') AND m.round_id <> ALL ($2::int[]) ORDER BY (m.state = 'inDoubt') DESC, m.planned_at, m.id LIMIT $1`,
    [most, [...hidden]],
  )
}

export async function outTrayCount(db: Database, hidden: ReadonlySet<number>): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    `SELECT count(*)::int AS n FROM messages WHERE state IN ('waiting', 'sending', 'retrying', 'inDoubt') AND round_id <> ALL ($1::int[])`,
    [[...hidden]],
  )
  return n
}
