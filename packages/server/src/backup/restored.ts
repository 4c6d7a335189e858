import { readFile, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { momentInFull, times, verb } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { waitedInCopy } from '../dispatch/store.ts'
import { restoredName, restoredSchema } from './manifest.ts'
import { endSignedIn, settleRestored } from './store.ts'

/**
 * Settles a data folder that was put back from a copy, before anything of it leaves. Where it was not, nothing is done.
 * @returns what whoever starts it should know, in words; null where there is nothing.
 */
export async function afterRestore(db: Database, folder: string, now: number): Promise<string | null> {
  const file = join(folder, restoredName)
  const text = await readFile(file, 'utf8').catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return null
    throw error
  })
  if (text === null) return null
  const read = restoredSchema.safeParse(asJson(text))
  if (!read.success)
    throw new Error(
      `The note ${file} says that this folder was put back from a copy, and cannot be read. Without it letters could be sent a second time, so nothing is begun. Put the copy back once more.`,
    )
  const { id, madeAt } = read.data
  const when = momentInFull(madeAt, Intl.DateTimeFormat().resolvedOptions().timeZone)
  const settled = await settleRestored(
    db,
    { id, madeAt, now },
    {
      reason: `${waitedInCopy} ${when} was made that was put back here. It may have been sent since from where the copy was made.`,
      heldWhy: `It was put back from the copy of ${when}. What waited then may have been sent since from where the copy was made: say of what is in doubt whether it went, and carry on when nothing is sent from there any more.`,
    },
  )
  // Who was signed in when the copy was made is not now, and a link that was taken since is not to be taken again.
  await endSignedIn(db)
  await rm(file)
  if (settled === null || settled.letters + settled.copies === 0) return null
  return `This is the copy of ${when}, put back. ${times(settled.letters, 'letter')}${settled.copies > 0 ? ` and ${times(settled.copies, 'copy', 'copies')}` : ''} that waited then ${verb(settled.letters + settled.copies, 'is', 'are')} not sent: Sent is looked through for ${verb(settled.letters + settled.copies, 'it', 'them')}, and Dispatch asks about what is not there.`
}

function asJson(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return null
  }
}
