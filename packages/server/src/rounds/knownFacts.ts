import type { RoundFileEntry } from '@hand-post/contract'
import type { FileFacts } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { fileFactsOf, filesOf } from './files.ts'

// A content never changes, and nor does what was found in it: this thread reads it from the database once.
const known = new Map<string, FileFacts>()
/** How much text (characters) is kept before all of it is let go. */
const maxText = 40_000_000
let text = 0

/** The files of the rounds last worked with, as long as their version is the same, and what is known of them once all is. */
const filesBefore = new Map<
  number,
  { version: number; files: RoundFileEntry[]; facts: Map<string, FileFacts> | null }
>()
const maxRounds = 3

/** The files of a round and, where it is wanted, what is known of their contents. */
export async function filesWithFacts(
  db: Database,
  { id, filesVersion }: { id: number; filesVersion: number },
  withFacts: boolean,
): Promise<{ files: RoundFileEntry[]; facts: Map<string, FileFacts> }> {
  let before = filesBefore.get(id)
  if (before?.version !== filesVersion) {
    before = { version: filesVersion, files: await filesOf(db, id), facts: null }
    filesBefore.delete(id)
    filesBefore.set(id, before)
    for (const old of filesBefore.keys()) if (filesBefore.size > maxRounds) filesBefore.delete(old)
  }
  if (!withFacts) return { files: before.files, facts: new Map() }
  const facts = before.facts ?? (await knownFacts(db, before.files))
  if (before.files.every((f) => facts.has(f.hash))) before.facts = facts
  return { files: before.files, facts }
}

/** What is known of the contents of files, by hash; those that were not examined yet are missing. */
async function knownFacts(db: Database, files: { hash: string }[]): Promise<Map<string, FileFacts>> {
  const wanted = [...new Set(files.map((f) => f.hash))]
  const found = await fileFactsOf(
    db,
    wanted.filter((hash) => !known.has(hash)),
  )
  const all = new Map(wanted.flatMap((hash) => (known.has(hash) ? [[hash, known.get(hash)!] as const] : [])))
  for (const [hash, facts] of found) {
    all.set(hash, facts)
    known.set(hash, facts)
    text += facts.text?.length ?? 0
  }
  if (text > maxText) {
    known.clear()
    text = 0
  }
  return all
}

/** Lets go of what is known. */
export function forgetFacts(): void {
  known.clear()
  filesBefore.clear()
  text = 0
}
