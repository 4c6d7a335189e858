import {
  boardPicks,
  devices,
  machineReasons,
  outcomeColumns,
  outcomes,
  paperStates,
  piles,
  responseKinds,
  waysFound,
} from '@hand-post/core'
import { z } from 'zod'
import { sentAnswerSchema } from './answers.ts'
import { id } from './ids.ts'
import { returnedFileSchema } from './returnedFiles.ts'
import { trackingSchema } from './rounds.ts'
import { route } from './route.ts'

export const responseSchema = z.object({
  id: z.number(),
  kind: z.enum(responseKinds),
  at: z.number(),
  automatic: z.boolean(),
  /** By what it is seen that a machine did it; null where a person did, as far as can be seen. */
  machine: z.enum(machineReasons).nullable(),
  /** For opens and clicks: what fetched, as far as it tells of itself; and the country, where that is looked up. */
  client: z
    .object({
      program: z.string().nullable(),
      device: z.enum(devices).nullable(),
      proxy: z.boolean(),
      machine: z.enum(['robot', 'ahead']).nullable(),
    })
    .nullable(),
  country: z.string().nullable(),
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
  /** What it said was forgotten, with the rest of what its round kept of people. */
  forgotten: z.boolean(),
})
export type ResponseEntry = z.infer<typeof responseSchema>

/** A line of a round's board: one letter, and what became of it. */
export const boardLineSchema = z.object({
  messageId: z.number(),
  rowId: z.number(),
  person: z.string(),
  address: z.string(),
  outcome: z.enum(outcomes),
  sentAt: z.number().nullable(),
  /** When something last came back. */
  lastAt: z.number().nullable(),
  reason: z.string().nullable(),
  /** The beginning of what they answered, or of why it came back or was refused; '' where there is nothing of that. */
  said: z.string(),
  /** The writer's own word for what came of it, or null. */
  word: z.string().nullable(),
  /** The choice of the letter that they made last, or null. */
  choice: z.string().nullable(),
  /** Of which version of the round their letter is: 1 is as it was posted first. */
  version: z.number(),
})
export type BoardLine = z.infer<typeof boardLineSchema>

/** The lines of what happened over time. */
export const timeLines = ['sent', 'opened', 'replied', 'bounced'] as const

const n = z.number()
export const boardSchema = z.object({
  /** Letters, by what became of them. Of those that arrived (sent, and not bounced): from `replied` on. */
  counts: z.object({
    messages: n,
    sent: n,
    waiting: n,
    inDoubt: n,
    refused: n,
    withdrawn: n,
    bounced: n,
    arrived: n,
    replied: n,
    automatic: n,
    opened: n,
    /** Fetched by a machine, and neither opened nor followed by a person. */
    openedByMachine: n,
    clicked: n,
    receipts: n,
    optedOut: n,
    delayed: n,
    /** A file of the person's own came back. */
    files: n,
    /** Arrived, and no reply of a person's own. */
    unanswered: n,
  }),
  tracking: trackingSchema,
  /** The writer's own words for what comes of this round, with how many people have each; and how many people have none of them. */
  outcomeWords: z.array(z.string()),
  words: z.array(z.object({ word: z.string(), people: n })),
  /** The choices of the letter, with how many people chose each last. */
  choices: z.array(z.object({ choice: z.string(), people: n })),
  /** People whose letters arrived and who chose nothing, by none of their letters. */
  choseNothing: n,
  /** People, not letters, whose letters arrived; told where there are words or choices. */
  peopleReached: n,
  /** Who opened, followed links and gave receipts is forgotten: of these there are counts only. */
  forgotten: z.boolean(),
  /** Letters on paper, of which nothing comes back here: by what became of them, with when the last was printed. */
  paper: z.array(z.object({ state: z.enum(paperStates), letters: n, printedAt: n.nullable() })),
})
export type Board = z.infer<typeof boardSchema>

/** After how many days rounds are compared. */
export const comparedDays = [1, 2, 3, 7, 14, 30] as const

/** A round beside others to the same list: of the letters that arrived at least so many days ago, how many were answered within them. */
export const comparedRoundSchema = z.object({
  roundId: n,
  title: z.string(),
  postedAt: n,
  after: z.array(z.object({ days: n, arrived: n, replied: n })),
})
export type ComparedRound = z.infer<typeof comparedRoundSchema>

/** How many posted rounds to one list are set beside each other: the latest. */
export const mostRoundsOfList = 24

