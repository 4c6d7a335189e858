import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import { typeOf } from '../files/mediaType.ts'
import { noteFile } from '../files/store.ts'
import { addRoundFile, madeFolder, noteMadeFile, removeRoundFiles } from '../rounds/files.ts'
import { sideBySide } from '../threads/compute.ts'
import type { Computes } from '../threads/job.ts'
import type { WorkOptions } from '../threads/works.ts'
import type { EnclosureJobs } from './jobs.ts'

/** For how many people one thread makes files at a stretch. */
const stretch = 10

/** What making files needs. */
export interface MakeParts {
  db: Database
  clock: Clock
  compute: Computes<EnclosureJobs>
}

/**
 * Makes the files of a round that are lacking or stale, for several people at a time. Stopped half way, what was made stays made.
 * @returns how many were made.
 */
export async function makeFiles(
  { db, compute, clock }: MakeParts,
  roundId: number,
  { signal, onProgress }: WorkOptions,
): Promise<number> {
  const now = clock.now()
  const { made, wanted } = await compute.run('toMake', { roundId, now }, { signal })
  const byRow = new Map(wanted.map((one) => [one.rowId, one]))
  // Fewer people than would keep every thread busy are shared out evenly.
  const each = Math.min(stretch, Math.ceil(wanted.length / sideBySide))
  const inputs = Array.from({ length: Math.ceil(wanted.length / Math.max(each, 1)) }, (_, i) => ({
    roundId,
    made,
    now,
    rowIds: wanted.slice(i * each, (i + 1) * each).map((one) => one.rowId),
  }))
  let begun = 0
  let done = 0
  await compute.runEach(
    'makeSome',
    inputs,
    async (kept) => {
      for (const { rowId, hash, size, print } of kept) {
        const { name, before } = byRow.get(rowId)!
        await noteFile(db, { hash, size, type: typeOf(name) })
        const added = await addRoundFile(db, roundId, { name, folder: madeFolder, hash, role: 'own' })
        await noteMadeFile(db, roundId, { rowId, fileId: added.id, print })
        if (before !== null && before !== added.id) await removeRoundFiles(db, roundId, [before])
        done++
      }
    },
    {
      signal,
      onProgress: ({ words }) => onProgress({ done: ++begun, of: wanted.length, words }),
    },
  )
  return done
}
