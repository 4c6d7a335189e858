import type { ContactGroup } from '@hand-post/contract'
import { type Column, findAddressColumn, type MessageState, sameAddressKey, shown } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { notFound, Refusal } from '../problem.ts'
import { insertList, listById, rowsOf } from './store.ts'

/** The columns that an address book begins with. */
const bookColumns: Column[] = [
  { id: 'c1', name: 'Name', kind: 'text' },
  { id: 'c2', name: 'Email', kind: 'address' },
  { id: 'c3', name: 'Telephone', kind: 'text' },
  { id: 'c4', name: 'Note', kind: 'text' },
]

/** The id of the address book, which is made when it is first asked for. */
export async function bookId(db: Database, now: number): Promise<number> {
  const [found] = await db.query<{ id: number }>('SELECT id FROM lists WHERE book')
  return (
    found?.id ??
    insertList(
      db,
      {
        name: 'Address book',
        columns: bookColumns,
        source: { fileName: null, sheet: null, said: [] },
        createdAt: now,
        book: true,
      },
      0,
      [],
    )
  )
}

/** All groups by name, with the contacts in them that are still there. */
export function groups(db: Database): Promise<ContactGroup[]> {
  return db.query(
    `SELECT g.id, g.name, coalesce(jsonb_agg(r.id ORDER BY r.position) FILTER (WHERE r.id IS NOT NULL), '[]') AS members
     FROM groups g LEFT JOIN group_members m ON m.group_id = g.id
     LEFT JOIN (SELECT r.id, r.position FROM list_rows r JOIN lists l ON l.id = r.list_id AND l.book) r ON r.id = m.row_id
     GROUP BY g.id ORDER BY lower(g.name)`,
  )
}

export async function groupById(db: Database, id: number): Promise<ContactGroup> {
  const found = (await groups(db)).find((g) => g.id === id)
  if (!found) throw notFound('group')
  return found
}

/** Makes a group, or gives the one of that name. */
export async function groupNamed(db: Database, name: string): Promise<number> {
  const [found] = await db.query<{ id: number }>(
    'INSERT INTO groups (name) VALUES ($1) ON CONFLICT (name) DO UPDATE SET name = $1 RETURNING id',
    [name],
  )
  return found.id
}

export async function renameGroup(db: Database, id: number, name: string): Promise<void> {
  const [taken] = await db.query<{ id: number }>('SELECT id FROM groups WHERE name = $1 AND id <> $2', [name, id])
  if (taken) throw new Refusal(409, `Another group already has the name “${name}”. Choose another name.`, 'Name taken')
  await db.query('UPDATE groups SET name = $2 WHERE id = $1', [id, name])
}

export async function deleteGroup(db: Database, id: number): Promise<void> {
  await db.query('DELETE FROM groups WHERE id = $1', [id])
}

export async function addMembers(db: Database, group: number, rows: number[]): Promise<void> {
  await db.query(
    'INSERT INTO group_members SELECT $1, (value)::int FROM jsonb_array_elements_text($2::jsonb) AS x (value) ON CONFLICT DO NOTHING',
    [group, json(rows)],
  )
}

export async function removeMembers(db: Database, group: number, rows: number[]): Promise<void> {
  await db.query(
    'DELETE FROM group_members WHERE group_id = $1 AND row_id IN (SELECT jsonb_array_elements_text($2::jsonb)::int)',
    [group, json(rows)],
  )
}

/** Puts the kept contact into every group that one of those merged into it is in. */
export async function joinMemberships(db: Database, kept: number, others: number[]): Promise<void> {
  await db.query(
    `INSERT INTO group_members SELECT DISTINCT group_id, $1::int FROM group_members
     WHERE row_id IN (SELECT jsonb_array_elements_text($2::jsonb)::int) ON CONFLICT DO NOTHING`,
    [kept, json(others)],
  )
}

