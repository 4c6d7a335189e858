import { type HtmlRead, readHtml } from '@hand-post/core'
import type { JobContext } from '../threads/job.ts'
import { readLetterFile } from './letterFile.ts'

/** Reading letters that are given. */
export const letterJobs = {
  /** Reads a letter that is given as HTML. */
  async readLetter({ html }: { html: string }, _: JobContext): Promise<HtmlRead> {
    return readHtml(html)
  },

  /** Reads a letter from a file. */
  async letterFile({ name, bytes }: { name: string; bytes: Uint8Array }, _: JobContext) {
    return readLetterFile(Buffer.from(bytes), name)
  },
}
export type LetterJobs = typeof letterJobs
