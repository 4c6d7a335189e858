import { z } from 'zod'
import { id } from './ids.ts'
import { route } from './route.ts'

/** A posting record that was made. */
export const postingRecordSchema = z.object({
  id: z.number(),
  madeAt: z.number(),
  /** The end of the chain of hashes, which the PDF prints; null where the round was not finished, and the record is not sealed. */
  end: z.string().nullable(),
  letters: z.number(),
  entries: z.number(),
})
export type PostingRecord = z.infer<typeof postingRecordSchema>

/** The forms of an archive of messages. */
export const archiveForms = ['mbox', 'zip'] as const
export type ArchiveForm = (typeof archiveForms)[number]

/** The calls for posting records and archives. */
export const recordRoutes = {
  postingRecords: route({
    method: 'GET',
    path: '/api/rounds/:round/records',
    summary: 'The posting records of a round, the newest first, and whether one that is made now is sealed',
    params: z.object({ round: id }),
    answer: z.object({
      /** What keeps the round from being finished, in words; only a finished one is sealed. */
      unfinished: z.array(z.string()),
      /** Letters that have gone, chasers and answers too; and answers that came. */
      sent: z.number(),
      answers: z.number(),
      records: z.array(postingRecordSchema),
    }),
  }),
  makePostingRecord: route({
    method: 'POST',
    path: '/api/rounds/:round/records',
    summary: 'Make a posting record of a round as it is now: a PDF and, of a finished one, its seal',
    params: z.object({ round: id }),
    answer: postingRecordSchema,
  }),
  postingRecordPdf: route({
    method: 'GET',
    path: '/api/records/:record/pdf',
    summary: 'A posting record as a PDF',
    params: z.object({ record: id }),
    gives: 'application/pdf',
    answer: z.string(),
  }),
  postingRecordSeal: route({
    method: 'GET',
    path: '/api/records/:record/seal',
    summary: 'The seal of a posting record: everything in it as a chain of hashes, as JSON',
    params: z.object({ record: id }),
    gives: 'application/json',
    answer: z.string(),
  }),
  archive: route({
    method: 'GET',
    path: '/api/rounds/:round/archive',
    summary:
      'Every message of a round as it was sent: one .mbox file, or a zip of .eml files with a list, all files once and, if wished, the answers',
    params: z.object({ round: id }),
    query: z.object({ as: z.enum(archiveForms).default('zip'), answers: z.stringbool().default(false) }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
}