/** The addresses of every group's members, as rules ask for them. */
export async function groupMembers(db: Database): Promise<(group: number) => ReadonlySet<string> | undefined> {
  const [book] = await db.query<{ id: number }>('SELECT id FROM lists WHERE book')
  if (!book) return () => undefined
  const column = findAddressColumn((await listById(db, book.id)).columns)
  const byRow = new Map(
    column ? (await rowsOf(db, book.id)).map((row) => [row.id, sameAddressKey(shown(row.cells[column]))]) : [],
  )
  const sets = new Map(
    (await groups(db)).map((g) => [g.id, new Set(g.members.map((id) => byRow.get(id) ?? '').filter((a) => a !== ''))]),
  )
  return (group) => sets.get(group)
}

/** An address that no round may write to. */
export interface RefusedAddress {
  address: string
  reason: string
  at: number
}

export function refusedAddresses(db: Database): Promise<RefusedAddress[]> {
  return db.query('SELECT address, reason, at FROM do_not_write ORDER BY at DESC, address')
}

/** Why, and since when, no round may write to an address; null when it may. */
export async function refusedFor(db: Database, address: string): Promise<RefusedAddress | null> {
  const [found] = await db.query<RefusedAddress>('SELECT address, reason, at FROM do_not_write WHERE address = $1', [
    sameAddressKey(address),
  ])
  return found ?? null
}

/** Puts an address on the do-not-write list. What waits for it is set aside by {@link refuseAddress} of dispatch. */
export async function noteRefused(db: Database, address: string, reason: string, now: number): Promise<void> {
  await db.query(
    'INSERT INTO do_not_write VALUES ($1, $2, $3) ON CONFLICT (address) DO UPDATE SET reason = $2, at = $3',
    [sameAddressKey(address), reason, now],
  )
}

export async function allowAddress(db: Database, address: string): Promise<void> {
  await db.query('DELETE FROM do_not_write WHERE address = $1', [sameAddressKey(address)])
}

/** Every message to an address, newest first. */
export function messagesTo(
  db: Database,
  keys: string[],
): Promise<
  {
    id: number
    address: string
    round: number
    title: string
    row: number
    person: string
    subject: string
    text: string
    files: { name: string; hash: string; size: number }[]
    state: MessageState
    sentAt: number | null
    plannedAt: number | null
    reason: string | null
  }[]
> {
  return db.query(
    `SELECT m.id, m.address, coalesce(r.answers_of, r.id) AS round, r.title, m.row_id AS row, m.person, m.subject, m.state, m.sent_at AS "sentAt", m.planned_at AS "plannedAt", m.reason,
       c.contents->>'text' AS text,
       (SELECT coalesce(jsonb_agg(jsonb_build_object('name', f->>'name', 'hash', f->>'hash', 'size', (f->>'size')::bigint)), '[]') FROM jsonb_array_elements(c.contents->'files') f) AS files
     FROM messages m JOIN rounds r ON r.id = m.round_id JOIN message_contents c ON c.message_id = m.id
     WHERE m.address_key IN (SELECT jsonb_array_elements_text($1::jsonb)) ORDER BY m.id DESC`,
    [json(keys)],
  )
}

/** Saved rules by name. */
export function savedRules(db: Database) {
  return db.query<{ id: number; name: string; selection: never; columns: Record<string, string> }>(
    'SELECT id, name, selection, columns FROM saved_rules ORDER BY lower(name)',
  )
}

export async function saveRules(db: Database, name: string, selection: object, columns: object): Promise<number> {
  const [{ id }] = await db.query<{ id: number }>(
    `INSERT INTO saved_rules (name, selection, columns) VALUES ($1, $2, $3)
     ON CONFLICT (name) DO UPDATE SET selection = $2, columns = $3 RETURNING id`,
    [name, json(selection), json(columns)],
  )
  return id
}

export async function forgetRules(db: Database, id: number): Promise<void> {
  await db.query('DELETE FROM saved_rules WHERE id = $1', [id])
}
