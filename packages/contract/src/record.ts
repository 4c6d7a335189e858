import { nextTimeWho } from '@hand-post/core'
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

/** Months after which what a round keeps of people can be forgotten, at most. */
export const longestKept = 120

/** How it stands with forgetting what a round keeps of people. */
export const forgettingSchema = z.object({
  /** So many months after its last letter left; null: it is kept. */
  months: z.number().int().min(1).max(longestKept).nullable(),
  /** When that will be (ms since 1970); null where it is kept, or no letter has left yet. */
  at: z.number().nullable(),
  /** What has to be done before anything is forgotten, in words. */
  waits: z.array(z.string()),
  /** When it was forgotten; null where it was not. */
  forgottenAt: z.number().nullable(),
  /** Letters that were opened or whose links were followed, answers with words, and files that came back: what there is to forget. */
  opened: z.number(),
  answers: z.number(),
  files: z.number(),
})
export type Forgetting = z.infer<typeof forgettingSchema>

/** The calls for posting records and archives. */
export const recordRoutes = {
  postingRecords: route({
    method: 'GET',
    path: '/api/rounds/:round/records',
    wants: 'writer',
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
    wants: 'writer',
    summary: 'Make a posting record of a round as it is now: a PDF and, of a finished one, its seal',
    params: z.object({ round: id }),
    answer: postingRecordSchema,
  }),
  postingRecordPdf: route({
    method: 'GET',
    path: '/api/records/:record/pdf',
    wants: 'writer',
    summary: 'A posting record as a PDF',
    params: z.object({ record: id }),
    gives: 'application/pdf',
    answer: z.string(),
  }),
  postingRecordSeal: route({
    method: 'GET',
    path: '/api/records/:record/seal',
    wants: 'writer',
    summary: 'The seal of a posting record: everything in it as a chain of hashes, as JSON',
    params: z.object({ record: id }),
    gives: 'application/json',
    answer: z.string(),
  }),
  endRound: route({
    method: 'PUT',
    path: '/api/rounds/:round/ended',
    wants: 'writer',
    summary: 'End a finished round: nothing more is counted or read for it, nor for its chasers; or open it again',
    params: z.object({ round: id }),
    body: z.object({ ended: z.boolean() }),
  }),
  forgetting: route({
    method: 'GET',
    path: '/api/rounds/:round/forgetting',
    wants: 'writer',
    summary: 'Whether and when what a round keeps of people is forgotten, and what there is of it',
    params: z.object({ round: id }),
    answer: forgettingSchema,
  }),
  setForgetting: route({
    method: 'PUT',
    path: '/api/rounds/:round/forgetting',
    wants: 'writer',
    summary:
      'Say after how many months, from when its last letter left, what a round keeps of people is forgotten; null keeps it',
    params: z.object({ round: id }),
    body: forgettingSchema.pick({ months: true }),
  }),
  forgetNow: route({
    method: 'POST',
    path: '/api/rounds/:round/forget',
    wants: 'writer',
    summary:
      'Forget for good who opened the letters of a finished round and with what, the words of answers and the files that came back. Counts stay, and the round stays ended',
    params: z.object({ round: id }),
    body: z.object({ sure: z.literal(true) }),
    answer: forgettingSchema,
  }),
  nextTime: route({
    method: 'GET',
    path: '/api/rounds/:round/next-time',
    wants: 'writer',
    summary: 'What a round like this one would be called, and the days and years that its letter names',
    params: z.object({ round: id }),
    answer: z.object({
      title: z.string(),
      list: z.string().nullable(),
      days: z.array(z.object({ words: z.string(), day: z.string().nullable(), next: z.string() })),
      /** How many people can be chosen by what came of it; null where it was not posted to a list. */
      people: z
        .object({
          answered: z.number(),
          notAnswered: z.number(),
          /** Whose letters came back or were refused. */
          notReached: z.number(),
          words: z.array(z.object({ word: z.string(), people: z.number() })),
          choices: z.array(z.object({ choice: z.string(), people: z.number() })),
        })
        .nullable(),
    }),
  }),
  beginNextTime: route({
    method: 'POST',
    path: '/api/rounds/:round/next-time',
    wants: 'writer',
    summary:
      'Begin a round like this one: its letter with other days, its list, rules, files for everybody, sender and ways; nothing of its people',
    params: z.object({ round: id }),
    body: z.object({
      title: z.string().trim().min(1, 'A round needs a name.').max(200),
      days: z.array(z.object({ words: z.string().min(1).max(500), to: z.string().max(500) })).max(500),
      /** Of the people whom its rules choose, those who are meant by what came of it. The list gets the columns that this looks into. */
      people: z
        .object({ who: z.enum(nextTimeWho), word: z.string().min(1).max(300).optional(), reached: z.boolean() })
        .refine(({ who, word }) => (who !== 'word' && who !== 'choice') || word !== undefined, 'Say which.')
        .default({ who: 'everybody', reached: false }),
    }),
    answer: z.object({ round: z.number() }),
  }),
  makeArchive: route({
    method: 'POST',
    path: '/api/rounds/:round/archives',
    wants: 'writer',
    summary:
      'Make an archive of every message of a round as it was sent: one .mbox file, or a zip of .eml files with a list, all files once and, if wished, the answers. It can be fetched for an hour',
    params: z.object({ round: id }),
    body: z.object({ as: z.enum(archiveForms), answers: z.boolean().default(false) }),
    answer: z.object({ archive: z.string(), name: z.string(), size: z.number() }),
  }),
  archive: route({
    method: 'GET',
    path: '/api/archives/:archive',
    wants: 'writer',
    summary: 'An archive that was made',
    params: z.object({ archive: z.string().regex(/^[0-9a-f]{32}$/, 'No archive is called that.') }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
}
