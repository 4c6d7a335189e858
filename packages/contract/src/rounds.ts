import { sameAddressWays, selectionSchema, slowestPace } from '@hand-post/core'
import { z } from 'zod'
import { letterSchema } from './letterDocument.ts'
import { headerText } from './mailboxes.ts'
import { id, listSchema } from './people.ts'
import { route } from './route.ts'

export const roundFileSchema = z.object({
  id: z.number(),
  name: z.string(),
  hash: z.string(),
  size: z.number(),
  type: z.string(),
  role: z.enum(['common', 'own']),
  /** The folders that it lay in when it was added, parted by "/"; '' when it was added alone. */
  folder: z.string(),
})
export type RoundFileEntry = z.infer<typeof roundFileSchema>

export const countsSchema = z.object({
  list: z.number(),
  round: z.number(),
  byRule: z.number(),
  setAside: z.number(),
  doNotWrite: z.number(),
  joined: z.number(),
  sameAddress: z.number(),
})

export const dispatchSchema = z.object({
  /** When the first message may leave (ms since 1970); null is now. */
  startAt: z.number().nullable(),
  /** Letters a minute; the slowest is one an hour. */
  perMinute: z
    .number()
    .min(slowestPace, 'At 0 letters a minute nothing would ever leave. The slowest pace is one letter an hour, 0.017.')
    .max(100_000),
})

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
  tracking: trackingSchema,
  postedAt: z.number().nullable(),
  held: z.boolean(),
  counts: countsSchema,
  /** Row ids set aside by hand, with the reasons. */
  setAside: z.array(z.object({ rowId: z.number(), reason: z.string() })),
  states: stateCountsSchema,
  createdAt: z.number(),
  changedAt: z.number(),
  /** Goes up with every change of its letter, choice and wishes. */
  version: z.number(),
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
  replied: z.number(),
  bounced: z.number(),
  firstAt: z.number().nullable(),
  lastAt: z.number().nullable(),
  changedAt: z.number(),
})
export type RoundLine = z.infer<typeof roundLineSchema>

const round = z.object({ round: id })
const rowOfRound = z.object({ round: id, row: id })

const mendSchema = z.discriminatedUnion('do', [
  z.object({ do: z.literal('editCell'), rowId: z.number(), columnId: z.string() }),
  z.object({ do: z.literal('setAside'), rowId: z.number() }),
  z.object({ do: z.literal('standIn'), column: z.string() }),
  z.object({ do: z.literal('swapField'), from: z.string(), to: z.string() }),
  z.object({ do: z.literal('swapMark'), mark: z.string(), to: z.string() }),
  z.object({
    do: z.literal('renameInCell'),
    rowId: z.number(),
    columnId: z.string(),
    from: z.string(),
    to: z.string(),
  }),
  z.object({ do: z.literal('sameAddress'), way: z.enum(sameAddressWays) }),
  z.object({ do: z.literal('match'), rowId: z.number(), fileId: z.number(), name: z.string() }),
  z.object({ do: z.literal('unmatch'), rowId: z.number(), fileId: z.number(), name: z.string() }),
  z.object({ do: z.literal('removeFile'), fileId: z.number(), name: z.string() }),
  z.object({ do: z.literal('makeFiles') }),
  z.object({ do: z.literal('noOwnFiles') }),
  z.object({
    do: z.literal('goTo'),
    stage: z.enum(['people', 'letter', 'enclosures', 'dispatch']),
    find: z.string().optional(),
  }),
])

export const findingSchema = z.object({
  key: z.string(),
  check: z.string(),
  title: z.string(),
  grade: z.enum(['stop', 'ask', 'note']),
  rowId: z.number().nullable(),
  person: z.string().nullable(),
  message: z.string(),
  mends: z.array(mendSchema),
  /** The reason with which the writer accepted it, or null. */
  accepted: z.string().nullable(),
})
export type FindingEntry = z.infer<typeof findingSchema>

