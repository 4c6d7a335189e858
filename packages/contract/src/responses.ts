import { outcomeFormatNames, outcomes, paperStates, piles, responseKinds, waysFound } from '@hand-post/core'
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
  /**
   * Whose it is: the person's, one's who has a copy, of an address that is neither, perhaps the person's, or by the writer's word no
   * answer to the letter. Only what is the person's counts for them.
   */
  of: z.enum(['person', 'copy', 'other', 'perhaps', 'no']),
  /** For returned mail: the code of RFC 3463 that it gives or means; else ''. */
  status: z.string(),
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
      /** The writer's own word for what came of it, or null. */
      word: z.string().nullable(),
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
  /** The writer's own words for what comes of this round. */
  outcomeWords: z.array(z.string()),
  /** Why letters came back, by reason and domain, the most first: how many of how many that were sent there. */
  returned: z.array(
    z.object({ reason: z.string(), domain: z.string(), hard: z.boolean(), count: z.number(), sent: z.number() }),
  ),
})
export type Board = z.infer<typeof boardSchema>

/** Which entries of the in-tray are shown: those to be looked at, those put by, those done. */
export const trayShows = ['open', 'putBy', 'done'] as const
export type TrayShow = (typeof trayShows)[number]

/** Until when something is put by: a moment (ms since 1970), what happens, or whichever is first. */
export const bringBackSchema = z
  .object({
    at: z.number().int().min(0).max(8.64e15).nullable(),
    when: z.enum(['unanswered', 'opened']).nullable(),
    /** Since when it is put by; now, where nothing is said. For taking a change back. */
    since: z.number().int().min(0).max(8.64e15).optional(),
  })
  .refine(({ at, when }) => at !== null || when === 'opened', 'Give a day, or what it shall be brought back for.')
export type BringBack = z.infer<typeof bringBackSchema>

export const trayLineSchema = z.object({
  id: z.number(),
  kind: z.enum(responseKinds),
  pile: z.enum(piles),
  /** The rule that proposed the pile; '' where it lies in another, by the writer's word or because it is only perhaps an answer. */
  why: z.string(),
  foundBy: z.enum(waysFound),
  at: z.number(),
  of: responseSchema.shape.of,
  roundId: z.number(),
  round: z.string(),
  mailboxId: z.number(),
  rowId: z.number(),
  person: z.string(),
  address: z.string(),
  /** The sender as the mail says it, and the address that it came from or, for returned mail, that it is about. */
  from: z.string(),
  fromAddress: z.string().nullable(),
  subject: z.string(),
  /** The beginning of its new words, or the reason why the letter came back. */
  words: z.string(),
  /** The junk folder that it lies in, of which only the headers were read; or null. */
  junk: z.string().nullable(),
  /** Of an automatic reply: the day (ISO 8601) on which its owner is back, where it says so. */
  backDay: z.string().nullable(),
  /** The outcome word that its person was given, or null. */
  word: z.string().nullable(),
  /** To be looked at, brought back today, put by, or done. */
  state: z.enum(['open', 'back', 'putBy', 'done']),
  doneAt: z.number().nullable(),
  /** When the writer's own answer was seen in Sent. */
  answeredAt: z.number().nullable(),
  backAt: z.number().nullable(),
  backWhen: bringBackSchema.shape.when,
})
export type TrayLine = z.infer<typeof trayLineSchema>

export const trayEntrySchema = trayLineSchema.extend({
  /** All of its new words, and its whole text with what it quotes. */
  newText: z.string(),
  text: z.string(),
  /** The days that its words name: ISO 8601, with minutes after midnight where an hour is named. */
  days: z.array(z.object({ day: z.string(), minute: z.number().nullable(), words: z.string() })),
  letter: z.object({ subject: z.string(), html: z.string(), text: z.string(), sentAt: z.number().nullable() }),
  /** The row it answers as it stands in the list now; null where it is not there any more. */
  row: z.array(z.object({ column: z.string(), shown: z.string() })).nullable(),
  outcomeWords: z.array(z.string()),
  /** Whether it would be seen when the letter is opened. */
  tracksOpens: z.boolean(),
  timeZone: z.string(),
})
export type TrayEntry = z.infer<typeof trayEntrySchema>

