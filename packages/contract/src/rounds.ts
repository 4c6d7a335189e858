import { chaserSchema, sameAddressWays, selectionSchema, slowestPace, usualBrake } from '@hand-post/core'
import { z } from 'zod'
import { windowId } from './company.ts'
import { id, ofRound, rowOfRound } from './ids.ts'
import { letterSchema } from './letterDocument.ts'
import { headerText, hoursSchema } from './mailboxes.ts'
import { paperSchema } from './paper.ts'
import { listSchema } from './people.ts'
import { route, type Thing } from './route.ts'

export const roundFileSchema = z.object({
  id: z.number(),
  name: z.string(),
  hash: z.string(),
  size: z.number(),
  type: z.string(),
  role: z.enum(['common', 'own']),
  /** The folders that it lay in when it was added, separated by "/"; '' when it was added alone. */
  folder: z.string(),
})
export type RoundFileEntry = z.infer<typeof roundFileSchema>

export const countsSchema = z.object({
  list: z.number(),
  /** Who gets a message; and who gets the letter on paper. */
  round: z.number(),
  onPaper: z.number(),
  byRule: z.number(),
  setAside: z.number(),
  doNotWrite: z.number(),
  joined: z.number(),
  sameAddress: z.number(),
  /** Of a chaser: who has no letter that it follows, or what it is for is done. */
  notChased: z.number(),
})

export const dispatchSchema = z.object({
  /** When the first message may leave (ms since 1970); null is now. */
  startAt: z.number().nullable(),
  /** Letters a minute; the slowest is one an hour. */
  perMinute: z
    .number()
    .min(slowestPace, 'At 0 letters a minute nothing would ever leave. The slowest pace is one letter an hour, 0.017.')
    .max(100_000),
  /** Recipients a day of the mailbox's zone, by the writer's own choice; null is as many as the mailbox may. */
  perDay: z.number().int().min(1, 'At 0 recipients a day nothing would ever leave.').max(1_000_000).nullable(),
  /** Letters of a group, and minutes of rest between one group and the next. */
  groups: z
    .object({
      of: z.number().int().min(1, 'A group of 0 letters is none.').max(100_000),
      rest: z.number().int().min(1, 'Without a rest there are no groups.').max(10_080),
    })
    .nullable(),
  /** The letters are spread evenly over the open hours until then (ms since 1970). */
  until: z.number().nullable(),
  /** Gaps are uneven: up to half as long again. */
  uneven: z.boolean(),
  /** In which order the letters leave: as the list has its people, by a column, or at random. */
  order: z.discriminatedUnion('by', [
    z.object({ by: z.literal('list') }),
    z.object({ by: z.literal('column'), column: z.string(), descending: z.boolean() }),
    z.object({ by: z.literal('random') }),
  ]),
  /** Each person's own time: from a column, by the clock of a column of time zones, or both; else by the pace. */
  times: z
    .object({
      column: z.string().nullable(),
      zoneColumn: z.string().nullable(),
      /** For days without an hour, in minutes after midnight. */
      hour: z.number().int().min(0).max(1439),
    })
    .nullable(),
  /** The round holds itself when more than this share (in percent) of fifty letters is refused or comes back; null is never. */
  brake: z.number().min(1, 'At 0 % every refusal would hold the round. Choose 1 % or more.').max(100).nullable(),
  /** Told twice by its host to go slower, the round goes at half its pace. */
  goSlower: z.boolean(),
  /** Hours of its own, within the mailbox's or, with `instead`, whatever those are. */
  hours: hoursSchema.omit({ holidays: true }).extend({ instead: z.boolean() }).nullable(),
})
export type RoundDispatch = z.infer<typeof dispatchSchema>

/** What a new round begins with: at once, at a careful pace. Common practice, no source. */
export const usualDispatch: RoundDispatch = {
  startAt: null,
  perMinute: 10,
  perDay: null,
  groups: null,
  until: null,
  uneven: false,
  order: { by: 'list' },
  times: null,
  brake: usualBrake,
  goSlower: true,
  hours: null,
}

/** Addresses, or typed fields whose cells hold some. */
const copyAddresses = z.array(z.string().trim().max(400)).max(20)

