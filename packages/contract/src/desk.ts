import { noticeKinds } from '@hand-post/core'
import { z } from 'zod'
import { reminderSchema, trayLineSchema } from './responses.ts'
import { roundLineSchema } from './rounds.ts'
import { route } from './route.ts'

/** Something that is needed and is not as it should be. */
export const readyFaultSchema = z.object({
  what: z.enum(['database', 'folder', 'disk', 'clock', 'mailboxes', 'certificate']),
  /** Whether nothing can be done until it is put right. */
  stops: z.boolean(),
  words: z.string(),
})
export type ReadyFault = z.infer<typeof readyFaultSchema>

export const deskSchema = z.object({
  /** The desk's own time (ms since 1970). */
  now: z.number(),
  goingOut: z.array(roundLineSchema),
  /** The first entries of the in-tray: what was brought back, then the newest. */
  cameBack: z.array(
    trayLineSchema.pick({
      id: true,
      kind: true,
      pile: true,
      state: true,
      at: true,
      person: true,
      round: true,
      roundId: true,
      rowId: true,
      words: true,
    }),
  ),
  waits: z.object({
    drafts: z.array(roundLineSchema),
    /** Posted rounds with letters on paper that are to be printed. */
    toPrint: z.array(roundLineSchema),
    inTray: z.number(),
    /** Reminders whose time has come. */
    reminders: z.array(reminderSchema),
    inDoubt: z.number(),
    faults: z.array(readyFaultSchema),
    pausedMailboxes: z.array(
      z.object({ id: z.number(), name: z.string(), reason: z.string(), until: z.number().nullable() }),
    ),
  }),
  finished: z.array(roundLineSchema),
})
export type DeskFacts = z.infer<typeof deskSchema>

/** What the desk tells over /api/events: something about this topic changed, or how far some long work is. */
export const eventSchema = z.object({
  /** `everything`: it is not known what changed. */
  topic: z.enum([
    'rounds',
    'round',
    'messages',
    'responses',
    'mailboxes',
    'lists',
    'letters',
    'progress',
    'notices',
    'accounts',
    'company',
    'works',
    'everything',
  ]),
  id: z.number().nullable(),
  /** For a list: the version it has now. */
  version: z.number().optional(),
  progress: z.object({ done: z.number(), of: z.number(), words: z.string() }).optional(),
})
export type DeskEvent = z.infer<typeof eventSchema>

/** Something that the writer is told without looking. */
export const noticeSchema = z.object({
  id: z.number(),
  roundId: z.number(),
  kind: z.enum(noticeKinds),
  at: z.number(),
  subject: z.string(),
  words: z.string(),
})
export type Notice = z.infer<typeof noticeSchema>

export const deskRoutes = {
  notices: route({
    method: 'GET',
    path: '/api/notices',
    wants: 'writer',
    summary:
      'What the writer is told of rounds: done, held by itself, in doubt; what came after a notice that is known',
    query: z.object({ after: z.coerce.number().int().min(0).default(0) }),
    answer: z.array(noticeSchema),
  }),
  health: route({
    method: 'GET',
    path: '/api/health',
    wants: 'anybody',
    summary: 'Whether the desk is ready',
    answer: z.object({
      /** False while the desk is being filled by a program: what stands on it is not whole yet. */
      ready: z.boolean(),
      publicAddress: z.string(),
      publicIsLocal: z.boolean(),
      /** Whether the desk wants signing in. */
      asksPassword: z.boolean(),
      /** Whether everybody has an account of their own. */
      accounts: z.boolean(),
      /** What the office's sign-in service is called, where there is one. */
      service: z.string().nullable(),
    }),
  }),
  ready: route({
    method: 'GET',
    path: '/api/ready',
    wants: 'anybody',
    summary: 'Whether everything that is needed is there, and what is not; its status is 503 while nothing can be done',
    answer: z.object({ ready: z.boolean(), faults: z.array(readyFaultSchema) }),
  }),
  metrics: route({
    method: 'GET',
    path: '/api/metrics',
    wants: 'anybody',
    summary: 'Numbers to be watched by a program (OpenMetrics 1.0), for whoever bears the token of HAND_POST_METRICS',
    gives: 'application/openmetrics-text; version=1.0.0; charset=utf-8',
    answer: z.string(),
  }),
  desk: route({
    method: 'GET',
    path: '/api/desk',
    wants: 'writer',
    summary: 'What is going out, what came back, what waits',
    answer: deskSchema,
  }),
  events: route({
    method: 'GET',
    path: '/api/events',
    wants: 'writer',
    summary:
      'Live changes, as server-sent events; first those of the last moments, where somebody has read something before',
    /** For how long (ms) whoever listens has been reading: what changed meanwhile is told too. At most a minute. */
    query: z.object({ since: z.coerce.number().min(0).max(1e12).default(0) }),
    gives: 'text/event-stream',
    answer: z.string(),
  }),
  openApi: route({
    method: 'GET',
    path: '/api/openapi.json',
    wants: 'writer',
    summary: 'This description (OpenAPI 3.1)',
    answer: z.record(z.string(), z.unknown()),
  }),
}
