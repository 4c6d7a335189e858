import { createHash } from 'node:crypto'
import { type AcceptedFinding, checks, compileLetter, type Finding, type Row } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { everybody, type LoadedRound } from '../rounds/loadRound.ts'
import { acceptedOf, readOf } from './store.ts'

/** Makes what tells whether somebody's letter is still the one that was read. */
export function printsOf({ round, columns, people, toProof }: LoadedRound): (row: Row) => string {
  const compiled = compileLetter(round.letter, columns, toProof.making)
  return (row) => messageFingerprint(compiled.merge(row, people.rowsOf.get(row.id), toProof.notes.get(row.id)))
}

/** What tells whether a message is still the one that was read. */
const messageFingerprint = ({ subject, html }: { subject: string; html: string }) =>
  createHash('sha256').update(`${subject}\n${html}`).digest('base64url')

/** The rows of a round whose letters the writer has read as they stand. */
export async function readRows(db: Database, loaded: LoadedRound): Promise<number[]> {
  const kept = await readOf(db, loaded.round.id)
  const printOf = printsOf(loaded)
  return everybody(loaded)
    .filter((row) => kept.has(row.id) && kept.get(row.id) === printOf(row))
    .map((row) => row.id)
}

/** What stands behind a posting, for its record: what was accepted of the proof's findings, and how many letters were read as they go. */
export async function standsBehind(
  db: Database,
  loaded: LoadedRound,
  findings: readonly Finding[],
): Promise<{ accepted: AcceptedFinding[]; read: number }> {
  const reasons = await acceptedOf(db, loaded.round.id)
  const titles = new Map(checks.map((check) => [check.name, check.title]))
  const accepted = findings.flatMap(({ grade, key, check, message }) =>
    grade === 'ask' ? [{ title: titles.get(check) ?? check, message, reason: reasons.get(key) ?? '' }] : [],
  )
  return { accepted, read: (await readRows(db, loaded)).length }
}