export const roundSenderSchema = z.object({
  /** One of the mailbox's own addresses; null is its first. */
  address: z.string().trim().max(254).nullable(),
  /** The name beside it; null is the mailbox's. */
  name: headerText.nullable(),
  /** Where answers go: an address or typed fields; null is where the letter comes from. */
  replyTo: z.string().trim().max(400).nullable(),
})

/** A file that is made for each person. */
export const madeSchema = z.object({
  /** The letter itself or one of the shelf, as PDF; or a .docx model with fields filled in. */
  of: z.enum(['letter', 'shelf', 'model']),
  /** Its name with typed fields, without the ending. */
  name: z.string().trim().min(1).max(300),
  letterId: id.optional(),
  model: z.object({ hash: z.string().regex(/^[0-9a-f]{64}$/), name: z.string().max(300) }).optional(),
})
export type Made = z.infer<typeof madeSchema>

export const trackingSchema = z.object({
  opens: z.boolean(),
  clicks: z.boolean(),
  receipts: z.boolean(),
  /** Whether every letter ends with a line, and has the headers, for opting out. */
  optOut: z.boolean(),
})

/** How many messages of a round are in each state. */
export const stateCountsSchema = z.object({
  waiting: z.number(),
  sending: z.number(),
  sent: z.number(),
  retrying: z.number(),
  refused: z.number(),
  inDoubt: z.number(),
  setAside: z.number(),
  withdrawn: z.number(),
})
export type StateCounts = z.infer<typeof stateCountsSchema>

/** How many letters on paper of a posted round are in each state, and when one was last said to be printed. */
export const paperCountsSchema = z.object({
  toPrint: z.number(),
  printed: z.number(),
  withdrawn: z.number(),
  printedAt: z.number().nullable(),
})
export type PaperCounts = z.infer<typeof paperCountsSchema>

/** A version of a posted round that was amended: what was posted as it, and when (ms since 1970). */
export const postedVersionSchema = z.object({
  /** 1 is as it was posted first. */
  number: z.number(),
  at: z.number(),
  /** Of its letter, with fields as they are typed. */
  subject: z.string(),
  /** Letters that are of it, how many of them have gone, and one whose letter it is. */
  letters: z.number(),
  sent: z.number(),
  rowId: z.number().nullable(),
})
export type PostedVersion = z.infer<typeof postedVersionSchema>

/** A chaser as its round shows it. */
export const chaserLineSchema = z.object({
  id: z.number(),
  title: z.string(),
  chaser: chaserSchema,
  postedAt: z.number().nullable(),
  held: z.boolean(),
  heldWhy: z.string().nullable(),
  amendingSince: z.number().nullable(),
  states: stateCountsSchema,
  /** Of those that wait: how many are not to go, as far as is known now. */
  unfit: z.number(),
  /** And how many wait for the writer's word on what may be an answer. */
  wantsWord: z.number(),
  /** When the first and the last that is to go leaves by the plan (ms since 1970). */
  from: z.number().nullable(),
  until: z.number().nullable(),
})
export type ChaserLine = z.infer<typeof chaserLineSchema>

