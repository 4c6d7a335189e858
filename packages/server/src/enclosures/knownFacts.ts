import type { FileFacts } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { fileFactsOf } from '../rounds/store.ts'

// A content never changes, and nor does what was found in it: this thread reads it from the database once.
const known = new Map<string, FileFacts>()
/** How much text (signs) is kept before all of it is let go. */
const mostText = 40_000_000
let text = 0

/** What is known of the contents of files, by hash; those that were not examined yet are missing. */
export async function knownFacts(db: Database, files: { hash: string }[]): Promise<Map<string, FileFacts>> {
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
  if (text > mostText) {
    known.clear()
    text = 0
  }
  return all
}

/** Lets go of what is known. */
export function forgetFacts(): void {
  known.clear()
  text = 0
}
