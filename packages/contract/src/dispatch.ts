import { messageStates, neverReasons, reasons, selectionSchema } from '@hand-post/core'
import { z } from 'zod'
import { id, ofRound, rowOfRound } from './ids.ts'
import { hoursSchema } from './mailboxes.ts'
import { dispatchSchema, roundSchema, stateCountsSchema } from './rounds.ts'
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
  /** Of which version of the round it is: 1 is as it was posted first. */
  version: z.number(),
  /** The host's answer, or what is the matter, in words. */
  reason: z.string().nullable(),
  /** In doubt, looked for in Sent and not found: the writer must say. */
  asksWriter: z.boolean(),
  /** Why its copy is not in Sent, in the host's words. */
  filingFault: z.string().nullable(),
  copies: z.array(copySchema),
})
export type MessageLine = z.infer<typeof messageSchema>

/** By what the messages of a round can be sorted. */
export const messageOrders = ['state', 'person', 'version', 'when', 'words'] as const
export type MessageOrder = (typeof messageOrders)[number]
const message = z.object({ message: id })

const settling = z.object({ went: z.boolean() })
/** How many were settled by the writer's word, and how many of those to be sent were found in Sent, and so are not sent again. */
const settled = z.object({ settled: z.number(), found: z.number() })

/** A round's pace: what of its wishes may be changed while letters wait. */
const paceSchema = dispatchSchema.omit({ times: true, order: true })
/** What of it a plan is made by. */
const plannedPace = paceSchema.omit({ brake: true, goSlower: true })

const reasonSchema = z.enum(reasons)
const neverReasonSchema = z.enum(neverReasons)
const departureSchema = z.object({ at: z.number(), recipients: z.number() })

/** When letters may leave, as it was worked out: with the public holidays among the days off. */
const openHoursSchema = hoursSchema.omit({ holidays: true })

export const limitsSchema = z.object({
  zone: z.string(),
  hours: openHoursSchema,
  perDay: z.number(),
  dayZone: z.string().nullable(),
  perHour: z.number().nullable(),
  recipientsPerMinute: z.number().nullable(),
  perMinute: z.number(),
  perMessage: z.number().nullable(),
  gentle: z
    .object({ days: z.array(z.number()), last: z.object({ number: z.number(), before: z.number() }).nullable() })
    .nullable(),
})

const toPlanSchema = z.object({
  id: z.number(),
  recipients: z.number(),
  copies: z.number(),
  notBefore: z.number().nullable(),
  seed: z.number(),
})

/** All that a round's timetable is computed from, so that another pace can be tried out anywhere. */
export const planGivenSchema = z.object({
  now: z.number(),
  paused: z.boolean(),
  limits: limitsSchema,
  history: z.array(departureSchema),
  /** Rounds in the order in which they take turns; the ids of this round's letters are rows. */
  lanes: z.array(
    z.object({
      id: z.number(),
      letters: z.array(toPlanSchema),
      copies: z.array(toPlanSchema),
      pace: plannedPace,
      gone: z.number(),
      last: z.object({ at: z.number(), onItsDay: z.number() }).nullable(),
      lastByPace: z.object({ at: z.number(), seed: z.number() }).nullable(),
    }),
  ),
  evenly: z.boolean(),
  round: z.number(),
})

export const timetableSchema = z.object({
  /** One for each message, in the order of leaving: when (ms since 1970), to how many recipients, and why not sooner. */
  departures: z.array(departureSchema.extend({ rowId: z.number(), gone: z.boolean(), by: reasonSchema.nullable() })),
  /** What other rounds have waiting in the mailbox. */
  others: z.array(departureSchema),
  /** Letters that can never leave, by why. */
  never: z.array(z.object({ by: neverReasonSchema, letters: z.number() })),
  /** What the mailbox lets through, and the round's own pace. */
  limits: limitsSchema,
  pace: plannedPace,
  /** How many recipients the mailbox may write to just now. */
  allowance: z.number(),
  sentence: z.string(),
})
export type Timetable = z.infer<typeof timetableSchema>

