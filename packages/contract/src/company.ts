import { z } from 'zod'
import { ofRound } from './ids.ts'
import { route } from './route.ts'

/** The six stages of a round, in their order. */
export const stageIds = ['people', 'letter', 'enclosures', 'proof', 'dispatch', 'responses'] as const
export type StageId = (typeof stageIds)[number]

/** What a window of the desk calls itself, so that it can be told from others of the same person: made up when its page begins. */
export const windowId = z.string().regex(/^[a-z0-9]{8,40}$/)

/** The title of the problem (RFC 9457) by which a letter is refused because somebody else has the pen, or has written in it meanwhile. */
export const penIsAnothers = 'The pen is another’s'

const person = z.object({ id: z.number(), name: z.string() })

/** Who is in a round, and who writes its letter. */
export const companySchema = z.object({
  /** Each window in which it is open, whoever came first before others. */
  here: z.array(z.object({ window: z.string(), account: person, stage: z.enum(stageIds) })),
  /** Who has the pen; null: it is free, and whoever writes takes it. */
  pen: z
    .object({
      window: z.string(),
      account: person,
      /** For how long (ms) it stays with them if they write nothing more. */
      heldFor: z.number(),
      /** Who has asked for it last. */
      asked: z.object({ window: z.string(), account: person }).nullable(),
    })
    .nullable(),
})
export type Company = z.infer<typeof companySchema>

export const companyRoutes = {
  company: route({
    method: 'GET',
    path: '/api/rounds/:round/company',
    wants: 'writer',
    summary: 'Who has a round open, where in it, and who has the pen of its letter',
    params: ofRound,
    answer: companySchema,
  }),
  beHere: route({
    method: 'PUT',
    path: '/api/rounds/:round/company',
    wants: 'writer',
    summary: 'Say that a round is open in a window, and at which stage; it counts for 45 seconds',
    params: ofRound,
    body: z.object({ window: windowId, stage: z.enum(stageIds) }),
    answer: companySchema,
  }),
  leaveRound: route({
    method: 'DELETE',
    path: '/api/rounds/:round/company/:window',
    wants: 'writer',
    summary: 'Say that a round is not open in a window any more',
    params: ofRound.extend({ window: windowId }),
  }),
  askForPen: route({
    method: 'POST',
    path: '/api/rounds/:round/pen/ask',
    wants: 'writer',
    summary: 'Ask whoever has the pen of a round’s letter to give it; where it is free it is taken',
    params: ofRound,
    body: z.object({ window: windowId }),
    answer: companySchema,
  }),
  answerAsking: route({
    method: 'POST',
    path: '/api/rounds/:round/pen/answer',
    wants: 'writer',
    summary: 'Give the pen to whoever asks for it, or keep it for now',
    params: ofRound,
    body: z.object({ window: windowId, give: z.boolean() }),
    answer: companySchema,
  }),
}
