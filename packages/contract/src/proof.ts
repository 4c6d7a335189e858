import { sameAddressWays } from '@hand-post/core'
import { z } from 'zod'
import { id, ofRound, rowOfRound } from './ids.ts'
import { route } from './route.ts'

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

/** The proof, and what is looked at before posting. */
/** How it stands with a second pair of eyes, for whoever asks. */
export const secondEyesSchema = z.object({
  /** By what it is wanted: the round's own wish, or its mailbox's. */
  by: z.enum(['round', 'mailbox']).nullable(),
  lastChanged: z.object({ id: z.number(), name: z.string(), at: z.number() }).nullable(),
  /** Whether that was whoever asks: then somebody else posts. */
  own: z.boolean(),
  /** Letters of the reading set that whoever asks has not read as they stand, and how many there are. */
  unread: z.number(),
  of: z.number(),
  /** Some of the people whose letters have changed since whoever asks has read them. */
  changedSince: z.array(z.string()),
})
export type SecondEyes = z.infer<typeof secondEyesSchema>

export const proofRoutes = {
  proof: route({
    method: 'GET',
    path: '/api/rounds/:round/proof',
    wants: 'writer',
    summary: 'Every message made and checked',
    params: ofRound,
    query: z.object({
      /** Answers only when the contents of all files have been examined. */
      wait: z.enum(['yes', 'no']).optional(),
    }),
    answer: proofSchema,
  }),
  proofPeople: route({
    method: 'POST',
    path: '/api/rounds/:round/proof/people',
    wants: 'writer',
    summary: 'What is found of some people, at once: for who has just changed a cell. The whole proof says the rest',
    params: ofRound,
    body: z.object({ rowIds: z.array(id).min(1).max(100) }),
    answer: z.object({
      findings: z.array(findingSchema),
      /** The checks that were left to the whole proof. */
      left: z.array(z.string()),
    }),
  }),
  secondEyes: route({
    method: 'GET',
    path: '/api/rounds/:round/second-eyes',
    wants: 'writer',
    summary: 'Whether somebody else than whoever changed a round last is to read and post it, and how that stands',
    params: ofRound,
    answer: secondEyesSchema,
  }),
  wantSecondEyes: route({
    method: 'PUT',
    path: '/api/rounds/:round/second-eyes',
    wants: 'writer',
    summary: 'Want a second pair of eyes for a round; only keepers say that it is not wanted any more',
    params: ofRound,
    body: z.object({ wanted: z.boolean() }),
  }),
  readingSet: route({
    method: 'GET',
    path: '/api/rounds/:round/reading-set',
    wants: 'writer',
    summary:
      'The few people whose messages between them show every variation of the round, each with what it shows; and whose messages were read',
    params: ofRound,
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
    wants: 'writer',
    summary:
      "Note that a person's message has been read as it stands now; a change of it, or of the letter, takes that back",
    params: rowOfRound,
  }),
  unmarkRead: route({
    method: 'DELETE',
    path: '/api/rounds/:round/read/:row',
    wants: 'writer',
    summary: "Take back that a person's message has been read",
    params: rowOfRound,
  }),
  accept: route({
    method: 'PUT',
    path: '/api/rounds/:round/accepted',
    wants: 'writer',
    summary: 'Accept findings that ask, with a reason',
    params: ofRound,
    body: z.object({
      keys: z.array(z.string().max(600)).min(1).max(10_000),
      reason: z.string().trim().min(1).max(500),
    }),
  }),
  unaccept: route({
    method: 'DELETE',
    path: '/api/rounds/:round/accepted',
    wants: 'writer',
    summary: 'Take an acceptance back',
    params: ofRound,
    body: z.object({ keys: z.array(z.string().max(600)).min(1).max(10_000) }),
  }),
  sendCopies: route({
    method: 'POST',
    path: '/api/rounds/:round/copies',
    wants: 'writer',
    summary: "Send copies of chosen people's messages to one of one's own addresses; nobody else gets anything",
    names: ({ params }) => [{ kind: 'mailboxOfRound', id: params.round }],
    params: ofRound,
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
    wants: 'writer',
    summary: 'The messages of a round that lie as drafts in its mailbox, or were sent from there',
    params: ofRound,
    query: z.object({
      /** Looks in the mailbox for drafts that were sent, before it answers. */
      look: z.enum(['yes', 'no']).optional(),
    }),
    answer: z.array(z.object({ rowId: z.number(), putAt: z.number(), sentAt: z.number().nullable() })),
  }),
  putDrafts: route({
    method: 'POST',
    path: '/api/rounds/:round/drafts',
    wants: 'writer',
    summary:
      'Put the messages into the mailbox as drafts, to be sent by hand from there; nothing is sent, and nobody gets a second draft',
    names: ({ params }) => [{ kind: 'mailboxOfRound', id: params.round }],
    params: ofRound,
    answer: z.object({ put: z.number() }),
  }),
  takeDraftsAway: route({
    method: 'DELETE',
    path: '/api/rounds/:round/drafts',
    wants: 'writer',
    summary: 'Take the drafts of a round out of its mailbox again; those that were sent from there stay known as sent',
    params: ofRound,
    /** `missing`: noted as lying there, and not found, neither there nor among what was sent; they stay noted. */
    answer: z.object({ taken: z.number(), sent: z.number(), missing: z.number() }),
  }),
  allMessages: route({
    method: 'GET',
    path: '/api/rounds/:round/all-messages',
    wants: 'writer',
    summary:
      'All messages of a round as one file: a PDF with a person a page and the files listed, or a mailbox file (RFC 4155) of the messages as they leave',
    params: ofRound,
    query: z.object({ as: z.enum(['pdf', 'mbox']) }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
  lateProof: route({
    method: 'GET',
    path: '/api/rounds/:round/late-proof',
    wants: 'writer',
    summary: 'The messages of the late-comers of a posted round made and checked',
    params: ofRound,
    answer: proofSchema,
  }),
}
