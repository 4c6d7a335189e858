import type { Shareable, Sharing, Thing } from '@hand-post/contract'
import { type Database, json } from '../db/database.ts'
import { notFound, Refusal } from '../problem.ts'
import { whoActs } from '../who.ts'

/** How what is not there, and what somebody may not see, is called alike. */
const called: Record<Thing['kind'], string> = {
  list: 'list',
  letter: 'letter',
  round: 'round',
  mailbox: 'mailbox',
  mailboxOfRound: 'mailbox',
  mailboxOfResponse: 'mailbox',
  message: 'message',
  copy: 'copy',
  response: 'answer',
  record: 'record',
  reminder: 'reminder',
  returnedFile: 'file',
  version: 'version',
}

/** Refuses, as if it were not there, what an account may not see. */
export async function mustSee(db: Database, account: number, things: readonly Thing[]): Promise<void> {
  if (things.length === 0) return
  // All in one question: what is marked in the in-tray may be thousands.
  const [away] = await db.query<Thing>(
    'SELECT kind, id FROM jsonb_to_recordset($1::jsonb) AS t (kind text, id int) WHERE NOT may_see(kind, id, $2) LIMIT 1',
    [json(things), account],
  )
  if (away) {
    const { kind } = away
    if (kind === 'mailboxOfRound' || kind === 'mailboxOfResponse')
      throw new Refusal(
        403,
        'The mailbox of this round is not shared with you, so nothing leaves from it by your hand. Ask whoever it belongs to. Nothing was done.',
        'Not your mailbox',
      )
    throw notFound(called[kind])
  }
}

/** What whoever acts may not see. */
export interface Hidden {
  /** With their chasers and answers. */
  rounds: ReadonlySet<number>
  lists: ReadonlySet<number>
  letters: ReadonlySet<number>
  /** But for those of rounds that may be seen. */
  mailboxes: ReadonlySet<number>
  /** Mailboxes that one may not send from, whether one sees them or not. */
  unusable: ReadonlySet<number>
}
const nothing: Hidden = {
  rounds: new Set(),
  lists: new Set(),
  letters: new Set(),
  mailboxes: new Set(),
  unusable: new Set(),
}

/** What whoever acts may not see: where nobody signs in, nothing. */
export async function hidden(db: Database): Promise<Hidden> {
  const who = whoActs()
  if (who === null) return nothing
  const found = await db.query<{ kind: Shareable | 'unusable'; id: number }>(
    `WITH away AS (
       SELECT s.kind, s.thing FROM sharing s WHERE s.owner <> $1
         AND NOT EXISTS (SELECT 1 FROM shared_with w WHERE w.kind = s.kind AND w.thing = s.thing AND w.account = $1)
     ), rounds_away AS (SELECT r.id, r.list_id FROM rounds r JOIN away a ON a.kind = 'round' AND a.thing = r.family)
     SELECT 'round' AS kind, id FROM rounds_away
     UNION ALL SELECT a.kind, a.thing FROM away a WHERE a.kind = 'letter'
     UNION ALL SELECT 'unusable', a.thing FROM away a WHERE a.kind = 'mailbox'
     UNION ALL SELECT a.kind, a.thing FROM away a WHERE a.kind = 'list'
       AND NOT EXISTS (SELECT 1 FROM rounds r WHERE r.list_id = a.thing AND r.id NOT IN (SELECT id FROM rounds_away))
     UNION ALL SELECT a.kind, a.thing FROM away a WHERE a.kind = 'mailbox'
       AND NOT EXISTS (SELECT 1 FROM rounds r WHERE r.mailbox_id = a.thing AND r.id NOT IN (SELECT id FROM rounds_away))`,
    [who.id],
  )
  const of = (kind: Shareable | 'unusable') => new Set(found.filter((one) => one.kind === kind).map(({ id }) => id))
  return {
    rounds: of('round'),
    lists: of('list'),
    letters: of('letter'),
    mailboxes: of('mailbox'),
    unusable: of('unusable'),
  }
}