export const roundSchema = z.object({
  id: z.number(),
  title: z.string(),
  mailboxId: z.number(),
  list: listSchema.nullable(),
  letter: letterSchema,
  selection: selectionSchema,
  /** What is done where one address stands on several rows; null while the writer was not asked. */
  sameAddress: z.enum(sameAddressWays).nullable(),
  addressColumn: z.string().nullable(),
  nameColumns: z.array(z.string()),
  /** Columns of addresses, where there are several and nobody has said which is written to: the writer is asked once. */
  perhapsAddresses: z.array(z.string()).nullable(),
  /** Columns that may have the names, while nobody has said so: the writer is asked once. Null where there is nothing to ask. */
  perhapsNames: z.array(z.string()).nullable(),
  filesColumn: z.string().nullable(),
  /** A name with typed fields by which own files find their people, as `permit-{{Permit no}}.pdf`. */
  filePattern: z.string().nullable(),
  /** What own files are called in the messages, with typed fields; null leaves their names. */
  sentAs: z.string().nullable(),
  /** What is made for each person, or null; and the files that were. */
  made: madeSchema.nullable(),
  madeFiles: z.array(z.object({ rowId: z.number(), fileId: z.number() })),
  /** Files given to people by hand. */
  fileMatches: z.array(z.object({ rowId: z.number(), fileId: z.number() })),
  sender: roundSenderSchema,
  /**
   * Seen by the person who gets the message, and seen by nobody: addresses, or typed fields whose cells hold some. Each counts as
   * one more recipient.
   */
  cc: z.array(z.string()),
  bcc: z.array(z.string()),
  files: z.array(roundFileSchema),
  dispatch: dispatchSchema,
  paper: paperSchema,
  /** Rows that were chosen by hand to get the letter on paper. */
  onPaperByHand: z.array(z.number()),
  tracking: trackingSchema,
  postedAt: z.number().nullable(),
  /** Since when what waits of it is being amended (ms since 1970); null while it is not. */
  amendingSince: z.number().nullable(),
  /** Since when nothing more is counted or read for it, as the writer ended it; null while it is. */
  endedAt: z.number().nullable(),
  /** So many months after its last letter leaves, what it keeps of people is forgotten; null: it is kept. */
  forgetAfter: z.number().nullable(),
  /** When what it kept of people was forgotten, which ended it for good; null where it was not. */
  forgottenAt: z.number().nullable(),
  /** The versions of it that were posted, when it was amended; else none. */
  versions: z.array(postedVersionSchema),
  held: z.boolean(),
  /** Why the round has held itself, in words; null where the writer holds it, or nobody does. */
  heldWhy: z.string().nullable(),
  /** That it goes at half its pace, because its host asked for it, in words; null where it does not. */
  slowed: z.string().nullable(),
  /**
   * That nothing could leave at the times that were planned: from when until when (ms since 1970), of how many letters where that is
   * known, and why, in words. The last time that it was so; null where it never was.
   */
  late: z.object({ from: z.number(), until: z.number(), letters: z.number().nullable(), why: z.string() }).nullable(),
  counts: countsSchema,
  /** Of a chaser: the round whose letters it follows; and what makes it one. */
  chases: z.object({ id: z.number(), title: z.string(), postedAt: z.number().nullable() }).nullable(),
  chaser: chaserSchema.nullable(),
  /** The chasers of this round, in the order in which they leave. */
  chasers: z.array(chaserLineSchema),
  /** Row ids set aside by hand, with the reasons. */
  setAside: z.array(z.object({ rowId: z.number(), reason: z.string() })),
  states: stateCountsSchema,
  paperLetters: paperCountsSchema,
  createdAt: z.number(),
  changedAt: z.number(),
  /** Goes up with every change of its letter, choice and wishes. */
  version: z.number(),
  /** Goes up whenever somebody writes in its letter. */
  letterVersion: z.number(),
})
export type Round = z.infer<typeof roundSchema>

export const roundLineSchema = z.object({
  id: z.number(),
  title: z.string(),
  mailboxId: z.number(),
  listName: z.string().nullable(),
  rowCount: z.number(),
  postedAt: z.number().nullable(),
  held: z.boolean(),
  states: stateCountsSchema,
  paperLetters: paperCountsSchema,
  replied: z.number(),
  bounced: z.number(),
  firstAt: z.number().nullable(),
  lastAt: z.number().nullable(),
  changedAt: z.number(),
})
export type RoundLine = z.infer<typeof roundLineSchema>

/** Into how many equal parts the life of a round is divided where it is drawn. */
export const lifeParts = 24
const parts = z.array(z.number()).length(lifeParts)
/** A posted round over time, from its first letter to its last letter or answer: what falls into each part of that time. */
export const lifeSchema = z.object({
  /** ms since 1970 */
  from: z.number(),
  to: z.number(),
  /** Letters that have gone, and letters that are to go. */
  gone: parts,
  toGo: parts,
  /** People who answered, at their first answer. */
  answered: parts,
})
export type Life = z.infer<typeof lifeSchema>

