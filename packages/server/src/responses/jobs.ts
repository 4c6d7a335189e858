import { readFile } from 'node:fs/promises'
import { Readable } from 'node:stream'
import { broughtFiles, type OutcomeColumn } from '@hand-post/core'
import { typeOf } from '../files/mediaType.ts'
import { packFiles } from '../files/pack.ts'
import { noteFile } from '../files/store.ts'
import { readMail } from '../mailboxes/readMail.ts'
import { Refusal } from '../problem.ts'
import { roundById } from '../rounds/store.ts'
import type { JobContext } from '../threads/job.ts'
import { hearAnew } from './heard.ts'
import { namedReturned } from './namedReturned.ts'
import { outcomeLines } from './outcomeLines.ts'
import { outcomeSheet, type SheetFormat } from './outcomeSheet.ts'
import type { CameBack } from './returnedStore.ts'

interface NamedReturned {
  roundId: number
  pattern: string
  today: string
}

/** What came back, over a whole round, and what is read of files that came back. */
export const responseJobs = {
  /** Takes together what came back of a round since it was last done. */
  hearAnew: ({ roundId }: { roundId: number }, { db }: JobContext) => hearAnew(db, roundId),

  /** A round's outcomes as a sheet, and what it is called. */
  async outcomeSheet(
    given: { roundId: number; as: SheetFormat; columns: readonly OutcomeColumn[]; now: number },
    { db, files }: JobContext,
  ): Promise<{ name: string; file: Uint8Array }> {
    await hearAnew(db, given.roundId)
    return outcomeSheet(db, files, given)
  },

  /** What came of each person of a round, for other programs. */
  async outcomeLines({ roundId }: { roundId: number }, { db }: JobContext) {
    await hearAnew(db, roundId)
    return outcomeLines(db, roundId)
  },

  /** The files that came back in a round, and what each is called by a pattern when they are kept together. */
  namedReturned: ({ roundId, pattern, today }: NamedReturned, { db }: JobContext) =>
    namedReturned(db, roundId, pattern, today),

  /** Packs the files that came back in a round into a zip at a path. Gives what that is called. */
  async returnedZip(
    { roundId, pattern, today, path }: NamedReturned & { path: string },
    { db, files, progress }: JobContext,
  ): Promise<string> {
    const named = (await namedReturned(db, roundId, pattern, today)).files.filter((file) => file.keptAs !== null)
    if (named.length === 0) throw new Refusal(409, 'No files came back yet that could be kept.', 'Nothing to keep')
    const entries = named.map(({ keptAs, hash }) => ({ name: keptAs!, hash: hash! }))
    await packFiles(path, entries, files, (done) => progress(done, named.length, 'Packing'))
    return `${(await roundById(db, roundId)).title}, returned files.zip`
  },

  /**
   * Keeps the files that an answer brings.
   * @param path where the whole message lies.
   * @param own the contents (SHA-256) of the files that went with the letter.
   */
  async keepReturned(
    { path, own }: { path: string; own: string[] },
    { db, files, progress }: JobContext,
  ): Promise<CameBack[]> {
    const { files: brought, more } = await readMail(broughtFiles(await readFile(path)))
    const kept: CameBack[] = []
    for (const [i, { name, type, content }] of brought.entries()) {
      progress(i, brought.length, 'Files')
      const bytes = Buffer.from(content.buffer, content.byteOffset, content.byteLength)
      const { hash, size } = await files.keep(Readable.from([bytes]), bytes.length)
      // What a mail program calls a type is often none: by its name it is told what it is, as of an enclosure.
      const known = typeOf(name)
      const is = known === 'application/octet-stream' ? type : known
      await noteFile(db, { hash, size, type: is })
      kept.push({ name, size, type: is, hash, why: null, ours: own.includes(hash) })
    }
    if (more > 0)
      kept.push({
        name: `${more} further files`,
        size: 0,
        type: 'application/octet-stream',
        hash: null,
        why: `An answer’s first ${brought.length} files are kept. Save the others from the mail program.`,
        ours: false,
      })
    return kept
  },
}
export type ResponseJobs = typeof responseJobs
