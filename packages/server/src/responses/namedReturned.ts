import type { ReturnedOf } from '@hand-post/contract'
import { compileName, keptNames } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { loadList } from '../people/loadList.ts'
import { roundById } from '../rounds/store.ts'
import { filesOfRound } from './returnedStore.ts'

/** The files that came back in a round, with what each is called when they are kept together. */
export interface Named {
  /** `keptAs` is null for what is not kept with the others: a program, a file of the letter's own, one without a content. */
  files: (ReturnedOf & { keptAs: string | null })[]
  toFetch: number
  unknown: string[]
}

/**
 * The files that came back in a round, named by a pattern written for each person's row as it is now; as they came where it is blank, or
 * the row is not there any more.
 */
export async function namedReturned(db: Database, roundId: number, pattern: string, today: string): Promise<Named> {
  const round = await roundById(db, roundId)
  const { files, toFetch } = await filesOfRound(db, roundId)
  const loaded = round.listId === null || pattern === '' ? null : await loadList(db, round.listId, today)
  const name = loaded && compileName(pattern, loaded.list.columns)
  const rows = new Map((loaded?.rows ?? []).map((row) => [row.id, row]))
  const isKept = ({ hash, ours, fault }: ReturnedOf) => hash !== null && !ours && fault?.fault !== 'executable'
  const kept = files.filter(isKept)
  const names = keptNames(
    kept.map((file) => {
      const row = rows.get(file.rowId)
      return { written: name && row ? name.of(row) : null, name: file.name }
    }),
  )
  const keptAs = new Map(kept.map(({ id }, i) => [id, names[i]]))
  return {
    files: files.map((file) => ({ ...file, keptAs: keptAs.get(file.id) ?? null })),
    toFetch,
    unknown: name?.unknown ?? [],
  }
}
