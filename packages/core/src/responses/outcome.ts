import type { MessageState } from '../dispatch/lifecycle.ts'
import type { CameOf } from '../people/recipes.ts'
import { clientOf, type Device } from './clients.ts'
import type { Whose } from './incoming.ts'
import { outcome as say } from './words.ts'

/** One kind of what comes back about a message. */
interface KindEntry {
  /** What it makes of the person's letter, as people say it; none for a kind that decides nothing. */
  outcome?: { name: string; words: string }
  /** Which of several outcomes of one message holds: the one that is decided earliest. */
  decides: number
  /** How strong its outcome is beside those of the same person's other letters: the lowest counts. */
  strength: number
  /** Whether a program may do it by itself, within seconds of sending. */
  fetched?: boolean
}

/** What can come back, by kind. A kind is an entry of this table, with a mark for its outcome in the interface. */
const table = {
  reply: { outcome: { name: 'replied', words: 'replied' }, decides: 1, strength: 1 },
  automatic: { outcome: { name: 'automatic', words: say.automaticReplyOnly }, decides: 7, strength: 6 },
  bounce: { outcome: { name: 'bounced', words: 'bounced' }, decides: 2, strength: 11 },
  delayed: { outcome: { name: 'delayed', words: say.delayed }, decides: 9, strength: 9 },
  delivered: { outcome: { name: 'delivered', words: 'delivered' }, decides: 8, strength: 7 },
  receipt: { outcome: { name: 'receipt', words: say.readReceipt }, decides: 6, strength: 5 },
  open: { outcome: { name: 'opened', words: 'opened' }, decides: 5, strength: 4, fetched: true },
  click: { outcome: { name: 'clicked', words: say.followedLink }, decides: 4, strength: 3, fetched: true },
  optOut: { outcome: { name: 'optedOut', words: say.optedOut }, decides: 3, strength: 2 },
} as const satisfies Record<string, KindEntry>

export type ResponseKind = keyof typeof table
const kinds: Readonly<Record<ResponseKind, KindEntry>> = table
export const responseKinds = Object.keys(table) as [ResponseKind, ...ResponseKind[]]

/** One thing that came back about one message. Times in milliseconds since 1970. */
export interface Response {
  kind: ResponseKind
  at: number
  /** Whose it is; the person's where nothing is said. What is not the person's counts for nothing. */
  of?: Whose
  /** For opens and clicks: the program that asked, as it named itself. */
  agent?: string
  /** For clicks: which link of the message, from 0. */
  link?: number
  /** For opens and clicks: the country (ISO 3166-1) that the address is registered in, where that is looked up. */
  country?: string
}

/** Whether a response is the person's own, and so counts for their outcome. */
export const isPersons = ({ of }: Pick<Response, 'of'>): boolean => of === undefined || of === 'person'

/** Within how many milliseconds of sending an open or click is a machine's. Common practice, no source. */
const machineQuick = 10_000
/** Within how many milliseconds several different links are followed only by a machine. Common practice, no source. */
const machineBurst = 5_000

/** By what an open or click is seen to be a machine's: when it came, what came together with it, or what it says of itself. */
export const machineReasons = ['quick', 'burst', 'robot', 'ahead'] as const
export type MachineReason = (typeof machineReasons)[number]

/**
 * Tells automatic opens and clicks from a person's: by how they behave, within seconds of sending or as part of a burst that fetches
 * several links (or the picture and a link) at once; and by what they say of themselves.
 * @returns the opens and clicks that are a machine's, each with the reason.
 */
export function automaticOnes<T extends Response>(sentAt: number, responses: readonly T[]): Map<T, MachineReason> {
  const fetched = responses.filter((r) => kinds[r.kind].fetched).sort((a, b) => a.at - b.at)
  const machine = new Map<T, MachineReason>()
  for (const r of fetched) {
    const said = r.agent === undefined ? null : clientOf(r.agent).machine
    if (said !== null) machine.set(r, said)
    else if (r.at - sentAt < machineQuick) machine.set(r, 'quick')
  }
  // One pass with a window from each fetch over what follows within the burst's time; the links in it are counted as it moves.
  const links = new Map<number | undefined, number>()
  const count = ({ kind, link }: T, by: 1 | -1) => {
    if (kind !== 'click') return
    const left = (links.get(link) ?? 0) + by
    if (left === 0) links.delete(link)
    else links.set(link, left)
  }
  let end = 0
  // What stands before this place and belongs to a burst is noted already.
  let noted = 0
  for (const [begin, start] of fetched.entries()) {
    while (end < fetched.length && fetched[end].at - start.at < machineBurst) count(fetched[end++], 1)
    if (links.size >= 2)
      for (noted = Math.max(noted, begin); noted < end; noted++)
        if (!machine.has(fetched[noted])) machine.set(fetched[noted], 'burst')
    count(start, -1)
  }
  return machine
}

