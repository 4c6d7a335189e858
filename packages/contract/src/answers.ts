import { longestAnswer } from '@hand-post/core'
import { z } from 'zod'
import { messageSchema } from './dispatch.ts'
import { id } from './ids.ts'
import { route } from './route.ts'

const words = z.string().trim().min(1, 'Write a word at least.').max(longestAnswer)

export const savedAnswerSchema = z.object({
  id: z.number(),
  name: z.string(),
  /** As it was written, with fields. */
  text: z.string(),
  /** As it reads for this row. */
  filled: z.string(),
  /** Fields that are blank for this row, and fields without a column. */
  blank: z.array(z.string()),
  unknown: z.array(z.string()),
})
export type SavedAnswer = z.infer<typeof savedAnswerSchema>

/** Files that go with one answer. */
const mostFiles = 20
const answerFiles = z
  .array(z.object({ hash: z.string().regex(/^[0-9a-f]{64}$/), name: z.string().trim().min(1).max(300) }))
  .max(mostFiles, `Up to ${mostFiles} files go with an answer.`)
  .default([])
const written = z.object({ words, quote: z.boolean(), files: answerFiles })

/** An answer that was sent from here, or is about to be. */
export const sentAnswerSchema = messageSchema
  .pick({ id: true, state: true, plannedAt: true, sentAt: true, reason: true, asksWriter: true, subject: true })
  .extend({
    /** When it was written (ms since 1970), and its words without signature and quotation. */
    at: z.number(),
    words: z.string(),
    files: z.array(z.object({ name: z.string(), size: z.number(), hash: z.string() })),
  })
export type SentAnswer = z.infer<typeof sentAnswerSchema>

export const answerRoutes = {
  beginAnswer: route({
    method: 'GET',
    path: '/api/in-tray/:response/answer',
    wants: 'writer',
    summary:
      'What an answer to an entry of the in-tray begins with: to whom it goes, what it quotes, and the saved answers for its row',
    params: z.object({ response: id }),
    answer: z.object({
      from: z.string(),
      to: z.string(),
      subject: z.string(),
      quoted: z.string(),
      signature: z.string(),
      /** Why nothing is sent to this address from here; null when nothing speaks against it. */
      refused: z.string().nullable(),
      saved: z.array(savedAnswerSchema),
    }),
  }),
  draftAnswer: route({
    method: 'POST',
    path: '/api/in-tray/:response/draft',
    wants: 'writer',
    summary: 'Put an answer as a draft into the mailbox, in the thread, to be finished and sent in the mail program',
    names: ({ params }) => [{ kind: 'mailboxOfResponse', id: params.response }],
    params: z.object({ response: id }),
    body: written,
    answer: z.object({ folder: z.string() }),
  }),
  answerFile: route({
    method: 'POST',
    path: '/api/in-tray/:response/answer-files',
    wants: 'writer',
    summary: 'Bring a file that is to go with an answer; what is to be said of it is told',
    params: z.object({ response: id }),
    query: z.object({ name: z.string().min(1).max(300) }),
    takesFile: true,
    answer: z.object({
      hash: z.string(),
      name: z.string(),
      size: z.number(),
      /** What is wrong with it; with `stops` it cannot go as it is. */
      warning: z.object({ stops: z.boolean(), words: z.string() }).nullable(),
    }),
  }),
  sendAnswer: route({
    method: 'POST',
    path: '/api/in-tray/:response/send',
    wants: 'poster',
    summary: 'Send an answer from the mailbox, in the thread; for the first seconds it can be withdrawn',
    names: ({ params }) => [{ kind: 'mailboxOfResponse', id: params.response }],
    params: z.object({ response: id }),
    body: written.extend({
      /** A name of the caller's for this very answer: asked for twice under one name, it goes once. */
      askedAs: z.string().regex(/^[\w-]{8,64}$/),
    }),
    answer: sentAnswerSchema,
  }),
  saveAnswer: route({
    method: 'POST',
    path: '/api/saved-answers',
    wants: 'writer',
    summary: 'Save an answer under a name, in the place of one of that name',
    body: z.object({ name: z.string().trim().min(1, 'Give it a name.').max(80), text: words }),
    answer: z.object({ id: z.number() }),
  }),
  forgetAnswer: route({
    method: 'DELETE',
    path: '/api/saved-answers/:answer',
    wants: 'writer',
    summary: 'Forget a saved answer',
    params: z.object({ answer: id }),
  }),
}
