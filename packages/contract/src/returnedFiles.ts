import { fileFaults } from '@hand-post/core'
import { z } from 'zod'
import { id } from './ids.ts'
import { route } from './route.ts'

/** A file that came back with an answer. */
export const returnedFileSchema = z.object({
  id: z.number(),
  responseId: z.number(),
  name: z.string(),
  /** Octets. */
  size: z.number(),
  /** Media type (IANA). */
  type: z.string(),
  /** The SHA-256 of its content; null where it was not kept. */
  hash: z.string().nullable(),
  /** Why it was not kept, in words; null where it was. */
  why: z.string().nullable(),
  /** It is a file of the letter's own, sent back as it was. */
  ours: z.boolean(),
  /** What is wrong with it, as with an enclosure, and what says so. */
  fault: z.object({ fault: z.enum(fileFaults), detail: z.string() }).nullable(),
  /** Whether it was examined. */
  examined: z.boolean(),
})
export type ReturnedFile = z.infer<typeof returnedFileSchema>

/** A returned file with whose it is: the row of the list, the person, and when it came. */
export const returnedOfSchema = returnedFileSchema.extend({ rowId: z.number(), person: z.string(), at: z.number() })
export type ReturnedOf = z.infer<typeof returnedOfSchema>

/** How returned files are called when they are kept together: words and fields of the list (`{{Name}}-permit`); '' is as they came. */
const keptPattern = z.string().trim().max(300).default('')
/** How many returned files are told of at once. */
export const mostReturned = 2000

export const returnedFileRoutes = {
  returnedFiles: route({
    method: 'GET',
    path: '/api/rounds/:round/returned-files',
    wants: 'writer',
    summary: 'The files that came back in a round, with what they would be called by a pattern',
    params: z.object({ round: id }),
    query: z.object({ pattern: keptPattern }),
    answer: z.object({
      /** The first {@link mostReturned} of them. */
      files: z.array(returnedOfSchema.extend({ keptAs: z.string().nullable() })),
      count: z.number(),
      /** How many answers bring files that are still to be fetched. */
      toFetch: z.number(),
      /** Fields of the pattern that are of no column. */
      unknown: z.array(z.string()),
    }),
  }),
  returnedZip: route({
    method: 'GET',
    path: '/api/rounds/:round/returned-files.zip',
    wants: 'writer',
    summary: 'All files that came back in a round, as one zip, with names by a pattern',
    params: z.object({ round: id }),
    query: z.object({ pattern: keptPattern }),
    gives: 'application/zip',
    answer: z.string(),
  }),
  returnedFile: route({
    method: 'GET',
    path: '/api/returned-files/:file',
    wants: 'writer',
    summary: 'The content of a file that came back',
    names: ({ params }) => [{ kind: 'returnedFile', id: params.file }],
    params: z.object({ file: id }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
}
