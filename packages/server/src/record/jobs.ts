import { Readable } from 'node:stream'
import { chained, type RecordHead, type Seal } from '@hand-post/core'
import { noteFile } from '../files/store.ts'
import type { JobContext } from '../threads/job.ts'
import { archiveJobs } from './archiveJobs.ts'
import { collect, sha256, unfinishedWords } from './collect.ts'
import { recordPdf } from './pdf.ts'

/** What a record that was made consists of. */
export interface MadeRecord {
  end: string | null
  letters: number
  entries: number
  /** Where the PDF and the seal lie, by hash. */
  pdf: string
  seal: string | null
}

/** Octets of a record's files at most. */
const largest = 1_000_000_000

/** Posting records and archives. */
export const recordJobs = {
  ...archiveJobs,

  /** Makes a posting record of a round: of a finished one with its seal. What it consists of is kept as files; the record itself is not. */
  async postingRecord({ roundId, now }: { roundId: number; now: number }, context: JobContext): Promise<MadeRecord> {
    const { db, files, progress } = context
    const unfinished = await unfinishedWords(db, roundId)
    const collected = await collect(context, roundId, now)
    const head: RecordHead = { ...collected.head, entries: collected.entries.length }
    const chain = chained(head, collected.entries, sha256)
    const sealed = unfinished.length === 0
    const letters = collected.entries.filter(({ kind }) => kind === 'message').length
    progress(0, letters, 'Setting the pages')
    const pdf = await recordPdf(collected, sealed ? chain.end : null, unfinished)
    progress(letters, letters, 'Keeping the record')
    const keep = async (bytes: Buffer, type: string) => {
      const { hash, size } = await files.keep(Readable.from([bytes]), largest)
      await noteFile(db, { hash, size, type })
      return hash
    }
    const pdfHash = await keep(pdf, 'application/pdf')
    const seal: Seal = { ...chain, pdf: pdfHash }
    return {
      end: sealed ? chain.end : null,
      letters,
      entries: collected.entries.length,
      pdf: pdfHash,
      seal: sealed ? await keep(Buffer.from(JSON.stringify(seal)), 'application/json') : null,
    }
  },
}
export type RecordJobs = typeof recordJobs