/** What a letter's own state makes of it, when nothing came back that says more; with how strong that is beside other letters. */
const ofState = {
  waiting: [say.notYetSent, 10],
  inDoubt: [say.doubt, 9],
  withdrawn: ['withdrawn', 13],
  refused: ['refused', 12],
  sent: [say.sentNothingHeard, 8],
} as const
type OutcomeOf<K> = K extends { outcome: { name: infer N extends string } } ? N : never
/** What has become of one person's letter, the strongest thing known. */
export type Outcome = keyof typeof ofState | OutcomeOf<(typeof table)[ResponseKind]>

const byDecision = responseKinds
  .filter((kind) => kinds[kind].outcome)
  .sort((a, b) => kinds[a].decides - kinds[b].decides)
const outcomeOfKind = (kind: ResponseKind) => kinds[kind].outcome!.name as Outcome
const entry = (name: keyof typeof ofState): [Outcome, string, number] => [name, ...ofState[name]]
const all: [Outcome, words: string, strength: number][] = [
  ...(['waiting', 'inDoubt', 'withdrawn', 'refused'] as const).map(entry),
  ...byDecision.map((kind): [Outcome, string, number] => [
    outcomeOfKind(kind),
    kinds[kind].outcome!.words,
    kinds[kind].strength,
  ]),
  entry('sent'),
]
/** Every outcome, by name. */
export const outcomes = all.map(([name]) => name) as [Outcome, ...Outcome[]]
/** How each outcome is called. */
export const outcomeWords = Object.fromEntries(all.map(([name, words]) => [name, words])) as Record<Outcome, string>
/**
 * What came of a round as recipes ask for it.
 * @param rows of each row of its list that has a letter: its id, the outcome, the writer's word for it, the choice made, and where there
 * is anything of that, when they answered (by the mailbox's clock), how many files came back and how often they were chased.
 * @example cameOf('Permits', [[1, 'replied', 'coming', null]]).rows.get(1)?.word // 'coming'
 */
export function cameOf(
  title: string,
  rows: readonly (readonly [
    row: number,
    outcome: Outcome,
    word: string | null,
    choice: string | null,
    ...more: { repliedAt?: string; files?: number; chased?: number }[],
  ])[],
): CameOf {
  return {
    title,
    rows: new Map(
      rows.map(([row, outcome, word, choice, { repliedAt, files, chased } = {}]) => [
        row,
        {
          outcome: outcomeWords[outcome],
          ...(word !== null && { word }),
          ...(choice !== null && { choice }),
          ...(repliedAt !== undefined && { repliedAt }),
          ...(files !== undefined && { files: String(files) }),
          ...(chased !== undefined && { chased: String(chased) }),
        },
      ]),
    ),
  }
}

/** From the strongest to the weakest: what one of somebody's letters brought back counts, whatever became of another. */
const byStrength = [...all].sort((a, b) => a[2] - b[2]).map(([name]) => name)

/** What has become of somebody over all their letters of a round: the strongest of their outcomes; null where they have none. */
export function strongestOutcome(theirs: readonly Outcome[]): Outcome | null {
  return byStrength.find((outcome) => theirs.includes(outcome)) ?? null
}

/** One person's message with what came back, as the board counts it. */
export interface Answered {
  state: MessageState
  sentAt: number | null
  responses: Response[]
}

/** What a letter's own state makes of it, whatever came back; null for one that has gone, which what came back decides. */
export const outcomeOfState: Readonly<Record<MessageState, Outcome | null>> = {
  waiting: 'waiting',
  sending: 'waiting',
  retrying: 'waiting',
  refused: 'refused',
  inDoubt: 'inDoubt',
  setAside: 'withdrawn',
  withdrawn: 'withdrawn',
  sent: null,
}