/** What is said before a round is posted. */
export const lastWordSchema = timetableSchema.extend({
  /** A print of the round as it is told of here; given at posting, nothing else is posted than this. */
  print: z.string(),
  letters: z.number(),
  /** Letters that go on paper: how many, and how many of their files are not printed with them. */
  paper: z.object({ letters: z.number(), notPrinted: z.number() }),
  /** The organisation's own domains. */
  home: z.array(z.string()),
  /** Who is outside of these: people, the first of them by name, and addresses that get copies. */
  outside: z.object({
    count: z.number(),
    people: z.array(z.object({ rowId: z.number(), person: z.string(), address: z.string() })),
    copies: z.number(),
  }),
  /** How many letters are copied, to how many addresses, and the most frequent of these. */
  copies: z.object({
    letters: z.number(),
    count: z.number(),
    addresses: z.array(z.object({ address: z.string(), letters: z.number(), outside: z.boolean() })),
  }),
  /** Files that go, and those that lie with the round and go to nobody. */
  files: z.object({ common: z.number(), own: z.number(), peopleWithOwn: z.number(), staying: z.number() }),
  /** How many recipients the mailbox may write to when the last letter has left, what other rounds have waiting being counted. */
  afterwards: z.object({ at: z.number(), left: z.number() }).nullable(),
  waitingElsewhere: z.number(),
  /** The chasers that are posted together with it: to how many at most, and on which days, in words. */
  chasers: z.array(z.object({ id: z.number(), title: z.string(), letters: z.number(), days: z.string() })),
})
export type LastWord = z.infer<typeof lastWordSchema>

/** What is said before an amendment is posted. */
export const amendmentSchema = z.object({
  /** A print of the round as it is told of here; given at posting, nothing else is posted than this. */
  print: z.string(),
  /** Letters that wait and are made anew; and how many of these do not differ from what was posted. */
  letters: z.number(),
  same: z.number(),
  /** Letters on paper that are not printed yet, and are made anew. */
  paper: z.number(),
  /** How many differ in what. */
  differ: z.object({
    subject: z.number(),
    words: z.number(),
    enclosures: z.number(),
    sender: z.number(),
    copies: z.number(),
    address: z.number(),
  }),
  /** Whose letter goes to another address, the first of them by name. */
  addresses: z.array(z.object({ rowId: z.number(), person: z.string(), was: z.string(), is: z.string() })),
  /** Letters that have gone, and that nobody knows of whether they have: both stay as they were posted. */
  sent: z.number(),
  inDoubt: z.number(),
  /** Whose letters wait and cannot be made anew, and why: they must be withdrawn, or come back, before anything is posted. */
  cannot: z.array(z.object({ rowId: z.number(), person: z.string(), why: z.string() })),
  /** When they leave then, in words. */
  sentence: z.string(),
})
export type Amendment = z.infer<typeof amendmentSchema>