/** A round as the page of all rounds shows it. */
export const roundOverviewSchema = roundLineSchema.extend({
  /** The subject of its letter, with its fields as they are typed; '' while none is written. */
  subject: z.string(),
  /** Answers and returned mail in the in-tray that are not done yet. */
  inTray: z.number(),
  /** The writer's own words for what comes of it. */
  outcomeWords: z.array(z.string()),
  /** The choices of its letter. */
  choices: z.array(z.string()),
  /** Null before it is posted, and where none of its letters has a time. */
  life: lifeSchema.nullable(),
})
export type RoundOverview = z.infer<typeof roundOverviewSchema>

export const mergedSchema = z.object({
  from: z.string(),
  replyTo: z.array(z.string()),
  to: z.string(),
  cc: z.array(z.string()),
  bcc: z.array(z.string()),
  /** For a letter on paper: the postal address, line by line. */
  paper: z.array(z.string()).nullable(),
  subject: z.string(),
  html: z.string(),
  text: z.string(),
  files: z.array(z.object({ name: z.string(), size: z.number(), hash: z.string() })),
  size: z.number(),
  /** When it left (ms since 1970); null where it has not. */
  sentAt: z.number().nullable(),
})

/** What a round is made of that is there besides: its mailbox, its list, the letter of the shelf that its files are made of. */
const chosenFor = (body: { mailboxId?: number; listId?: number; made?: Made | null }): Thing[] => [
  ...(body.mailboxId === undefined ? [] : [{ kind: 'mailbox' as const, id: body.mailboxId }]),
  ...(body.listId === undefined ? [] : [{ kind: 'list' as const, id: body.listId }]),
  ...(body.made?.letterId === undefined ? [] : [{ kind: 'letter' as const, id: body.made.letterId }]),
]