/** The outcome of one message. Automatic opens and clicks do not count as opened or clicked. */
export function outcomeOf({ state, sentAt, responses }: Answered): Outcome {
  return outcomeOfState[state] ?? (sentAt === null ? 'waiting' : (heardOf(sentAt, responses).outcome ?? 'sent'))
}

/** What the board tells of a letter that has gone, beside its outcome. */
export const firstsHeard = ['replied', 'automatic', 'opened', 'clicked', 'receipt', 'optedOut', 'bounced'] as const
export type FirstHeard = (typeof firstsHeard)[number]

/** What a letter was opened with, as far as was said; what was not is null. */
export interface Seen {
  program: string | null
  device: Device | null
  /** Fetched in the person's place by their mail service. */
  proxy: boolean
  country: string | null
}

/** What came back about one letter that has gone, all of it taken together. */
export interface Heard {
  /** What came back makes of it; null while nothing did that decides anything. */
  outcome: Outcome | null
  /** When each first came (ms since 1970), of a person's own; whoever followed a link has opened the letter. Null where it did not. */
  firsts: Record<FirstHeard, number | null>
  /** By what it was seen that a machine has fetched its picture, whether a person opened it or not; null where none did. */
  byMachine: MachineReason | null
  /** What it was first opened with by a person, as far as that was said; null where nobody opened it. */
  seen: Seen | null
  /** Which of its links a person followed. */
  followed: number[]
  /** When anything last came; null where nothing did. */
  lastAt: number | null
}

const kindsOfFirst: Readonly<Record<FirstHeard, readonly ResponseKind[]>> = {
  replied: ['reply'],
  automatic: ['automatic'],
  opened: ['open', 'click'],
  clicked: ['click'],
  receipt: ['receipt'],
  optedOut: ['optOut'],
  bounced: ['bounce'],
}

/**
 * Takes together what came back about a letter.
 * @param sentAt when it left (ms since 1970).
 */
export function heardOf(sentAt: number, responses: readonly Response[]): Heard {
  const machine = automaticOnes(sentAt, responses)
  const own = responses.filter((r) => isPersons(r) && !machine.has(r))
  const first = (of: readonly ResponseKind[]) =>
    own.reduce<number | null>(
      (least, { kind, at }) => (of.includes(kind) && (least === null || at < least) ? at : least),
      null,
    )
  const decisive = byDecision.find((kind) => own.some((r) => r.kind === kind))
  return {
    outcome: decisive ? outcomeOfKind(decisive) : null,
    firsts: Object.fromEntries(firstsHeard.map((name) => [name, first(kindsOfFirst[name])])) as Heard['firsts'],
    byMachine: responses.flatMap((r) => (r.kind === 'open' && machine.get(r)) || [])[0] ?? null,
    seen: seenBy(own),
    followed: [
      ...new Set(own.flatMap(({ kind, link }) => (kind === 'click' && link !== undefined ? [link] : []))),
    ].sort((a, b) => a - b),
    lastAt: responses.reduce<number | null>((last, { at }) => (last === null || at > last ? at : last), null),
  }
}

/** What told most of itself among those that opened a letter for a person, the earliest first: a service's own proxy tells nothing. */
function seenBy(own: readonly Response[]): Seen | null {
  const opened = own.filter(({ kind }) => kinds[kind].fetched).sort((a, b) => a.at - b.at)
  const all = opened.map(({ agent, country }) => ({ ...clientOf(agent ?? ''), country: country ?? null }))
  const { program, device, proxy, country } =
    all.find((one) => one.program !== null || one.device !== null) ?? all[0] ?? {}
  return program === undefined ? null : { program, device: device!, proxy: proxy!, country: country! }
}

/** Which of a round's letters a line of its board speaks of. Of those that arrived, where nothing else is said. */
export const boardPicks = [
  'replied',
  'unanswered',
  'automatic',
  'opened',
  'openedByMachine',
  'clicked',
  /** Followed one of the letter's links, as it is named like a word. */
  'link',
  'receipts',
  'optedOut',
  'delayed',
  /** A file of the person's own came back, and none did. */
  'files',
  'noFiles',
  /** Of those sent. */
  'bounced',
  /** Of those posted. */
  'refused',
  'waiting',
  'inDoubt',
  'withdrawn',
  /** Whose people have been given an outcome word, and whose have none. */
  'word',
  'noWord',
  /** Who chose a choice of the letter, as it is named like a word, and who chose none. */
  'choice',
  'noChoice',
] as const
export type BoardPick = (typeof boardPicks)[number]