/** A posted round to a list, beside the others to it. */
export const roundOfListSchema = comparedRoundSchema.extend({
  counts: boardSchema.shape.counts.pick({
    messages: true,
    sent: true,
    arrived: true,
    bounced: true,
    replied: true,
    opened: true,
    clicked: true,
    optedOut: true,
    waiting: true,
  }),
  tracking: trackingSchema,
  choices: boardSchema.shape.choices,
  words: boardSchema.shape.words,
  peopleReached: n,
  /** Letters on paper, and chasers that left. */
  paper: n,
  chased: n,
  /** Within how long (ms) after their letter left half of those had answered who answered at all; null where nobody did. */
  halfWithin: n.nullable(),
})
export type RoundOfList = z.infer<typeof roundOfListSchema>

export const boardChartsSchema = z.object({
  /** What happened over time: people, not events. */
  overTime: z.object({
    /** The first moment, and how long (ms) each stretch of it is. */
    from: n,
    step: n,
    lines: z.array(
      z.object({
        kind: z.enum(timeLines),
        count: n,
        first: n,
        last: n,
        /** In which stretch, from 0, how many: those of none are left out. */
        some: z.array(z.tuple([n, n])),
      }),
    ),
  }),
  /** At which hour of the day, in the mailbox's zone, letters were opened and answered: 24 of each. */
  byHour: z.object({ timeZone: z.string(), opened: z.array(n), replied: z.array(n) }),
  /** Why letters came back, by reason and domain, the most first: how many of how many that were sent there. */
  returned: z.array(z.object({ reason: z.string(), domain: z.string(), hard: z.boolean(), count: n, sent: n })),
  /** This round, and up to three earlier ones to the same list, the latest first. */
  compared: z.array(comparedRoundSchema),
})
export type BoardCharts = z.infer<typeof boardChartsSchema>

/** Who looked at a round's letters: letters are counted, of those that arrived. */
export const boardSeenSchema = z.object({
  tracking: trackingSchema,
  arrived: n,
  /** Opened by a person, by picture or by link, as far as can be seen; and of those, fetched by their mail service in their place. */
  opened: n,
  proxied: n,
  /** Of those opened and not fetched in somebody's place, by program and by device; null is not told. */
  programs: z.array(z.object({ program: z.string().nullable(), letters: n })),
  devices: z.array(z.object({ device: z.enum(devices).nullable(), letters: n })),
  /** By country; null where countries are not looked up. */
  countries: z.array(z.object({ country: z.string().nullable(), letters: n })).nullable(),
  /** Fetched by machines only, by what that is seen. */
  machines: z.array(z.object({ why: z.enum(machineReasons).nullable(), letters: n })),
  /** The links of the letter, with how many letters somebody followed each of; and how many further ones were followed. */
  links: z.array(z.object({ address: z.string(), letters: n })),
  moreLinks: n,
})
export type BoardSeen = z.infer<typeof boardSeenSchema>

/** By what the lines of a board are sorted. */
export const boardOrders = ['person', 'outcome', 'word', 'choice', 'version', 'when', 'said'] as const
export type BoardOrder = (typeof boardOrders)[number]

/** Which lines of a board are wanted. */
const whichLines = z.object({
  pick: z.enum(boardPicks).optional(),
  /** The outcome word, the choice, or the link, for the pick of those who have one. */
  word: z.string().max(300).optional(),
  /** Words of which each is looked for in name, address, and what they answered or why it came back. */
  find: z.string().trim().max(200).default(''),
})

/** What came back about one letter of a person's, each thing with its words. */
export const heardLetterSchema = boardLineSchema.extend({
  responses: z.array(responseSchema),
  returned: z.array(returnedFileSchema),
})
export type HeardLetter = z.infer<typeof heardLetterSchema>

/** In which formats outcomes are handed back; `original` is the workbook that the list was made of. */
export const sheetFormats = ['original', 'xlsx', 'ods', 'csv'] as const
export const outcomeSheetAboutSchema = z.object({
  /** What the workbook is called that outcomes are handed back in; null where there is none. */
  original: z.string().nullable(),
  /** What is to be said of it, in words. */
  said: z.array(z.string()),
  /** The columns that were chosen for this list last, in their order. */
  columns: z.array(z.enum(outcomeColumns)),
})
export type OutcomeSheetAbout = z.infer<typeof outcomeSheetAboutSchema>