/** Rounds, their people and messages. */
export const roundRoutes = {
  rounds: route({
    method: 'GET',
    path: '/api/rounds',
    wants: 'writer',
    summary: 'All rounds, newest change first',
    answer: z.array(roundOverviewSchema),
  }),
  startRound: route({
    method: 'POST',
    path: '/api/rounds',
    wants: 'writer',
    summary: 'Start a round',
    names: ({ body }) => chosenFor(body),
    body: z.object({
      title: z.string().trim().min(1).max(200),
      mailboxId: id.optional(),
      /** The list that it goes to. */
      listId: id.optional(),
    }),
    answer: roundSchema,
  }),
  round: route({
    method: 'GET',
    path: '/api/rounds/:round',
    wants: 'writer',
    summary: 'One round',
    params: ofRound,
    answer: roundSchema,
  }),
  changeRound: route({
    method: 'PATCH',
    path: '/api/rounds/:round',
    wants: 'writer',
    changes: 'round',
    summary:
      'Change a round that is not posted yet. A letter may be given as a document, or as subject and HTML with typed {{…}} fields',
    names: ({ body }) => chosenFor(body),
    params: ofRound,
    body: z.object({
      title: z.string().trim().min(1).max(200).optional(),
      mailboxId: id.optional(),
      listId: id.optional(),
      letter: letterSchema.optional(),
      /**
       * The window that writes, and the `letterVersion` that it has written on: where somebody else has written since, or has the pen, the
       * letter is refused, and what was given is kept as a version.
       */
      window: windowId.optional(),
      writtenOn: z.number().int().min(0).optional(),
      letterHtml: z.object({ subject: z.string().max(2000), html: z.string().max(2_500_000) }).optional(),
      /** Keeps what the letter was as a version, however lately one was kept. */
      keepBefore: z.boolean().optional(),
      selection: selectionSchema.optional(),
      /** null: the writer is asked again. */
      sameAddress: z.enum(sameAddressWays).nullable().optional(),
      addressColumn: z.string().nullable().optional(),
      nameColumns: z.array(z.string()).max(4).optional(),
      filesColumn: z.string().nullable().optional(),
      filePattern: z.string().trim().max(300).nullable().optional(),
      sentAs: z.string().trim().max(300).nullable().optional(),
      made: madeSchema.nullable().optional(),
      sender: roundSenderSchema.partial().optional(),
      cc: copyAddresses.optional(),
      bcc: copyAddresses.optional(),
      dispatch: dispatchSchema.partial().optional(),
      paper: paperSchema.partial().optional(),
      tracking: trackingSchema.partial().optional(),
    }),
    answer: roundSchema.extend({ said: z.array(z.string()) }),
  }),
  addChaser: route({
    method: 'POST',
    path: '/api/rounds/:round/chasers',
    wants: 'writer',
    changes: 'round',
    summary:
      'Begin a chaser of a round: a further letter, a round of its own, posted together with it or, when that is posted already, by itself',
    params: ofRound,
    body: z.object({
      /** What is left out is as usual: after five working days, to those of whom nothing has come, in the thread. */
      chaser: chaserSchema.partial().omit({ rows: true, since: true }).optional(),
      /** Only these rows of the list, as they were chosen on the board: who has written since, or of whom anything else has come, gets none. */
      rows: z.array(id).min(1).max(200_000).optional(),
    }),
    answer: roundSchema,
  }),
  changeChaser: route({
    method: 'PATCH',
    path: '/api/rounds/:round/chaser',
    wants: 'writer',
    changes: 'round',
    summary: 'Change when a chaser that is not posted yet leaves, to whom, and how',
    params: ofRound,
    body: chaserSchema.partial().omit({ rows: true, since: true }),
    answer: roundSchema,
  }),
  deleteRound: route({
    method: 'DELETE',
    path: '/api/rounds/:round',
    wants: 'writer',
    summary: 'Delete a round that was never posted',
    params: ofRound,
  }),
  people: route({
    method: 'GET',
    path: '/api/rounds/:round/people',
    wants: 'writer',
    summary: 'Who of the list is in the round, and who not: row ids, as the list is sorted',
    params: ofRound,
    answer: z.object({
      counts: countsSchema,
      sentence: z.string(),
      chosen: z.array(z.number()),
      /** Who gets the letter on paper. */
      onPaper: z.array(z.number()),
      /** How many of both have no address. */
      withoutAddress: z.number(),
      byRule: z.array(z.number()),
      setAside: z.array(z.number()),
      doNotWrite: z.array(z.number()),
      /** Rows that go with the message of an earlier row; and all rows of each message that has several. */
      joined: z.array(z.number()),
      together: z.array(z.array(z.number())),
      sameAddress: z.array(z.number()),
      /** Of a chaser: who has no letter that it follows, or what it is for is done. */
      notChased: z.array(z.number()),
      /** How many addresses stand on several rows that are otherwise in the round. */
      doubled: z.number(),
      /** For a posted round: who is in it now but has no message yet, the late-comers. */
      lateComers: z.array(z.number()),
    }),
  }),
  leftOut: route({
    method: 'GET',
    path: '/api/rounds/:round/left-out',
    wants: 'writer',
    summary: 'Who of the list is not in the round, and why, in words',
    params: ofRound,
    answer: z.array(z.object({ row: z.number(), person: z.string(), why: z.string() })),
  }),
  notes: route({
    method: 'GET',
    path: '/api/rounds/:round/notes',
    wants: 'writer',
    summary: 'The personal notes of a round, by row id',
    params: ofRound,
    answer: z.array(z.object({ row: z.number(), words: z.string() })),
  }),
  writeNote: route({
    method: 'PUT',
    path: '/api/rounds/:round/notes/:row',
    wants: 'writer',
    changes: 'round',
    summary:
      "Write a person's own words, which stand where the letter keeps the place for them; without words the note goes",
    params: rowOfRound,
    body: z.object({ words: z.string().max(20_000) }),
  }),
  setAside: route({
    method: 'PUT',
    path: '/api/rounds/:round/set-aside/:row',
    wants: 'writer',
    changes: 'round',
    summary: 'Leave a person out of the round; the row stays',
    params: rowOfRound,
    body: z.object({ reason: z.string().max(500).default('') }),
  }),
  takeBack: route({
    method: 'DELETE',
    path: '/api/rounds/:round/set-aside/:row',
    wants: 'writer',
    changes: 'round',
    summary: 'Take a person who was set aside into the round again',
    params: rowOfRound,
  }),
  message: route({
    method: 'GET',
    path: '/api/rounds/:round/messages/:row',
    wants: 'writer',
    summary: "One person's message: merged as the round stands, or as frozen once posted",
    params: rowOfRound,
    answer: mergedSchema,
  }),
}