export const dispatchRoutes = {
  messages: route({
    method: 'GET',
    path: '/api/rounds/:round/messages',
    wants: 'writer',
    summary: 'The messages of a posted round: all, those of one row of its list, or those that wait',
    params: ofRound,
    query: z.object({ row: id.optional(), waiting: z.literal('yes').optional() }),
    answer: z.array(messageSchema),
  }),
  messageLines: route({
    method: 'GET',
    path: '/api/rounds/:round/message-lines',
    wants: 'writer',
    summary: 'The messages of a posted round: a part of those wanted, in an order, with how many are in each state',
    params: ofRound,
    query: z.object({
      /** Words that name or address have. */
      find: z.string().trim().max(200).default(''),
      state: z.enum(messageStates).optional(),
      by: z.enum(messageOrders).optional(),
      way: z.enum(['up', 'down']).default('up'),
      from: z.coerce.number().int().min(0).max(10_000_000).default(0),
      count: z.coerce.number().int().min(1).max(1000).default(200),
    }),
    /**
     * `found`: how many are wanted. Of the whole round: `states`, how many are in each; `copies`, the same of the copies of letters
     * that have gone; `asking`, how many are in doubt and wait for the writer's word.
     */
    answer: z.object({
      found: z.number(),
      states: stateCountsSchema,
      copies: stateCountsSchema,
      asking: z.number(),
      lines: z.array(messageSchema),
    }),
  }),
  hold: route({
    method: 'POST',
    path: '/api/rounds/:round/hold',
    wants: 'writer',
    summary: 'Hold: nothing more leaves until the round is carried on',
    params: ofRound,
  }),
  carryOn: route({
    method: 'POST',
    path: '/api/rounds/:round/carry-on',
    wants: 'poster',
    summary: 'Carry on with a held round, at its pace from now',
    names: ({ params }) => [{ kind: 'mailboxOfRound', id: params.round }],
    params: ofRound,
  }),
  withdraw: route({
    method: 'POST',
    path: '/api/rounds/:round/withdraw',
    wants: 'writer',
    summary: 'Withdraw every message of the round that has not left',
    params: ofRound,
    /** `copies`: Cc and Bcc of letters that have gone. */
    /** `paper`: letters on paper that were not printed yet. */
    answer: z.object({ withdrawn: z.number(), copies: z.number(), paper: z.number() }),
  }),
  beginAmending: route({
    method: 'POST',
    path: '/api/rounds/:round/amend',
    wants: 'writer',
    summary: 'Hold a posted round and open its letter, enclosures and notes for those whose letters wait',
    params: ofRound,
    answer: roundSchema,
  }),
  amendment: route({
    method: 'GET',
    path: '/api/rounds/:round/amendment',
    wants: 'writer',
    summary: 'What is said before an amendment is posted: whose letters change in what, and when they leave then',
    params: ofRound,
    answer: amendmentSchema,
  }),
  postAmendment: route({
    method: 'POST',
    path: '/api/rounds/:round/amendment',
    wants: 'poster',
    summary:
      'Post an amendment: every letter that waits is made anew in the place of the one that was posted, and the round goes on',
    names: ({ params }) => [{ kind: 'mailboxOfRound', id: params.round }],
    params: ofRound,
    body: z.object({
      letters: z
        .number()
        .int()
        .nonnegative()
        .describe('How many letters the caller expects to be amended; another number changes nothing'),
      print: z
        .string()
        .max(100)
        .describe('What the caller saw, as the amendment gave it; what was changed since posts nothing'),
    }),
    answer: roundSchema,
  }),
  giveUpAmendment: route({
    method: 'DELETE',
    path: '/api/rounds/:round/amendment',
    wants: 'writer',
    summary: 'Give an amendment up: the round is again as it was posted, and stays held',
    params: ofRound,
    answer: roundSchema,
  }),
  withdrawSome: route({
    method: 'POST',
    path: '/api/rounds/:round/withdraw-some',
    wants: 'writer',
    summary: 'Withdraw some messages of the round, those of them that have not left',
    params: ofRound,
    body: z.object({ letters: z.array(id).min(1).max(1_000_000) }),
    answer: z.object({ withdrawn: z.number() }),
  }),
  waitingBy: route({
    method: 'POST',
    path: '/api/rounds/:round/waiting-by',
    wants: 'writer',
    summary:
      'The messages of a posted round that wait and whose rows fit rules, in the order of the list; none for rules that are not finished',
    params: ofRound,
    body: z.object({ selection: selectionSchema }),
    answer: z.object({ letters: z.array(z.number()) }),
  }),
  moveLetter: route({
    method: 'POST',
    path: '/api/messages/:message/move',
    wants: 'poster',
    summary: 'Send a letter that waits before all others of its round, or after them',
    params: message,
    body: z.object({ to: z.enum(['first', 'last']) }),
  }),
  withdrawLetter: route({
    method: 'POST',
    path: '/api/messages/:message/withdraw',
    wants: 'writer',
    summary: 'Withdraw one letter that has not left, with its copies',
    params: message,
  }),
  changeTurns: route({
    method: 'PUT',
    path: '/api/mailboxes/:mailbox/turns',
    wants: 'poster',
    summary: 'In which order the rounds that wait in a mailbox take turns, or that they share it evenly',
    names: ({ body }) => body.rounds.map((round) => ({ kind: 'round', id: round })),
    params: z.object({ mailbox: id }),
    body: z.object({ rounds: z.array(id).max(1000), evenly: z.boolean() }),
  }),
  settleDoubt: route({
    method: 'POST',
    path: '/api/messages/:message/settle',
    wants: 'poster',
    summary:
      "The writer's word on a letter in doubt: it went, or it is to be sent. Before it is sent, Sent is looked into once more",
    params: message,
    body: settling,
    answer: settled,
  }),
  settleCopy: route({
    method: 'POST',
    path: '/api/copies/:copy/settle',
    wants: 'poster',
    summary: "The writer's word on a Cc or Bcc in doubt: it went, or it is to be sent",
    params: z.object({ copy: id }),
    body: settling,
    answer: settled,
  }),
  settleDoubts: route({
    method: 'POST',
    path: '/api/rounds/:round/settle',
    wants: 'poster',
    summary: "The writer's word on every letter and copy of a round that is in doubt",
    names: ({ params }) => [{ kind: 'mailboxOfRound', id: params.round }],
    params: ofRound,
    body: settling,
    answer: settled,
  }),
  rawMessage: route({
    method: 'GET',
    path: '/api/messages/:message/raw',
    wants: 'writer',
    summary: 'A message as it is, or will be, given to the mail host',
    params: message,
    gives: 'message/rfc822',
    answer: z.string(),
  }),
  outTray: route({
    method: 'GET',
    path: '/api/out-tray',
    wants: 'writer',
    summary: 'Everything that is waiting to go, over all rounds, in the order of leaving; and what needs the writer',
    answer: z.object({
      waiting: z.number(),
      messages: z.array(
        messageSchema.extend({
          round: z.string(),
          /** It is an answer that the writer gives to somebody of the round, and no letter of it. */
          answer: z.boolean(),
          held: z.boolean(),
          mailboxId: z.number(),
        }),
      ),
      /** Mailboxes in which several rounds wait, with these in the order in which they take turns. */
      sharing: z.array(
        z.object({
          mailboxId: z.number(),
          mailbox: z.string(),
          evenly: z.boolean(),
          rounds: z.array(z.object({ id: z.number(), title: z.string(), waiting: z.number(), held: z.boolean() })),
        }),
      ),
    }),
  }),
  timetable: route({
    method: 'GET',
    path: '/api/rounds/:round/timetable',
    wants: 'writer',
    summary: 'When each message leaves, or left',
    params: ofRound,
    answer: timetableSchema,
  }),
  calendar: route({
    method: 'GET',
    path: '/api/rounds/:round/timetable.ics',
    wants: 'writer',
    summary: 'The days on which letters of the round leave, as a calendar (iCalendar, RFC 5545)',
    params: ofRound,
    gives: 'text/calendar',
    answer: z.string(),
  }),
  planGiven: route({
    method: 'GET',
    path: '/api/rounds/:round/plan-given',
    wants: 'writer',
    summary: 'All that the timetable of what waits of a round is computed from, for trying out another pace',
    params: ofRound,
    answer: planGivenSchema,
  }),
  changePace: route({
    method: 'POST',
    path: '/api/rounds/:round/pace',
    wants: 'poster',
    summary: 'Another pace, other hours or another first minute for what waits of a posted round',
    params: ofRound,
    body: paceSchema.partial(),
    answer: roundSchema,
  }),
  lastWord: route({
    method: 'GET',
    path: '/api/rounds/:round/last-word',
    wants: 'writer',
    summary:
      'What is said before a round is posted: who gets it, who gets copies, with which files, when, and what is left then',
    params: ofRound,
    answer: lastWordSchema,
  }),
  topUp: route({
    method: 'POST',
    path: '/api/rounds/:round/top-up',
    wants: 'poster',
    summary: 'Post a posted round to those who came late to its list: to nobody who has a message of it already',
    names: ({ params }) => [{ kind: 'mailboxOfRound', id: params.round }],
    params: ofRound,
    body: z.object({
      messages: z.number().int().nonnegative().describe('How many the caller expects; another number posts nothing'),
      paper: z
        .number()
        .int()
        .nonnegative()
        .default(0)
        .describe('How many letters on paper the caller expects beside them'),
    }),
    answer: roundSchema,
  }),
  sendToNew: route({
    method: 'POST',
    path: '/api/rounds/:round/to-new-address/:row',
    wants: 'poster',
    summary:
      'Send a person whose letter was refused or came back the letter at the address that stands in the list now; proofed for them alone',
    names: ({ params }) => [{ kind: 'mailboxOfRound', id: params.round }],
    params: rowOfRound,
  }),
  sendOnceMore: route({
    method: 'POST',
    path: '/api/rounds/:round/once-more',
    wants: 'poster',
    summary:
      'Send people the very message again that they have had; a deliberate act, for which the number of times they have had it is given',
    names: ({ params }) => [{ kind: 'mailboxOfRound', id: params.round }],
    params: ofRound,
    body: z.object({
      rows: z
        .array(z.object({ row: id, hadTimes: z.number().int().positive() }))
        .min(1)
        .max(500),
    }),
    answer: z.object({ messages: z.number() }),
  }),
  post: route({
    method: 'POST',
    path: '/api/rounds/:round/post',
    wants: 'poster',
    summary: 'Post the round: freeze every message and let them leave by the timetable',
    names: ({ params }) => [{ kind: 'mailboxOfRound', id: params.round }],
    params: ofRound,
    body: z.object({
      messages: z
        .number()
        .int()
        .nonnegative()
        .describe('How many messages the caller expects; another number posts nothing'),
      paper: z.number().int().nonnegative().default(0).describe('How many letters on paper the caller expects'),
      print: z
        .string()
        .max(100)
        .optional()
        .describe(
          'What the caller saw, as the last word gave it; a round or list that was changed since posts nothing',
        ),
    }),
    answer: roundSchema,
  }),
}