export const proofSchema = z.object({
  people: z.number(),
  findings: z.array(findingSchema),
  stops: z.number(),
  /** Asks that still want the writer's word. */
  asks: z.number(),
  /** Files whose contents are still to be examined; until then nothing can be posted. */
  unread: z.number(),
  mayPost: z.boolean(),
})
export type Proof = z.infer<typeof proofSchema>

export const enclosuresSchema = z.object({
  people: z.array(
    z.object({
      rowId: z.number(),
      person: z.string(),
      /** Each with how it came to be theirs, and the name it has in the message. */
      files: z.array(
        z.object({ id: z.number(), by: z.enum(['common', 'column', 'pattern', 'hand', 'made']), sentAs: z.string() }),
      ),
      /** Names without a file, each with the file that comes near, and in what it differs. */
      missing: z.array(
        z.object({
          name: z.string(),
          by: z.enum(['column', 'pattern']),
          near: z.object({ id: z.number(), name: z.string(), why: z.string() }).nullable(),
        }),
      ),
      /** Names that stand for several files with other contents. */
      doubtful: z.array(z.string()),
      /** Octets of the message as it leaves: exact for the heaviest, else estimated from above. */
      size: z.number(),
      exact: z.boolean(),
    }),
  ),
  /** Ids of own files that go to nobody. */
  unclaimed: z.array(z.number()),
  /** How many contents are still to be examined. */
  unread: z.number(),
  /** What is wrong with files as such. */
  faults: z.array(z.object({ fileId: z.number(), fault: z.string(), detail: z.string() })),
  /** Whose the files that go to nobody are, by their names and words; and the pattern that finds more than is found now. */
  proposed: z.array(z.object({ fileId: z.number(), rowId: z.number(), person: z.string(), why: z.string() })),
  pattern: z.object({ pattern: z.string(), files: z.number() }).nullable(),
  /** For how many people a file is still to be made, or made anew. */
  toMake: z.number(),
})
export type Enclosures = z.infer<typeof enclosuresSchema>

export const mergedSchema = z.object({
  from: z.string(),
  replyTo: z.array(z.string()),
  to: z.string(),
  cc: z.array(z.string()),
  bcc: z.array(z.string()),
  subject: z.string(),
  html: z.string(),
  text: z.string(),
  files: z.array(z.object({ name: z.string(), size: z.number(), hash: z.string() })),
  size: z.number(),
})

export const timetableSchema = z.object({
  /** One for each message, in the order of leaving: when (ms since 1970), and to how many recipients. */
  departures: z.array(
    z.object({ at: z.number(), recipients: z.number(), rowId: z.number().nullable(), gone: z.boolean() }),
  ),
  messages: z.number(),
  recipients: z.number(),
  first: z.number().nullable(),
  last: z.number().nullable(),
  impossible: z.number(),
  /** How many recipients the mailbox may write to just now, and in any 24 hours. */
  allowance: z.number(),
  perDay: z.number(),
  sentence: z.string(),
})
export type Timetable = z.infer<typeof timetableSchema>

/** What is said before a round is posted. */
export const lastWordSchema = timetableSchema.extend({
  /** A print of the round as it is told of here; given at posting, nothing else is posted than this. */
  print: z.string(),
  letters: z.number(),
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
})
export type LastWord = z.infer<typeof lastWordSchema>

