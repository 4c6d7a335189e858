import { z } from 'zod'
import { id, ofRound } from './ids.ts'
import { roundFileSchema } from './rounds.ts'
import { route } from './route.ts'

export const enclosuresSchema = z.object({
  people: z.array(
    z.object({
      rowId: z.number(),
      person: z.string(),
      /** Each with how it came to be theirs, and the name it has in the message. */
      files: z.array(
        z.object({ id: z.number(), by: z.enum(['common', 'column', 'pattern', 'hand', 'made']), sentAs: z.string() }),
      ),
      /** Names without a file, each with the file that comes near, and in what it differs. */
      missing: z.array(
        z.object({
          name: z.string(),
          by: z.enum(['column', 'pattern']),
          near: z.object({ id: z.number(), name: z.string(), why: z.string() }).nullable(),
        }),
      ),
      /** Names that stand for several files with other contents. */
      doubtful: z.array(z.string()),
      /** Octets of the message as it leaves: exact for the heaviest, else estimated from above. */
      size: z.number(),
      exact: z.boolean(),
    }),
  ),
  /** Ids of own files that go to nobody. */
  unclaimed: z.array(z.number()),
  /** How many contents are still to be examined. */
  unread: z.number(),
  /** What is wrong with files as such. */
  faults: z.array(z.object({ fileId: z.number(), fault: z.string(), detail: z.string() })),
  /** Whose the files that go to nobody are, by their names and words; and the pattern that finds more than is found now. */
  proposed: z.array(z.object({ fileId: z.number(), rowId: z.number(), person: z.string(), why: z.string() })),
  pattern: z.object({ pattern: z.string(), files: z.number() }).nullable(),
  /** For how many people a file is still to be made, or made anew. */
  toMake: z.number(),
})
export type Enclosures = z.infer<typeof enclosuresSchema>

const matchesSchema = z.object({
  matches: z
    .array(z.object({ rowId: id, fileId: id }))
    .min(1)
    .max(20_000),
})

/** Files of rounds. */
export const enclosureRoutes = {
  addFile: route({
    method: 'POST',
    path: '/api/rounds/:round/files',
    wants: 'writer',
    changes: 'round',
    summary: 'Add an enclosure',
    params: ofRound,
    query: z.object({
      name: z.string().min(1).max(300),
      role: z.enum(['common', 'own']),
      /** The folders it lies in, separated by "/". */
      folder: z.string().max(1000).optional(),
    }),
    takesFile: true,
    answer: roundFileSchema.extend({
      /** Another content of this name and folder had been here, and was taken out. */
      replaced: z.boolean(),
    }),
  }),
  addPacked: route({
    method: 'POST',
    path: '/api/rounds/:round/packed',
    wants: 'writer',
    changes: 'round',
    summary: 'Add the files of a zip as enclosures; what cannot be taken is said, and the rest is taken',
    params: ofRound,
    query: z.object({ name: z.string().min(1).max(300), role: z.enum(['common', 'own']) }),
    takesFile: true,
    answer: z.object({
      added: z.number(),
      replaced: z.number(),
      leftOut: z.array(z.object({ name: z.string(), why: z.string() })),
    }),
  }),
  matchFiles: route({
    method: 'PUT',
    path: '/api/rounds/:round/file-matches',
    wants: 'writer',
    changes: 'round',
    summary: 'Give own files to people by hand',
    params: ofRound,
    body: matchesSchema,
  }),
  addModel: route({
    method: 'POST',
    path: '/api/rounds/:round/model',
    wants: 'writer',
    changes: 'round',
    summary: 'Bring in a .docx document with typed fields as the model of what is made for each person',
    params: ofRound,
    query: z.object({ name: z.string().min(1).max(300) }),
    takesFile: true,
    answer: z.object({ hash: z.string(), name: z.string(), unknown: z.array(z.string()) }),
  }),
  makeFiles: route({
    method: 'POST',
    path: '/api/rounds/:round/make-files',
    wants: 'writer',
    changes: 'round',
    summary: 'Make the files that are lacking, or were made of other words than stand there now',
    params: ofRound,
    answer: z.object({ made: z.number() }),
  }),
  madeZip: route({
    method: 'GET',
    path: '/api/rounds/:round/made-files',
    wants: 'writer',
    summary: 'All files made for the people of a round, as one zip',
    params: ofRound,
    gives: 'application/zip',
    answer: z.string(),
  }),
  unmatchFiles: route({
    method: 'DELETE',
    path: '/api/rounds/:round/file-matches',
    wants: 'writer',
    changes: 'round',
    summary: 'Take back what was given by hand',
    params: ofRound,
    body: matchesSchema,
  }),
  changeFile: route({
    method: 'PATCH',
    path: '/api/rounds/:round/files/:file',
    wants: 'writer',
    changes: 'round',
    summary: 'Make a file common to all, or own to those whose rows name it',
    params: z.object({ round: id, file: id }),
    body: z.object({ role: z.enum(['common', 'own']) }),
    answer: roundFileSchema,
  }),
  removeFile: route({
    method: 'DELETE',
    path: '/api/rounds/:round/files/:file',
    wants: 'writer',
    changes: 'round',
    summary: 'Take a file out of the round',
    params: z.object({ round: id, file: id }),
  }),
  removeFiles: route({
    method: 'POST',
    path: '/api/rounds/:round/files/remove',
    wants: 'writer',
    changes: 'round',
    summary: 'Take several files out of the round; those that are not in it are passed over',
    params: ofRound,
    body: z.object({ files: z.array(id).min(1).max(20_000) }),
    answer: z.object({ removed: z.number() }),
  }),
  enclosures: route({
    method: 'GET',
    path: '/api/rounds/:round/enclosures',
    wants: 'writer',
    summary: 'Which files go with which message',
    params: ofRound,
    answer: enclosuresSchema,
  }),
}
