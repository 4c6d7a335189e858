import type { LetterVersion, ShelfLetter, ShelfLine } from '@hand-post/contract'
import { eachLine, type Letter } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { notFound } from '../problem.ts'

/** After how long (ms) without a version the next change of a letter keeps what it was before. */
const versionEvery = 5 * 60_000

/** The first words of a letter. */
function beginningOf(letter: Letter): string {
  const lines: string[] = []
  eachLine(letter.body.content, (line) => {
    lines.push(
      line.map((i) => (i.type === 'text' ? i.text : i.type === 'field' ? `{{${i.attrs.column}}}` : ' ')).join(''),
    )
  })
  return lines
    .filter((line) => line.trim() !== '')
    .join(' ')
    .slice(0, 160)
}

type Stored = Omit<ShelfLetter, 'subject' | 'beginning'>
const select = 'SELECT id, name, tags, letter, created_at AS "createdAt", changed_at AS "changedAt" FROM shelf'
const whole = (stored: Stored): ShelfLetter => ({
  ...stored,
  subject: stored.letter.subject,
  beginning: beginningOf(stored.letter),
})

/** The letters of the shelf in whose name, tags or words the text stands, the one changed last first. */
export async function shelfLines(db: Database, find = ''): Promise<ShelfLine[]> {
  const wanted = find.trim().toLowerCase()
  const letters = (await db.query<Stored>(`${select} ORDER BY changed_at DESC, id DESC`)).map(whole)
  const words = (letter: ShelfLetter) =>
    [letter.name, ...letter.tags, letter.subject, JSON.stringify(letter.letter.body)].join('\n').toLowerCase()
  return letters.filter((l) => words(l).includes(wanted)).map(({ letter: _, ...line }) => line)
}

/** One letter of the shelf. Throws a refusal when it is not there. */
export async function shelfLetter(db: Database, id: number): Promise<ShelfLetter> {
  const [found] = await db.query<Stored>(`${select} WHERE id = $1`, [id])
  if (!found) throw notFound('letter')
  return whole(found)
}

export async function putOnShelf(
  db: Database,
  { name, tags, letter }: { name: string; tags: string[]; letter: Letter },
  now: number,
): Promise<number> {
  const [{ id }] = await db.query<{ id: number }>(
    'INSERT INTO shelf (name, tags, letter, created_at, changed_at) VALUES ($1, $2, $3, $4, $4) RETURNING id',
    [name, json(tags), json(letter), now],
  )
  return id
}

/** Changes a letter of the shelf, keeping what it was before. */
export async function changeOnShelf(
  db: Database,
  id: number,
  changes: { name?: string; tags?: string[]; letter?: Letter },
  now: number,
): Promise<void> {
  const before = await shelfLetter(db, id)
  const { name, tags, letter } = { ...before, ...changes }
  if (changes.letter) await keepVersion(db, { shelfId: id }, before.letter, now)
  await db.query('UPDATE shelf SET name = $2, tags = $3, letter = $4, changed_at = $5 WHERE id = $1', [
    id,
    name,
    json(tags),
    json(letter),
    now,
  ])
}

export async function takeOffShelf(db: Database, id: number): Promise<void> {
  await db.query('DELETE FROM shelf WHERE id = $1', [id])
}

type Owner = { roundId: number } | { shelfId: number }
const columnOf = (owner: Owner): ['round_id' | 'shelf_id', number] =>
  'roundId' in owner ? ['round_id', owner.roundId] : ['shelf_id', owner.shelfId]

/**
 * Keeps what a letter was before a change: at most once in a while, for letters are written anew with every few words; always
 * when `always`, where another letter takes its place.
 */
export async function keepVersion(
  db: Database,
  owner: Owner,
  letter: Letter,
  now: number,
  always = false,
): Promise<void> {
  const [column, id] = columnOf(owner)
  const [last] = await db.query<{ at: number; letter: Letter }>(
    `SELECT at, letter FROM letter_versions WHERE ${column} = $1 AND left_by IS NULL ORDER BY at DESC, id DESC LIMIT 1`,
    [id],
  )
  if (letter.subject.trim() === '' && beginningOf(letter).trim() === '') return
  if (last && !always && now - last.at < versionEvery) return
  if (last && JSON.stringify(last.letter) === JSON.stringify(letter)) return
  await db.query(`INSERT INTO letter_versions (${column}, letter, at) VALUES ($1, $2, $3)`, [id, json(letter), now])
}

/** Keeps what somebody wrote that was not taken over, because somebody else had the pen. Gives whether there was anything to keep. */
export async function keepLeft(
  db: Database,
  roundId: number,
  letter: Letter,
  by: string,
  now: number,
): Promise<boolean> {
  if (letter.subject.trim() === '' && beginningOf(letter).trim() === '') return false
  await db.query('INSERT INTO letter_versions (round_id, letter, at, left_by) VALUES ($1, $2, $3, $4)', [
    roundId,
    json(letter),
    now,
    by,
  ])
  return true
}

/** What a letter was before, and what was not taken over into it, the newest first. */
export async function versionsOf(db: Database, owner: Owner): Promise<LetterVersion[]> {
  const [column, id] = columnOf(owner)
  const versions = await db.query<{ id: number; at: number; letter: Letter; leftBy: string | null }>(
    `SELECT id, at, letter, left_by AS "leftBy" FROM letter_versions WHERE ${column} = $1 ORDER BY at DESC, id DESC LIMIT 200`,
    [id],
  )
  return versions.map(({ letter, ...version }) => ({
    ...version,
    subject: letter.subject,
    beginning: beginningOf(letter),
  }))
}

/** A letter as it was. */
export async function versionById(db: Database, id: number): Promise<{ at: number; letter: Letter }> {
  const [found] = await db.query<{ at: number; letter: Letter }>(
    'SELECT at, letter FROM letter_versions WHERE id = $1',
    [id],
  )
  if (!found) throw notFound('version')
  return found
}