export const roundRoutes = {
  rounds: route({
    method: 'GET',
    path: '/api/rounds',
    summary: 'All rounds, newest change first',
    answer: z.array(roundLineSchema),
  }),
  startRound: route({
    method: 'POST',
    path: '/api/rounds',
    summary: 'Start a round',
    body: z.object({ title: z.string().trim().min(1).max(200), mailboxId: id.optional() }),
    answer: roundSchema,
  }),
  round: route({ method: 'GET', path: '/api/rounds/:round', summary: 'One round', params: round, answer: roundSchema }),
  changeRound: route({
    method: 'PATCH',
    path: '/api/rounds/:round',
    summary:
      'Change a round that is not posted yet. A letter may be given as a document, or as subject and HTML with typed {{…}} fields',
    params: round,
    body: z.object({
      title: z.string().trim().min(1).max(200).optional(),
      mailboxId: id.optional(),
      listId: id.optional(),
      letter: letterSchema.optional(),
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
      tracking: trackingSchema.partial().optional(),
    }),
    answer: roundSchema.extend({ said: z.array(z.string()) }),
  }),
  deleteRound: route({
    method: 'DELETE',
    path: '/api/rounds/:round',
    summary: 'Delete a round that was never posted',
    params: round,
  }),
  people: route({
    method: 'GET',
    path: '/api/rounds/:round/people',
    summary: 'Who of the list is in the round, and who not: row ids, as the list is sorted',
    params: round,
    answer: z.object({
      counts: countsSchema,
      sentence: z.string(),
      chosen: z.array(z.number()),
      byRule: z.array(z.number()),
      setAside: z.array(z.number()),
      doNotWrite: z.array(z.number()),
      /** Rows that go with the message of an earlier row; and all rows of each message that has several. */
      joined: z.array(z.number()),
      together: z.array(z.array(z.number())),
      sameAddress: z.array(z.number()),
      /** How many addresses stand on several rows that are otherwise in the round. */
      doubled: z.number(),
      /** For a posted round: who is in it now but has no message yet, the late-comers. */
      lateComers: z.array(z.number()),
    }),
  }),
  leftOut: route({
    method: 'GET',
    path: '/api/rounds/:round/left-out',
    summary: 'Who of the list is not in the round, and why, in words',
    params: round,
    answer: z.array(z.object({ row: z.number(), person: z.string(), why: z.string() })),
  }),
  notes: route({
    method: 'GET',
    path: '/api/rounds/:round/notes',
    summary: 'The personal notes of a round, by row id',
    params: round,
    answer: z.array(z.object({ row: z.number(), words: z.string() })),
  }),
  writeNote: route({
    method: 'PUT',
    path: '/api/rounds/:round/notes/:row',
    summary:
      "Write a person's own words, which stand where the letter keeps the place for them; without words the note goes",
    params: rowOfRound,
    body: z.object({ words: z.string().max(20_000) }),
  }),
  setAside: route({
    method: 'PUT',
    path: '/api/rounds/:round/set-aside/:row',
    summary: 'Leave a person out of the round; the row stays',
    params: rowOfRound,
    body: z.object({ reason: z.string().max(500).default('') }),
  }),
  takeBack: route({
    method: 'DELETE',
    path: '/api/rounds/:round/set-aside/:row',
    summary: 'Take a person who was set aside into the round again',
    params: rowOfRound,
  }),
  addFile: route({
    method: 'POST',
    path: '/api/rounds/:round/files',
    summary: 'Add an enclosure',
    params: round,
    query: z.object({
      name: z.string().min(1).max(300),
      role: z.enum(['common', 'own']),
      /** The folders it lies in, parted by "/". */
      folder: z.string().max(1000).optional(),
    }),
    takesFile: true,
    answer: roundFileSchema.extend({
      /** Another content of this name and folder had been here, and was taken out. */
      replaced: z.boolean(),
    }),
  }),
  addPacked: route({
    method: 'POST',
    path: '/api/rounds/:round/packed',
    summary: 'Add the files of a zip as enclosures; what cannot be taken is said, and the rest is taken',
    params: round,
    query: z.object({ name: z.string().min(1).max(300), role: z.enum(['common', 'own']) }),
    takesFile: true,
    answer: z.object({
      added: z.number(),
      replaced: z.number(),
      leftOut: z.array(z.object({ name: z.string(), why: z.string() })),
    }),
  }),
  matchFiles: route({
    method: 'PUT',
    path: '/api/rounds/:round/file-matches',
    summary: 'Give own files to people by hand',
    params: round,
    body: z.object({
      matches: z
        .array(z.object({ rowId: id, fileId: id }))
        .min(1)
        .max(20_000),
    }),
  }),
  addModel: route({
    method: 'POST',
    path: '/api/rounds/:round/model',
    summary: 'Bring in a .docx document with typed fields as the model of what is made for each person',
    params: round,
    query: z.object({ name: z.string().min(1).max(300) }),
    takesFile: true,
    answer: z.object({ hash: z.string(), name: z.string(), unknown: z.array(z.string()) }),
  }),
  makeFiles: route({
    method: 'POST',
    path: '/api/rounds/:round/make-files',
    summary: 'Make the files that are lacking, or were made of other words than stand there now',
    params: round,
    answer: z.object({ made: z.number() }),
  }),
  madeZip: route({
    method: 'GET',
    path: '/api/rounds/:round/made-files',
    summary: 'All files made for the people of a round, as one zip',
    params: round,
    gives: 'application/zip',
    answer: z.string(),
  }),
  unmatchFiles: route({
    method: 'DELETE',
    path: '/api/rounds/:round/file-matches',
    summary: 'Take back what was given by hand',
    params: round,
    body: z.object({
      matches: z
        .array(z.object({ rowId: id, fileId: id }))
        .min(1)
        .max(20_000),
    }),
  }),
  changeFile: route({
    method: 'PATCH',
    path: '/api/rounds/:round/files/:file',
    summary: 'Make a file common to all, or own to those whose rows name it',
    params: z.object({ round: id, file: id }),
    body: z.object({ role: z.enum(['common', 'own']) }),
    answer: roundFileSchema,
  }),
  removeFile: route({
    method: 'DELETE',
    path: '/api/rounds/:round/files/:file',
    summary: 'Take a file out of the round',
    params: z.object({ round: id, file: id }),
  }),
  addPicture: route({
    method: 'POST',
    path: '/api/pictures',
    summary: 'Store a picture for a letter; its `src` goes into the document',
    query: z.object({ name: z.string().min(1).max(300) }),
    takesFile: true,
    answer: z.object({ src: z.string(), size: z.number() }),
  }),
  fileContent: route({
    method: 'GET',
    path: '/api/files/:hash',
    summary: 'A stored file',
    params: z.object({ hash: z.string().regex(/^[0-9a-f]{64}$/) }),
    query: z.object({ name: z.string().max(300).optional() }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
  enclosures: route({
    method: 'GET',
    path: '/api/rounds/:round/enclosures',
    summary: 'Which files go with which message',
    params: round,
    answer: enclosuresSchema,
  }),
  proof: route({
    method: 'GET',
    path: '/api/rounds/:round/proof',
    summary: 'Every message made and checked',
    params: round,
    query: z.object({
      /** Answers only when the contents of all files have been examined. */
      wait: z.enum(['yes', 'no']).optional(),
    }),
    answer: proofSchema,
  }),
  proofPeople: route({
    method: 'POST',
    path: '/api/rounds/:round/proof/people',
    summary: 'What is found of some people, at once: for who has just changed a cell. The whole proof says the rest',
    params: round,
    body: z.object({ rowIds: z.array(id).min(1).max(100) }),
    answer: z.object({
      findings: z.array(findingSchema),
      /** The checks that were left to the whole proof. */
      left: z.array(z.string()),
    }),
  }),
  readingSet: route({
    method: 'GET',
    path: '/api/rounds/:round/reading-set',
    summary:
      'The few people whose messages between them show every variation of the round, each with what it shows; and whose messages were read',
    params: round,
    answer: z.object({
      people: z.number(),
      set: z.array(
        z.object({ rowId: z.number(), person: z.string(), reasons: z.array(z.string()), read: z.boolean() }),
      ),
      /** Whose messages have been read as they stand, in the set or not. */
      read: z.array(z.number()),
    }),
  }),
  markRead: route({
    method: 'PUT',
    path: '/api/rounds/:round/read/:row',
    summary:
      "Note that a person's message has been read as it stands now; a change of it, or of the letter, takes that back",
    params: rowOfRound,
  }),
  unmarkRead: route({
    method: 'DELETE',
    path: '/api/rounds/:round/read/:row',
    summary: "Take back that a person's message has been read",
    params: rowOfRound,
  }),
  accept: route({
    method: 'PUT',
    path: '/api/rounds/:round/accepted',
    summary: 'Accept findings that ask, with a reason',
    params: round,
    body: z.object({
      keys: z.array(z.string().max(600)).min(1).max(10_000),
      reason: z.string().trim().min(1).max(500),
    }),
  }),
  unaccept: route({
    method: 'DELETE',
    path: '/api/rounds/:round/accepted',
    summary: 'Take an acceptance back',
    params: round,
    body: z.object({ keys: z.array(z.string().max(600)).min(1).max(10_000) }),
  }),
  message: route({
    method: 'GET',
    path: '/api/rounds/:round/messages/:row',
    summary: "One person's message: merged as the round stands, or as frozen once posted",
    params: rowOfRound,
    answer: mergedSchema,
  }),
  sendCopies: route({
    method: 'POST',
    path: '/api/rounds/:round/copies',
    summary: "Send copies of chosen people's messages to one of one's own addresses; nobody else gets anything",
    params: round,
    body: z.object({
      rowIds: z.array(id).min(1).max(50),
      /** An address or alias of one of the mailboxes; the round's own when left out. */
      to: z.string().max(254).optional(),
    }),
    answer: z.object({ sent: z.number(), to: z.string() }),
  }),
  drafts: route({
    method: 'GET',
    path: '/api/rounds/:round/drafts',
    summary: 'The messages of a round that lie as drafts in its mailbox, or were sent from there',
    params: round,
    query: z.object({
      /** Looks in the mailbox for drafts that were sent, before it answers. */
      look: z.enum(['yes', 'no']).optional(),
    }),
    answer: z.array(z.object({ rowId: z.number(), putAt: z.number(), sentAt: z.number().nullable() })),
  }),
  putDrafts: route({
    method: 'POST',
    path: '/api/rounds/:round/drafts',
    summary:
      'Put the messages into the mailbox as drafts, to be sent by hand from there; nothing is sent, and nobody gets a second draft',
    params: round,
    answer: z.object({ put: z.number() }),
  }),
  allMessages: route({
    method: 'GET',
    path: '/api/rounds/:round/all-messages',
    summary:
      'All messages of a round as one file: a PDF with a person a page and the files listed, or a mailbox file (RFC 4155) of the messages as they leave',
    params: round,
    query: z.object({ as: z.enum(['pdf', 'mbox']) }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
  timetable: route({
    method: 'GET',
    path: '/api/rounds/:round/timetable',
    summary: 'When each message leaves, or left',
    params: round,
    answer: timetableSchema,
  }),
  lastWord: route({
    method: 'GET',
    path: '/api/rounds/:round/last-word',
    summary:
      'What is said before a round is posted: who gets it, who gets copies, with which files, when, and what is left then',
    params: round,
    answer: lastWordSchema,
  }),
  topUp: route({
    method: 'POST',
    path: '/api/rounds/:round/top-up',
    summary: 'Post a posted round to those who came late to its list: to nobody who has a message of it already',
    params: round,
    body: z.object({
      messages: z.number().int().positive().describe('How many the caller expects; another number posts nothing'),
    }),
    answer: roundSchema,
  }),
  lateProof: route({
    method: 'GET',
    path: '/api/rounds/:round/late-proof',
    summary: 'The messages of the late-comers of a posted round made and checked',
    params: round,
    answer: proofSchema,
  }),
  sendToNew: route({
    method: 'POST',
    path: '/api/rounds/:round/to-new-address/:row',
    summary:
      'Send a person whose letter was refused or came back the letter at the address that stands in the list now; proofed for them alone',
    params: rowOfRound,
  }),
  sendOnceMore: route({
    method: 'POST',
    path: '/api/rounds/:round/once-more',
    summary:
      'Send people the very message again that they have had; a deliberate act, for which the number of times they have had it is given',
    params: round,
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
    summary: 'Post the round: freeze every message and let them leave by the timetable',
    params: round,
    body: z.object({
      messages: z
        .number()
        .int()
        .positive()
        .describe('How many messages the caller expects; another number posts nothing'),
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
