import type {
  Board,
  BoardCharts,
  BoardSeen,
  ComparedRound,
  HeardLetter,
  ResponseEntry,
  RoundOfList,
} from '@hand-post/contract'
import {
  addressesOf,
  automaticOnes,
  choiceSets,
  clientOf,
  linkFamily,
  type MachineReason,
  type MessageState,
  type Outcome,
  outcomeOfState,
  paperStates,
  reasonWords,
  wallOf,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { paperLinesOf } from '../rounds/paperLetters.ts'
import { roundById } from '../rounds/store.ts'
import * as store from './boardStore.ts'
import { filesOfResponses } from './returnedStore.ts'
import { asHeard, responsesOfMessages, type StoredResponse } from './store.ts'

/** A response as the API gives it. */
const asEntry = (r: Omit<StoredResponse, 'address'>, machine: MachineReason | null): ResponseEntry => ({
  id: r.id,
  kind: r.kind,
  at: r.at,
  automatic: machine !== null,
  machine,
  client: r.details.agent === undefined ? null : clientOf(r.details.agent),
  country: r.details.country ?? null,
  from: r.details.from ?? r.details.agent ?? '',
  subject: r.details.subject ?? '',
  words: r.details.words ?? '',
  of: r.of,
  status: r.details.status ?? '',
  forgotten: r.details.forgotten === true,
})

/** The counts of a round's board. */
export async function boardOf(db: Database, roundId: number): Promise<Board> {
  const round = await roundById(db, roundId)
  const states = Object.entries(await store.countStates(db, roundId)) as [MessageState, number][]
  const heard = await store.countHeard(db, roundId)
  const sum = (some: [MessageState, number][]) => some.reduce((all, [, n]) => all + n, 0)
  const ofState = (outcome: Outcome | null) => sum(states.filter(([state]) => outcomeOfState[state] === outcome))
  const sent = ofState(null)
  const arrived = sent - heard.bounced!
  const chosen = await store.countChoices(db, roundId)
  // The letter's choices in their order, and those of versions before it that somebody chose.
  const choices = [...new Set([...choiceSets(round.letter).flat(), ...chosen.map(({ choice }) => choice)])]
  const { words, reached } =
    round.outcomeWords.length + choices.length > 0 ? await store.countWords(db, roundId) : { words: [], reached: 0 }
  const paper = await paperLinesOf(db, roundId)
  const kept = await store.keptBoard(db, roundId)
  return {
    counts: {
      messages: sum(states),
      sent,
      waiting: ofState('waiting'),
      inDoubt: ofState('inDoubt'),
      refused: ofState('refused'),
      withdrawn: ofState('withdrawn'),
      arrived,
      unanswered: arrived - heard.replied!,
      ...(heard as Record<HeardCount, number>),
      // Of whom they were counted is forgotten.
      ...(kept && pick(kept.board.counts, forgottenCounts)),
    },
    tracking: round.tracking,
    outcomeWords: round.outcomeWords,
    words: round.outcomeWords.map((word) => ({ word, people: words.find((one) => one.word === word)?.people ?? 0 })),
    choices: choices.map((choice) => ({ choice, people: chosen.find((one) => one.choice === choice)?.people ?? 0 })),
    choseNothing:
      choices.length === 0 ? 0 : (await store.countLines(db, roundId, { pick: 'noChoice', find: '' })).people,
    peopleReached: reached,
    forgotten: kept !== null,
    paper: paperStates
      .map((state) => paper.filter((one) => one.state === state))
      .filter((some) => some.length > 0)
      .map((some) => ({
        state: some[0].state,
        letters: some.length,
        printedAt: some.reduce<number | null>(
          (last, { printedAt: at }) => (at !== null && (last === null || at > last) ? at : last),
          null,
        ),
      })),
  }
}
/** What is counted of what can be forgotten. */
const forgottenCounts = ['opened', 'openedByMachine', 'clicked', 'receipts'] as const
const pick = <T, K extends keyof T>(from: T, names: readonly K[]) =>
  Object.fromEntries(names.map((name) => [name, from[name]])) as Pick<T, K>
type HeardCount = Exclude<
  keyof Board['counts'],
  'messages' | 'sent' | 'waiting' | 'inDoubt' | 'refused' | 'withdrawn' | 'arrived' | 'unanswered'
>
const minute = 60_000
/** Lengths (ms) of the stretches into which time is cut, and how many of them there are at most. */
const steps = [1, 5, 15, 60, 360, 1440, 10_080].map((minutes) => minutes * minute)
const mostStretches = 250
/** What is drawn of when things first came. */
const drawnFirsts = { opened: 'opened_at', replied: 'replied_at', bounced: 'bounced_at' } as const

/** What happened over time, in stretches of a length that suits the time it took. */
async function overTime(db: Database, roundId: number): Promise<BoardCharts['overTime']> {
  const left = await store.leftByMinute(db, roundId)
  if (left.length === 0) return { from: 0, step: steps[0], lines: [] }
  const spans = await store.spanOf(db, roundId, Object.values(drawnFirsts))
  const sent = {
    count: left.reduce((all, { letters }) => all + letters, 0),
    first: left.reduce((least, { first }) => Math.min(least, first), Number.POSITIVE_INFINITY),
    last: left.reduce((most, { last }) => Math.max(most, last), 0),
  }
  // Stretches begin with a whole minute, as it is counted when letters left.
  const from = Math.floor(sent.first / minute) * minute
  const to = Math.max(sent.last, ...Object.values(spans).map(({ last }) => last ?? 0))
  const step =
    steps.find((length) => (to - from) / length < mostStretches) ??
    Math.ceil((to - from) / mostStretches / minute) * minute
  const stretches = new Map<number, number>()
  for (const { minute: at, letters: n } of left) {
    const stretch = Math.floor((at * minute - from) / step)
    stretches.set(stretch, (stretches.get(stretch) ?? 0) + n)
  }
  const lines: BoardCharts['overTime']['lines'] = [
    { kind: 'sent', ...sent, some: [...stretches].sort((a, b) => a[0] - b[0]) },
  ]
  for (const [kind, at] of Object.entries(drawnFirsts)) {
    const { count, first, last } = spans[at]
    // What the clock of another machine has before the first letter left belongs to the first stretch.
    if (count > 0)
      lines.push({
        kind: kind as keyof typeof drawnFirsts,
        count,
        first: first!,
        last: last!,
        some: await store.stretchesOf(db, roundId, at, from, step),
      })
  }
  return { from, step, lines }
}

/** What a round's board draws and tells beside its counts, with the rounds that it is compared with. */
export async function chartsOf(
  db: Database,
  roundId: number,
  rounds: Omit<ComparedRound, 'after'>[],
  now: number,
): Promise<BoardCharts> {
  const round = await roundById(db, roundId)
  const { timeZone } = (await mailboxById(db, round.mailboxId)).settings
  const compared: ComparedRound[] = []
  for (const one of rounds) compared.push({ ...one, after: await store.answeredWithin(db, one.roundId, now) })
  const kept = await store.keptBoard(db, roundId)
  return {
    overTime: kept?.charts.overTime ?? (await overTime(db, roundId)),
    byHour: kept?.charts.byHour ?? {
      timeZone,
      opened: await byHour(db, roundId, 'opened_at', timeZone),
      replied: await byHour(db, roundId, 'replied_at', timeZone),
    },
    returned: (await store.returnedLetters(db, roundId)).map(({ reason, ...one }) => ({
      ...one,
      reason: reason === null ? otherReason : reasonWords[reason],
    })),
    compared,
  }
}

/** A posted round to a list, as it is set beside the others to it. */
export async function roundOfList(
  db: Database,
  round: Omit<ComparedRound, 'after'>,
  now: number,
): Promise<RoundOfList> {
  const { counts, tracking, choices, words, peopleReached, paper } = await boardOf(db, round.roundId)
  return {
    ...round,
    counts: pick(counts, comparedCounts),
    tracking,
    choices,
    words,
    peopleReached,
    paper: paper.reduce((sum, { state, letters }) => sum + (state === 'withdrawn' ? 0 : letters), 0),
    ...(await store.paceOfRound(db, round.roundId)),
    after: await store.answeredWithin(db, round.roundId, now),
  }
}
const comparedCounts = [
  'messages',
  'sent',
  'arrived',
  'bounced',
  'replied',
  'opened',
  'clicked',
  'optedOut',
  'waiting',
] as const

/** Hours are told apart by quarters: there are zones that are ahead by half an hour, and by three quarters. */
const quarter = 15 * minute

/** At which hour of the day in a zone (IANA) something first came: 24 numbers. */
async function byHour(db: Database, roundId: number, at: store.DrawnFirst, timeZone: string): Promise<number[]> {
  const hours: number[] = Array(24).fill(0)
  for (const [stretch, n] of await store.stretchesOf(db, roundId, at, 0, quarter))
    hours[Math.floor(wallOf(stretch * quarter, timeZone) / (4 * quarter)) % 24] += n
  return hours
}
const otherReason = 'for another reason'

/** Who looked at a round's letters, with what, and which links they followed; of the letters that arrived. */
export async function seenOf(db: Database, roundId: number, countries: boolean): Promise<BoardSeen> {
  const kept = await store.keptBoard(db, roundId)
  if (kept) return { ...kept.seen, countries: countries ? kept.seen.countries : null }
  const round = await roundById(db, roundId)
  const seen = await store.countSeen(db, roundId)
  const links = await store.countLinks(db, roundId, mostLinks)
  // Those that nobody followed stand there too, where they are the same for everybody.
  const plain = addressesOf(round.letter)
    .filter((href) => !href.includes('{{'))
    .map(linkFamily)
  const none = [...new Set(plain)].filter((address) => address !== '' && !links.some((one) => one.address === address))
  return {
    ...seen,
    tracking: round.tracking,
    countries: countries ? seen.countries : null,
    links: [...links, ...none.map((address) => ({ address, letters: 0 }))].slice(0, mostLinks),
    moreLinks: Math.max(0, (await store.countAllLinks(db, roundId)) - mostLinks),
  }
}
/** How many links are listed. */
const mostLinks = 50

/** The letters of a round, or of one row in it, with all that came back about each. */
export async function heardLetters(db: Database, roundId: number, rowId: number | null): Promise<HeardLetter[]> {
  const letters = await store.lettersOfBoard(db, roundId, rowId)
  const came = await responsesOfMessages(
    db,
    letters.map((letter) => letter.messageId),
  )
  const files = await filesOfResponses(
    db,
    [...came.values()].flatMap((some) => some.flatMap(({ id, kind }) => (kind === 'reply' ? id : []))),
  )
  return letters.map((letter) => {
    const theirs = (came.get(letter.messageId) ?? []).map(asHeard)
    const machine = letter.sentAt === null ? new Map<unknown, MachineReason>() : automaticOnes(letter.sentAt, theirs)
    return {
      ...letter,
      responses: theirs.map((r) => asEntry(r, machine.get(r) ?? null)),
      returned: theirs.flatMap((r) => files.get(r.id) ?? []),
    }
  })
}