/** A change to an entry of the in-tray. What is left out stays. */
export const trayMarkSchema = z.object({
  response: id,
  done: z.boolean().optional(),
  back: bringBackSchema.nullable().optional(),
  pile: z.enum(piles).optional(),
})
export type TrayMark = z.infer<typeof trayMarkSchema>

export const reminderSchema = z.object({
  id: z.number(),
  roundId: z.number(),
  round: z.string(),
  dueAt: z.number(),
  /** Its time has come. */
  due: z.boolean(),
  /** How many people it is about, and those of them who have not answered; of many the first, by name. */
  about: z.number(),
  unanswered: z.number(),
  people: z.array(z.object({ rowId: z.number(), person: z.string(), address: z.string() })),
})
export type Reminder = z.infer<typeof reminderSchema>

const outcomeWord = z.string().trim().min(1).max(40)
/** A person of a round with the writer's word for what came of it; null takes it away. */
const givenWord = z.object({ row: id, word: outcomeWord.nullable() })

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
    summary:
      'Answers and returned mail that want a person, over all rounds, and what the writer wants to be reminded of',
    query: z.object({ show: z.enum(trayShows).default('open') }),
    answer: z.object({
      counts: z.object({ open: z.number(), putBy: z.number(), done: z.number() }),
      /** What was brought back first, else the newest first; of very many the first. */
      lines: z.array(trayLineSchema),
      reminders: z.array(reminderSchema),
      now: z.number(),
    }),
  }),
  inTrayOpen: route({
    method: 'GET',
    path: '/api/in-tray/open',
    summary: 'How many entries of the in-tray are to be looked at',
    answer: z.object({ open: z.number() }),
  }),
  trayEntry: route({
    method: 'GET',
    path: '/api/in-tray/:response',
    summary: 'An entry of the in-tray with all its words, the letter and the row it answers',
    params: z.object({ response: id }),
    answer: trayEntrySchema,
  }),
  markTray: route({
    method: 'POST',
    path: '/api/in-tray/marks',
    summary:
      'Mark entries of the in-tray: done, put by, in another pile; the answer takes it back when it is sent the same way',
    body: z.object({ marks: z.array(trayMarkSchema).min(1).max(5000) }),
    answer: z.object({ before: z.array(trayMarkSchema.required()) }),
  }),
  whose: route({
    method: 'PUT',
    path: '/api/in-tray/:response/whose',
    summary:
      "The writer's word on mail that is not certainly the person's: theirs, another's, no answer, or not decided again",
    params: z.object({ response: id }),
    body: z.object({ of: z.enum(['person', 'other', 'perhaps', 'no']) }),
  }),
  setOutcomeWords: route({
    method: 'PUT',
    path: '/api/rounds/:round/outcome-words',
    summary: "The writer's own words for what comes of a round; one that is left out is taken from whoever had it",
    params: z.object({ round: id }),
    body: z.object({ words: z.array(outcomeWord).max(9, 'A round has up to nine outcome words.') }),
    answer: z.object({ words: z.array(z.string()) }),
  }),
  giveWords: route({
    method: 'POST',
    path: '/api/rounds/:round/given-words',
    summary:
      'Give people of a round an outcome word, or take it away; the answer takes it back when it is sent the same way',
    params: z.object({ round: id }),
    body: z.object({ given: z.array(givenWord).min(1).max(100_000) }),
    answer: z.object({ before: z.array(givenWord) }),
  }),
  addReminder: route({
    method: 'POST',
    path: '/api/rounds/:round/reminders',
    summary: 'Be reminded at a time of those of a round, or of some of its people, who have not answered by then',
    params: z.object({ round: id }),
    body: z.object({
      rows: z.array(id).min(1).max(100_000).nullable(),
      at: bringBackSchema.shape.at.unwrap(),
    }),
    answer: z.object({ id: z.number() }),
  }),
  endReminder: route({
    method: 'PUT',
    path: '/api/reminders/:reminder/done',
    summary: 'A reminder is done with, or is open again',
    params: z.object({ reminder: id }),
    body: z.object({ done: z.boolean() }),
  }),
  readNow: route({
    method: 'POST',
    path: '/api/mailboxes/:mailbox/read',
    summary: 'Look for answers now',
    params: z.object({ mailbox: id }),
    answer: z.object({ found: z.number() }),
  }),
}
