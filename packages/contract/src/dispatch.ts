import { messageStates } from '@hand-post/core'
import { z } from 'zod'
import { id } from './people.ts'
import { route } from './route.ts'

/** A Cc or Bcc of one letter, with what has become of it. It goes when the person's letter was taken, and not before. */
export const copySchema = z.object({
  id: z.number(),
  address: z.string(),
  role: z.enum(['cc', 'bcc']),
  state: z.enum(messageStates),
  /** When it went, or will go. */
  at: z.number().nullable(),
  reason: z.string().nullable(),
})
export type CopyLine = z.infer<typeof copySchema>

export const messageSchema = z.object({
  id: z.number(),
  roundId: z.number(),
  rowId: z.number(),
  person: z.string(),
  address: z.string(),
  subject: z.string(),
  state: z.enum(messageStates),
  plannedAt: z.number().nullable(),
  sentAt: z.number().nullable(),
  filedAt: z.number().nullable(),
  attempts: z.number(),
  /** The host's answer, or what is the matter, in words. */
  reason: z.string().nullable(),
  /** In doubt, looked for in Sent and not found: the writer must say. */
  asksWriter: z.boolean(),
  /** Why its copy is not in Sent, in the host's words. */
  filingFault: z.string().nullable(),
  copies: z.array(copySchema),
})
export type MessageLine = z.infer<typeof messageSchema>

const round = z.object({ round: id })
const message = z.object({ message: id })

const settling = z.object({ went: z.boolean() })
/** How many were settled by the writer's word, and how many of those to be sent were found in Sent, and so are not sent again. */
const settled = z.object({ settled: z.number(), found: z.number() })

export const dispatchRoutes = {
  messages: route({
    method: 'GET',
    path: '/api/rounds/:round/messages',
    summary: 'The messages of a posted round',
    params: round,
    answer: z.array(messageSchema),
  }),
  hold: route({
    method: 'POST',
    path: '/api/rounds/:round/hold',
    summary: 'Hold: nothing more leaves until the round is carried on',
    params: round,
  }),
  carryOn: route({
    method: 'POST',
    path: '/api/rounds/:round/carry-on',
    summary: 'Carry on with a held round, at its pace from now',
    params: round,
  }),
  withdraw: route({
    method: 'POST',
    path: '/api/rounds/:round/withdraw',
    summary: 'Withdraw every message of the round that has not left',
    params: round,
    /** `copies`: Cc and Bcc of letters that have gone. */
    answer: z.object({ withdrawn: z.number(), copies: z.number() }),
  }),
  settleDoubt: route({
    method: 'POST',
    path: '/api/messages/:message/settle',
    summary:
      "The writer's word on a letter in doubt: it went, or it is to be sent. Before it is sent, Sent is looked into once more",
    params: message,
    body: settling,
    answer: settled,
  }),
  settleCopy: route({
    method: 'POST',
    path: '/api/copies/:copy/settle',
    summary: "The writer's word on a Cc or Bcc in doubt: it went, or it is to be sent",
    params: z.object({ copy: id }),
    body: settling,
    answer: settled,
  }),
  settleDoubts: route({
    method: 'POST',
    path: '/api/rounds/:round/settle',
    summary: "The writer's word on every letter and copy of a round that is in doubt",
    params: round,
    body: settling,
    answer: settled,
  }),
  rawMessage: route({
    method: 'GET',
    path: '/api/messages/:message/raw',
    summary: 'A message as it is, or will be, given to the mail host',
    params: message,
    gives: 'message/rfc822',
    answer: z.string(),
  }),
  outTray: route({
    method: 'GET',
    path: '/api/out-tray',
    summary: 'Everything that is waiting to go, over all rounds, in the order of leaving; and what needs the writer',
    answer: z.object({
      waiting: z.number(),
      messages: z.array(messageSchema.extend({ round: z.string(), held: z.boolean() })),
    }),
  }),
}