/** What came of one person of a round, for other programs: by the names of the outcome sheet's columns, times in ISO 8601 by the mailbox's zone. */
export const outcomeLineSchema = z.object({
  round: z.number(),
  /** The number of their row in the list, which stays with it. */
  row: z.number(),
  person: z.string(),
  /** '' for a letter on paper. */
  address: z.string(),
  came: z.record(z.enum(outcomeColumns), z.union([z.string(), z.number(), z.null()])),
})
export type OutcomeLine = z.infer<typeof outcomeLineSchema>

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
  /** The pile that the rules propose: where it lies once it is taken for an answer. */
  sorted: z.enum(piles),
  /** The rule that proposed the pile; '' where it lies in another, by the writer's word or because it is only perhaps an answer. */
  why: z.string(),
  foundBy: z.enum(waysFound),
  /** The choice of the letter that it makes, or null. */
  choice: z.string().nullable(),
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
  /** How many files came back with it and are kept. */
  files: z.number(),
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
  /** The files that came back with it, and whether there are any that are still to be fetched. */
  returned: z.array(returnedFileSchema),
  fetching: z.boolean(),
  /** What was answered to it from here, the oldest first. */
  answers: z.array(sentAnswerSchema),
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
    wants: 'writer',
    summary: 'What came back of a round',
    params: z.object({ round: id }),
    answer: boardSchema,
  }),
  boardCharts: route({
    method: 'GET',
    path: '/api/rounds/:round/board/charts',
    wants: 'writer',
    summary: 'What came back of a round by the hour of the day, why letters came back, and how earlier rounds did',
    params: z.object({ round: id }),
    answer: boardChartsSchema,
  }),
  roundsOfList: route({
    method: 'GET',
    path: '/api/lists/:list/rounds',
    wants: 'writer',
    summary:
      'The posted rounds to a list beside each other, the latest first: how many arrived, were opened and answered, and how soon',
    params: z.object({ list: id }),
    answer: z.object({
      list: z.object({ id: n, name: z.string() }),
      rounds: z.array(roundOfListSchema),
      /** Earlier ones that are not among them. */
      more: n,
    }),
  }),
  boardSeen: route({
    method: 'GET',
    path: '/api/rounds/:round/seen',
    wants: 'writer',
    summary:
      'Who opened the letters of a round, with what, and which links were followed: what is known, and what is not',
    params: z.object({ round: id }),
    answer: boardSeenSchema,
  }),
  boardLines: route({
    method: 'GET',
    path: '/api/rounds/:round/board/lines',
    wants: 'writer',
    summary: 'Letters of a round with what became of each: a part of those wanted, in an order',
    params: z.object({ round: id }),
    query: whichLines.extend({
      by: z.enum(boardOrders).optional(),
      way: z.enum(['up', 'down']).default('up'),
      from: z.coerce.number().int().min(0).max(10_000_000).default(0),
      count: z.coerce.number().int().min(1).max(1000).default(200),
    }),
    answer: z.object({ letters: n, people: n, lines: z.array(boardLineSchema) }),
  }),
  cameOf: route({
    method: 'GET',
    path: '/api/rounds/:round/came-of',
    wants: 'writer',
    summary:
      'What came of a round for each row of its list, as columns can show it: row, outcome, word, choice and, where there is any of that, when they answered, how many files came back and how often they were chased',
    params: z.object({ round: id }),
    answer: z.object({
      title: z.string(),
      list: n.nullable(),
      rows: z.array(
        z.tuple(
          [n, z.enum(outcomes), z.string().nullable(), z.string().nullable()],
          z.object({ repliedAt: z.string().optional(), files: n.optional(), chased: n.optional() }),
        ),
      ),
    }),
  }),
  boardRows: route({
    method: 'GET',
    path: '/api/rounds/:round/board/rows',
    wants: 'writer',
    summary: 'The rows of the list to which letters of a round belong: of those wanted',
    params: z.object({ round: id }),
    query: whichLines,
    answer: z.object({ rows: z.array(n) }),
  }),
  heardFrom: route({
    method: 'GET',
    path: '/api/rounds/:round/heard/:row',
    wants: 'writer',
    summary: 'The letters of a round to one person, the earlier first, with all that came back about each',
    params: z.object({ round: id, row: id }),
    answer: z.object({ letters: z.array(heardLetterSchema) }),
  }),
  outcomeSheetAbout: route({
    method: 'GET',
    path: '/api/rounds/:round/outcome-sheet/about',
    wants: 'writer',
    summary:
      'What the outcome sheet of a round would be: in which workbook, with which columns, and what is to be said of it',
    params: z.object({ round: id }),
    answer: outcomeSheetAboutSchema,
  }),
  outcomeSheet: route({
    method: 'GET',
    path: '/api/rounds/:round/outcome-sheet',
    wants: 'writer',
    summary:
      'The list with outcome columns at its right: in the workbook that it was made of, as it was otherwise, or in a new one. Times are of the mailbox’s zone',
    params: z.object({ round: id }),
    query: z.object({
      as: z.enum(sheetFormats).default('csv'),
      /** Names of columns in their order, with commas between; left out, those that were chosen last. */
      columns: z
        .string()
        .max(1000)
        .transform((text) => text.split(',').filter(Boolean))
        .pipe(z.array(z.enum(outcomeColumns)).min(1).max(outcomeColumns.length))
        .optional(),
    }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
  outcomeLines: route({
    method: 'GET',
    path: '/api/rounds/:round/outcome-lines',
    wants: 'writer',
    summary: 'What came of each person of a round, as JSON lines: one object to a line',
    params: z.object({ round: id }),
    gives: 'application/x-ndjson',
    answer: z.string(),
  }),
  outcomeStream: route({
    method: 'GET',
    path: '/api/rounds/:round/outcome-stream',
    wants: 'writer',
    summary:
      'What came of each person of a round, and from then on of each of whom it changes, as server-sent events named “outcome” with the same objects',
    params: z.object({ round: id }),
    gives: 'text/event-stream',
    answer: z.string(),
  }),
  rememberOutcomeColumns: route({
    method: 'PUT',
    path: '/api/rounds/:round/outcome-sheet/columns',
    wants: 'writer',
    summary: 'Keep which columns the outcome sheets of a round’s list have, in their order',
    params: z.object({ round: id }),
    body: z.object({ columns: z.array(z.enum(outcomeColumns)).min(1).max(outcomeColumns.length) }),
  }),
  inTray: route({
    method: 'GET',
    path: '/api/in-tray',
    wants: 'writer',
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
    wants: 'writer',
    summary: 'How many entries of the in-tray are to be looked at',
    answer: z.object({ open: z.number() }),
  }),
  trayEntry: route({
    method: 'GET',
    path: '/api/in-tray/:response',
    wants: 'writer',
    summary: 'An entry of the in-tray with all its words, the letter and the row it answers',
    params: z.object({ response: id }),
    answer: trayEntrySchema,
  }),
  markTray: route({
    method: 'POST',
    path: '/api/in-tray/marks',
    wants: 'writer',
    summary:
      'Mark entries of the in-tray: done, put by, in another pile; the answer takes it back when it is sent the same way',
    names: ({ body }) => body.marks.map(({ response }) => ({ kind: 'response', id: response })),
    body: z.object({ marks: z.array(trayMarkSchema).min(1).max(5000) }),
    answer: z.object({ before: z.array(trayMarkSchema.required()) }),
  }),
  whose: route({
    method: 'PUT',
    path: '/api/in-tray/:response/whose',
    wants: 'writer',
    summary:
      "The writer's word on mail that is not certainly the person's: theirs, another's, no answer, or not decided again",
    params: z.object({ response: id }),
    body: z.object({ of: z.enum(['person', 'other', 'perhaps', 'no']) }),
  }),
  setOutcomeWords: route({
    method: 'PUT',
    path: '/api/rounds/:round/outcome-words',
    wants: 'writer',
    summary: "The writer's own words for what comes of a round; one that is left out is taken from whoever had it",
    params: z.object({ round: id }),
    body: z.object({ words: z.array(outcomeWord).max(9, 'A round has up to nine outcome words.') }),
    /** `lost`: who had a word that is none any more; given again once it is, it is as it was. */
    answer: z.object({ words: z.array(z.string()), lost: z.array(z.object({ row: id, word: outcomeWord })) }),
  }),
  giveWords: route({
    method: 'POST',
    path: '/api/rounds/:round/given-words',
    wants: 'writer',
    summary:
      'Give people of a round an outcome word, or take it away; the answer takes it back when it is sent the same way',
    params: z.object({ round: id }),
    body: z.object({ given: z.array(givenWord).min(1).max(100_000) }),
    answer: z.object({ before: z.array(givenWord) }),
  }),
  addReminder: route({
    method: 'POST',
    path: '/api/rounds/:round/reminders',
    wants: 'writer',
    summary: 'Be reminded at a time of those of a round, or of some of its people, who have not answered by then',
    params: z.object({ round: id }),
    body: z.object({
      rows: z.array(id).min(1).max(100_000).nullable(),
      at: bringBackSchema.shape.at.unwrap(),
    }),
    answer: z.object({ id: z.number() }),
  }),
  reminderRows: route({
    method: 'GET',
    path: '/api/reminders/:reminder/rows',
    wants: 'writer',
    summary: 'The rows of those of a reminder who have not answered, to begin a letter to them',
    params: z.object({ reminder: id }),
    answer: z.object({ round: n, rows: z.array(n) }),
  }),
  endReminder: route({
    method: 'PUT',
    path: '/api/reminders/:reminder/done',
    wants: 'writer',
    summary: 'A reminder is done with, or is open again',
    params: z.object({ reminder: id }),
    body: z.object({ done: z.boolean() }),
  }),
  readNow: route({
    method: 'POST',
    path: '/api/mailboxes/:mailbox/read',
    wants: 'writer',
    summary: 'Look for answers now',
    params: z.object({ mailbox: id }),
    answer: z.object({ found: z.number() }),
  }),
}