/** The first of a round's family, by which it is shared; other things by their own number. */
async function rootOf(db: Database, kind: Shareable, thing: number): Promise<number> {
  if (kind !== 'round') return thing
  const [found] = await db.query<{ family: number }>('SELECT family FROM rounds WHERE id = $1', [thing])
  return found?.family ?? thing
}

/** Whom something is shared with. */
export async function sharingOf(db: Database, kind: Shareable, thing: number): Promise<Omit<Sharing, 'mayChange'>> {
  const root = await rootOf(db, kind, thing)
  const [found] = await db.query<{ owner: number; name: string | null; with: number[] }>(
    `SELECT s.owner, a.name, coalesce((SELECT jsonb_agg(w.account ORDER BY w.account) FROM shared_with w WHERE w.kind = s.kind AND w.thing = s.thing), '[]') AS with
     FROM sharing s LEFT JOIN accounts a ON a.id = s.owner WHERE s.kind = $1 AND s.thing = $2`,
    [kind, root],
  )
  if (!found) return { shared: 'everybody', owner: null, with: [] }
  return {
    shared: found.with.length > 0 ? 'chosen' : 'nobody',
    owner: { id: found.owner, name: found.name ?? '' },
    with: found.with,
  }
}

/** Shares something with everybody, with some, or with nobody but its owner. */
export async function share(
  db: Database,
  kind: Shareable,
  thing: number,
  owner: number,
  accounts: readonly number[] | 'everybody',
): Promise<void> {
  const root = await rootOf(db, kind, thing)
  await db.query('DELETE FROM sharing WHERE kind = $1 AND thing = $2', [kind, root])
  if (accounts === 'everybody') return
  await db.query('INSERT INTO sharing (kind, thing, owner) VALUES ($1, $2, $3)', [kind, root, owner])
  await db.query(
    `INSERT INTO shared_with (kind, thing, account) SELECT $1, $2, id FROM accounts
     WHERE ended_at IS NULL AND id <> $4 AND id IN (SELECT value::int FROM jsonb_array_elements_text($3::jsonb))`,
    [kind, root, json(accounts), owner],
  )
}

/** What is made of something is for those who may see that; it belongs to whoever makes it. */
export async function shareAlike(
  db: Database,
  from: { kind: Shareable; id: number },
  to: { kind: Shareable; id: number },
): Promise<void> {
  const who = whoActs()
  if (who === null) return
  const { shared, owner, with: others } = await sharingOf(db, from.kind, from.id)
  if (shared !== 'everybody') await share(db, to.kind, to.id, who.id, [...others, ...(owner ? [owner.id] : [])])
}

/** What belonged to an account that has ended belongs to another from then on, or nobody could ever see it. */
export async function handOver(db: Database, from: number, to: number): Promise<void> {
  await db.query('UPDATE sharing SET owner = $2 WHERE owner = $1', [from, to])
  await db.query('DELETE FROM shared_with WHERE account = $1', [from])
  await db.query(
    'DELETE FROM shared_with w USING sharing s WHERE s.kind = w.kind AND s.thing = w.thing AND s.owner = w.account',
  )
}

/** What something is called, and whether it is everybody's whatever one wishes; null where it is not there. */
export async function nameOf(
  db: Database,
  kind: Shareable,
  thing: number,
): Promise<{ name: string; everybodys: boolean } | null> {
  const sql = {
    list: 'SELECT name, book AS everybodys FROM lists WHERE id = $1',
    letter: 'SELECT name, false AS everybodys FROM shelf WHERE id = $1',
    round: 'SELECT title AS name, false AS everybodys FROM rounds WHERE id = $1',
    mailbox: `SELECT settings->>'name' AS name, practice AS everybodys FROM mailboxes WHERE id = $1`,
  }
  const [found] = await db.query<{ name: string; everybodys: boolean }>(sql[kind], [thing])
  return found ?? null
}
