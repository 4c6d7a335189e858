import { type WorkKind, workKinds } from '@hand-post/core'
import { z } from 'zod'
import { type AccountRole, route } from './route.ts'

const wanted: Partial<Record<WorkKind, AccountRole>> = { posting: 'poster', amending: 'poster', backup: 'keeper' }

/** Which role somebody needs to stop some work: the one that it takes to begin it. */
export const workWants = (what: WorkKind): AccountRole => wanted[what] ?? 'writer'

const named = z.object({ id: z.number(), name: z.string() })

/** Something long that is under way. */
export const workSchema = z.object({
  id: z.string(),
  what: z.enum(workKinds),
  /** What it is about; both null: about everything that is kept here. */
  round: named.nullable(),
  list: named.nullable(),
  /** The account of whoever began it, where people sign in. */
  by: named.nullable(),
  /** For how long (ms) it has been under way. */
  running: z.number(),
  /** How far it is; null as long as it does not say. */
  progress: z.object({ done: z.number(), of: z.number(), words: z.string() }).nullable(),
  /** Who has told it to stop, which it does at its next step: a name, '' where nobody signs in; null: nobody has. */
  stoppedBy: z.string().nullable(),
  /** Whether it was done when it was told to: it is shown for some seconds more. */
  tooLate: z.boolean(),
})
export type Work = z.infer<typeof workSchema>

export const workRoutes = {
  works: route({
    method: 'GET',
    path: '/api/works',
    wants: 'writer',
    summary: 'What has been under way for more than a moment, in whichever process, the oldest first',
    answer: z.array(workSchema),
  }),
  stopWork: route({
    method: 'POST',
    path: '/api/works/:work/stop',
    wants: 'writer',
    summary: 'Stop something that is under way; it stops at its next step, and nothing of it is kept that is half done',
    params: z.object({ work: z.uuid() }),
  }),
}
