import { outcomeFormatNames, outcomes, paperStates, responseKinds } from '@hand-post/core'
import { z } from 'zod'
import { id } from './ids.ts'
import { trackingSchema } from './rounds.ts'
import { route } from './route.ts'

export const responseSchema = z.object({
  id: z.number(),
  kind: z.enum(responseKinds),
  at: z.number(),
  automatic: z.boolean(),
  /** The sender, the new words, or the reason: what a person wants to read of it. */
  from: z.string(),
  subject: z.string(),
  words: z.string(),
  /** Whose it is: the person's, one's who has a copy, or of an address that is neither. Only what is the person's counts for them. */
  of: z.enum(['person', 'copy', 'other']),
})
export type ResponseEntry = z.infer<typeof responseSchema>

export const boardSchema = z.object({
  counts: z.object({
    messages: z.number(),
    sent: z.number(),
    waiting: z.number(),
    inDoubt: z.number(),
    refused: z.number(),
    withdrawn: z.number(),
    bounced: z.number(),
    arrived: z.number(),
    replied: z.number(),
    automatic: z.number(),
    opened: z.number(),
    openedByMachine: z.number(),
    clicked: z.number(),
    receipts: z.number(),
    optedOut: z.number(),
    unanswered: z.number(),
  }),
  people: z.array(
    z.object({
      messageId: z.number(),
      rowId: z.number(),
      person: z.string(),
      address: z.string(),
      outcome: z.enum(outcomes),
      sentAt: z.number().nullable(),
      /** When something last came back. */
      lastAt: z.number().nullable(),
      reason: z.string().nullable(),
      /** Of which version of the round their letter is: 1 is as it was posted first. */
      version: z.number(),
      responses: z.array(responseSchema),
    }),
  ),
  /** Letters on paper, of which nothing comes back here. */
  paper: z.array(
    z.object({ rowId: z.number(), person: z.string(), state: z.enum(paperStates), printedAt: z.number().nullable() }),
  ),
  /** What happened when: sendings and what came back, in order. */
  timeline: z.array(z.object({ at: z.number(), kind: z.enum(['sent', ...responseKinds]), automatic: z.boolean() })),
  tracking: trackingSchema,
})
export type Board = z.infer<typeof boardSchema>

export const trayEntrySchema = responseSchema.extend({
  roundId: z.number(),
  round: z.string(),
  mailboxId: z.number(),
  rowId: z.number(),
  person: z.string(),
  address: z.string(),
  /** The address that it came from, or, for returned mail, that it is about. */
  fromAddress: z.string().nullable(),
  /** The whole text of the answer, and the letter it answers. */
  text: z.string(),
  letter: z.object({ subject: z.string(), html: z.string(), text: z.string(), sentAt: z.number().nullable() }),
  doneAt: z.number().nullable(),
})
export type TrayEntry = z.infer<typeof trayEntrySchema>

export const responseRoutes = {
  board: route({
    method: 'GET',
    path: '/api/rounds/:round/board',
    summary: 'What came back of a round',
    params: z.object({ round: id }),
    answer: boardSchema,
  }),
  outcomeCsv: route({
    method: 'GET',
    path: '/api/rounds/:round/outcome.csv',
    summary: 'The list with outcome columns, in one of its formats',
    params: z.object({ round: id }),
    query: z.object({ as: z.enum(outcomeFormatNames).default('csv') }),
    gives: 'text/csv',
    answer: z.string(),
  }),
  inTray: route({
    method: 'GET',
    path: '/api/in-tray',
    summary: 'Answers and returned mail that want a person, over all rounds',
    query: z.object({ done: z.enum(['yes', 'no']).default('no') }),
    answer: z.object({ open: z.number(), entries: z.array(trayEntrySchema) }),
  }),
  trayDone: route({
    method: 'PUT',
    path: '/api/in-tray/:response/done',
    summary: 'Mark an entry of the in-tray as done, or open again',
    params: z.object({ response: id }),
    body: z.object({ done: z.boolean() }),
  }),
  whose: route({
    method: 'PUT',
    path: '/api/in-tray/:response/whose',
    summary: "The writer's word on an answer from another address: it is the person's, or it is not",
    params: z.object({ response: id }),
    body: z.object({ of: z.enum(['person', 'other']) }),
  }),
  readNow: route({
    method: 'POST',
    path: '/api/mailboxes/:mailbox/read',
    summary: 'Look for answers now',
    params: z.object({ mailbox: id }),
    answer: z.object({ found: z.number() }),
  }),
}
