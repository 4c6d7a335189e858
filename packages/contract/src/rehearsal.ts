import { z } from 'zod'
import { ofRound } from './ids.ts'
import { route } from './route.ts'

/** A rehearsal of a round: its messages as they were handed to the practice mailbox. */
export const rehearsalSchema = z.object({
  at: z.number(),
  /** Whether the round, its list or its mailbox has been changed since. */
  changed: z.boolean(),
  messages: z.number(),
  taken: z.number(),
  /** The first and last minute by the timetable, of what was taken. */
  first: z.number().nullable(),
  last: z.number().nullable(),
  /** The octets of all that was taken. */
  size: z.number(),
  /** What was not taken, with the reason. */
  refused: z.array(z.object({ rowId: z.number(), person: z.string(), address: z.string(), answer: z.string() })),
  /** Everybody whom something reached: the people in the order of the timetable, then those who got copies only. */
  inboxes: z.array(z.object({ address: z.string(), person: z.string().nullable(), messages: z.number() })),
})
export type Rehearsal = z.infer<typeof rehearsalSchema>

/** A line of an inbox. */
export const arrivedSchema = z.object({
  uid: z.number(),
  from: z.string(),
  subject: z.string(),
  at: z.number(),
  size: z.number(),
  withFiles: z.boolean(),
})
export type Arrived = z.infer<typeof arrivedSchema>

/** A message as its reader has it: read from what arrived, not from what was sent. */
export const receivedSchema = z.object({
  from: z.string(),
  to: z.string(),
  cc: z.array(z.string()),
  replyTo: z.array(z.string()),
  subject: z.string(),
  html: z.string(),
  text: z.string(),
  files: z.array(z.object({ part: z.number(), name: z.string(), size: z.number() })),
  size: z.number(),
})
export type Received = z.infer<typeof receivedSchema>

const inbox = z.object({ address: z.string().min(1).max(320) })
const message = inbox.extend({ uid: z.coerce.number().int().positive() })

export const rehearsalRoutes = {
  rehearsal: route({
    method: 'GET',
    path: '/api/rounds/:round/rehearsal',
    wants: 'writer',
    summary: 'The last rehearsal of a round, or null',
    params: ofRound,
    answer: rehearsalSchema.nullable(),
  }),
  rehearse: route({
    method: 'POST',
    path: '/api/rounds/:round/rehearsal',
    wants: 'writer',
    summary:
      'Hand the whole round over to the practice mailbox, each message as it would leave and at its time; nobody gets anything, and nothing else changes. The rehearsal of before goes',
    params: ofRound,
    answer: rehearsalSchema,
  }),
  clearRehearsal: route({
    method: 'DELETE',
    path: '/api/rounds/:round/rehearsal',
    wants: 'writer',
    summary: 'Clear the rehearsal of a round away, with every message of it',
    params: ofRound,
  }),
  rehearsedInbox: route({
    method: 'GET',
    path: '/api/rounds/:round/rehearsal/inbox',
    wants: 'writer',
    summary: "What a correspondent's inbox holds after the rehearsal",
    params: ofRound,
    query: inbox,
    answer: z.array(arrivedSchema),
  }),
  rehearsedMessage: route({
    method: 'GET',
    path: '/api/rounds/:round/rehearsal/message',
    wants: 'writer',
    summary: 'A message of a rehearsal as its reader has it',
    params: ofRound,
    query: message,
    answer: receivedSchema,
  }),
  rehearsedSource: route({
    method: 'GET',
    path: '/api/rounds/:round/rehearsal/source',
    wants: 'writer',
    summary: 'A message of a rehearsal exactly as it arrived (RFC 5322)',
    params: ofRound,
    query: message,
    gives: 'message/rfc822',
    answer: z.string(),
  }),
  rehearsedFile: route({
    method: 'GET',
    path: '/api/rounds/:round/rehearsal/file',
    wants: 'writer',
    summary: 'A file or picture of a message of a rehearsal, taken out of what arrived',
    params: ofRound,
    query: message.extend({ part: z.coerce.number().int().min(0) }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
}
