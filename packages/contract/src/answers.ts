import { longestAnswer } from '@hand-post/core'
import { z } from 'zod'
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

export const answerRoutes = {
  beginAnswer: route({
    method: 'GET',
    path: '/api/in-tray/:response/answer',
    summary:
      'What an answer to an entry of the in-tray begins with: to whom it goes, what it quotes, and the saved answers for its row',
    params: z.object({ response: id }),
    answer: z.object({
      from: z.string(),
      to: z.string(),
      subject: z.string(),
      quoted: z.string(),
      signature: z.string(),
      saved: z.array(savedAnswerSchema),
    }),
  }),
  draftAnswer: route({
    method: 'POST',
    path: '/api/in-tray/:response/draft',
    summary: 'Put an answer as a draft into the mailbox, in the thread, to be finished and sent in the mail program',
    params: z.object({ response: id }),
    body: z.object({ words, quote: z.boolean() }),
    answer: z.object({ folder: z.string() }),
  }),
  saveAnswer: route({
    method: 'POST',
    path: '/api/saved-answers',
    summary: 'Save an answer under a name, in the place of one of that name',
    body: z.object({ name: z.string().trim().min(1, 'Give it a name.').max(80), text: words }),
    answer: z.object({ id: z.number() }),
  }),
  forgetAnswer: route({
    method: 'DELETE',
    path: '/api/saved-answers/:answer',
    summary: 'Forget a saved answer',
    params: z.object({ answer: id }),
  }),
}
