import { type PaperState, paperStates } from '../paper/states.ts'
import { z } from '../schema.ts'
import { events as say } from './words.ts'

/** A finding of the proof that the writer accepted, with why. */
export const acceptedSchema = z.object({ title: z.string(), message: z.string(), reason: z.string() })
export type AcceptedFinding = z.infer<typeof acceptedSchema>

/** Somebody of the list who was not written to, with why. */
export const leftOutSchema = z.object({ row: z.number(), person: z.string(), address: z.string(), why: z.string() })
export type LeftOut = z.infer<typeof leftOutSchema>

const n = z.number().int()
/** What stood behind a posting: what was accepted at the proof, and how many letters the writer had read as they went. */
const proofed = {
  accepted: z.array(acceptedSchema),
  read: n,
  /** Who changed it last, where a second pair of eyes was wanted: whoever posted it was another. */
  changedBy: z.string().optional(),
}

/** What is said of a posting, with who had changed it last where another had to read it. */
const withEyes = (words: string, { changedBy }: { changedBy?: string }) =>
  changedBy === undefined ? words : `${words} ${say.changedBy(changedBy)}`

/**
 * Everything that may be done with a posted round: what is kept of it, and how it is said. Another kind is one entry here, and is noted
 * where it is done.
 */
const table = {
  posted: {
    details: z.object({
      letters: n,
      paper: n,
      chasers: n,
      ...proofed,
      /** Who was left out by something else than the rules, and how many by the rules. */
      leftOut: z.array(leftOutSchema),
      byRule: n,
    }),
    words: (d: { letters: number; paper: number; chasers: number; changedBy?: string }) =>
      withEyes(say.posted(d.letters, d.paper, d.chasers), d),
  },
  toppedUp: {
    details: z.object({ letters: n, paper: n, ...proofed }),
    words: (d: { letters: number; paper: number; changedBy?: string }) => withEyes(say.toppedUp(d.letters, d.paper), d),
  },
  sentToNew: {
    details: z.object({ person: z.string(), address: z.string() }),
    words: (d: { person: string; address: string }) => say.sentToNew(d.person, d.address),
  },
  onceMore: {
    details: z.object({ people: z.array(z.string()), more: n }),
    words: (d: { people: string[]; more: number }) => say.onceMore(d.people, d.more),
  },
  held: { details: z.object({}), words: () => say.held },
  heldItself: { details: z.object({ why: z.string() }), words: (d: { why: string }) => say.heldItself(d.why) },
  carriedOn: { details: z.object({}), words: () => say.carriedOn },
  amending: { details: z.object({}), words: () => say.amending },
  amended: {
    details: z.object({ version: n, letters: n, paper: n, ...proofed }),
    words: (d: { version: number; letters: number; paper: number; changedBy?: string }) =>
      withEyes(say.amended(d.version, d.letters, d.paper), d),
  },
  gaveUp: { details: z.object({}), words: () => say.gaveUp },
  withdrawn: {
    details: z.object({ letters: n, paper: n }),
    words: (d: { letters: number; paper: number }) => say.withdrawn(d.letters, d.paper),
  },
  settled: {
    details: z.object({ went: z.boolean(), letters: n, found: n }),
    words: (d: { went: boolean; letters: number; found: number }) => say.settled(d.went, d.letters, d.found),
  },
  paper: {
    details: z.object({ letters: n, to: z.enum(paperStates) }),
    words: (d: { letters: number; to: PaperState }) => say.paper(d.letters, d.to),
  },
  ended: { details: z.object({}), words: () => say.ended },
  reopened: { details: z.object({}), words: () => say.reopened },
  forgotten: {
    details: z.object({ opened: n, answers: n, files: n }),
    words: (d: { opened: number; answers: number; files: number }) => say.forgotten(d.opened, d.answers, d.files),
  },
  record: {
    details: z.object({ end: z.string().nullable() }),
    words: (d: { end: string | null }) => say.record(d.end),
  },
} as const
type Table = typeof table

/** What may happen to a posted round, by its own hand or the writer's. */
export type EventKind = keyof Table
/** What is kept of an event of a kind. */
export type EventDetails<K extends EventKind> = z.infer<Table[K]['details']>
/** An event of a round. `at`: ms since 1970. `by`: who did it; null where nobody signs in, and where Hand Post did it by itself. */
export type RoundEvent = {
  [K in EventKind]: { what: K; at: number; details: EventDetails<K>; by?: string | null }
}[EventKind]

/** What is done by Hand Post itself, whatever brought it about. */
export const doneByItself: ReadonlySet<EventKind> = new Set<EventKind>(['heldItself'])

/**
 * An event in words.
 * @example eventWords({ what: 'withdrawn', at: 0, details: { letters: 1, paper: 0 } }) // 'Withdrawn by the writer: 1 letter.'
 */
export function eventWords(event: RoundEvent): string {
  // What is kept of an event goes with its kind; TypeScript cannot follow that through the table.
  return (table[event.what].words as (details: unknown) => string)(event.details)
}
