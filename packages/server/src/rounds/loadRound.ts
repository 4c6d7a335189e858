import type { RoundFileEntry } from '@hand-post/contract'
import {
  type Choice,
  type Column,
  type Copies,
  choosePeople,
  compileOwnTimes,
  dayOf,
  domainOf,
  errorIn,
  hadKey,
  inLeavingOrder,
  judgeChaser,
  type Matching,
  nothingAround,
  nothingCame,
  Openings,
  type OwnTime,
  type PeopleOfRound,
  picturesOf,
  type RoundToProof,
  type Row,
  roundOpen,
  rulesOf,
  sameAddressKey,
  selectionFaults,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { fileFacts } from '../files/store.ts'
import { pictureHash } from '../letter/pictures.ts'
import { limitsOf } from '../mailboxes/limits.ts'
import { allowanceOf, mailboxById } from '../mailboxes/store.ts'
import { groupMembers, refusedAddresses } from '../people/bookStore.ts'
import { loadList } from '../people/loadList.ts'
import { cameOfChased, rowsChased } from './chasers.ts'
import { draftsOf } from './draftStore.ts'
import { madeFilesOf, matchesOf } from './files.ts'
import { filesWithFacts } from './knownFacts.ts'
import { deadAddresses, havingLetter, sentSince, waitingRows } from './messages.ts'
import { paperLinesOf, rowsToPrint } from './paperLetters.ts'
import { notesOf, onPaperByHand, type RoundRecord, roundById, setAsideOf } from './store.ts'

/** A round with its people. */
export interface RoundPeople {
  round: RoundRecord
  columns: Column[]
  rows: Row[]
  people: PeopleOfRound
  /** By what they were chosen. */
  choice: Choice
  /** While the round is amended: who is in it and whose letter does not wait (any more). */
  gone: Row[]
}

/** A round with everything that is computed over: its columns, rows, people and files. */
export interface LoadedRound extends RoundPeople {
  files: RoundFileEntry[]
  /** When it was loaded (ms since 1970). */
  now: number
  /** From whom its letters are. */
  from: { name: string; address: string }
  toProof: RoundToProof
  /** When each person's letter is to leave by a time of their own. */
  ownTimeOf: (row: Row) => OwnTime
}

/** Everybody of a round who gets a letter, whether as a message or on paper. */
export const everybody = ({ people }: Pick<RoundPeople, 'people'>): Row[] => [...people.chosen, ...people.onPaper]

/** A person's own time, where they have one that can be read; null is by the pace. */
export function timeOf({ ownTimeOf }: LoadedRound, row: Row): number | null {
  const time = ownTimeOf(row)
  return 'at' in time ? time.at : null
}

/**
 * Reads who is in a round. A column that is gone from the list counts as not chosen.
 * @param also of a posted chaser: rows that are to have a letter of it beside those that have.
 */
export async function loadPeople(
  db: Database,
  roundId: number,
  now: number,
  also: readonly number[] = [],
): Promise<RoundPeople> {
  const record = await roundById(db, roundId)
  const { settings } = await mailboxById(db, record.mailboxId)
  const today = dayOf(now, settings.timeZone)
  const loaded = record.listId === null ? null : await loadList(db, record.listId, today)
  const columns = loaded?.list.columns ?? []
  const known = new Set(columns.map((c) => c.id))
  const there = (id: string | null) => (id !== null && known.has(id) ? id : null)
  const round = {
    ...record,
    addressColumn: there(record.addressColumn),
    filesColumn: there(record.filesColumn),
    nameColumns: record.nameColumns.filter((id) => known.has(id)),
    paper: { ...record.paper, columns: record.paper.columns.filter(({ column }) => known.has(column)) },
  }
  const among = round.chases === null ? null : await amongOf(db, round, now, settings.timeZone, also)
  const aside = await setAsideOf(db, roundId)
  const refused = await refusedAddresses(db)
  const byHand = await onPaperByHand(db, roundId)
  const choice: Choice = {
    selection: round.selection,
    setAside: new Set(aside.map((a) => a.rowId)),
    addressColumn: round.addressColumn,
    sameAddress: round.sameAddress,
    doNotWrite: new Set(refused.map((r) => r.address)),
    onPaper: { who: round.paper.who, byHand: new Set(byHand) },
    among,
    context: {
      today,
      members: JSON.stringify(round.selection).includes('nGroup') ? await groupMembers(db) : undefined,
    },
  }
  const rows = loaded?.rows ?? nobody
  const members = choice.context.members && (await db.query('SELECT group_id, row_id FROM group_members'))
  const key = JSON.stringify([
    round.selection,
    aside,
    round.addressColumn,
    round.sameAddress,
    refused,
    round.paper.who,
    byHand,
    today,
    columns,
    members,
    among && [...among],
  ])
  const before = chosenBefore.get(rows)
  const people = before?.key === key ? before.people : choosePeople(rows, columns, choice)
  chosenBefore.set(rows, { key, people })
  if (round.amendingSince === null) return { round, columns, rows, people, choice, gone: [] }
  // What is amended is what waits: everybody else has their letter, as it was posted.
  const waits = await waitingRows(db, roundId)
  const toPrint = await rowsToPrint(db, roundId)
  const chosen = people.chosen.filter((row) => waits.has(row.id))
  const onPaper = people.onPaper.filter((row) => toPrint.has(row.id))
  const open = new Set([...chosen, ...onPaper])
  const gone = [...people.chosen, ...people.onPaper].filter((row) => !open.has(row))
  return { round, columns, rows, people: { ...people, chosen, onPaper }, choice, gone }
}

/**
 * The rows that a chaser may go to: those with a letter of the round that it follows that it would go to now or, while that round is not
 * posted, those that would get one; once it is posted itself, those that have a letter of it. A row whose message goes with another's is
 * among them.
 */
async function amongOf(
  db: Database,
  round: RoundRecord,
  now: number,
  zone: string,
  also: readonly number[],
): Promise<Set<number>> {
  const parent = await roundById(db, round.chases!)
  const only = round.chaser?.rows ? new Set(round.chaser.rows) : null
  const all = await loadPeople(db, parent.id, now)
  const together = (first: number) => [first, ...(all.people.rowsOf.get(first) ?? []).map((row) => row.id)]
  if (parent.postedAt === null) {
    const rows = all.people.chosen.flatMap((row) => together(row.id))
    return new Set(only ? rows.filter((row) => only.has(row)) : rows)
  }
  if (round.postedAt !== null) return new Set([...(await rowsChased(db, round.id)), ...also].flatMap(together))
  const having = (await havingLetter(db, parent.id)).map(({ rowId }) => rowId)
  const wanted = only ? having.filter((row) => only.has(row)) : having
  const came = await cameOfChased(db, parent.id, null)
  return new Set(
    wanted.filter((row) => judgeChaser(round.chaser!, came.get(row) ?? nothingCame, zone) === null).flatMap(together),
  )
}

/** Why rows of a chaser's list are not to be chased, in words that go on in a sentence. */
export async function whyNotChased(
  db: Database,
  { chases, chaser, mailboxId }: Pick<RoundRecord, 'chases' | 'chaser' | 'mailboxId'>,
  now: number,
): Promise<(row: number) => string> {
  if (chases === null || chaser === null) return () => ''
  const { timeZone } = (await mailboxById(db, mailboxId)).settings
  const parent = await loadPeople(db, chases, now)
  const having =
    parent.round.postedAt === null
      ? new Set(parent.people.chosen.map((row) => row.id))
      : new Set((await havingLetter(db, chases)).map(({ rowId }) => rowId))
  const only = chaser.rows && new Set(chaser.rows)
  const came = await cameOfChased(db, chases, null)
  return (row) => {
    if (!having.has(row)) return 'they have no letter of the round that it follows'
    if (only && !only.has(row)) return 'they were not chosen for it'
    const why = judgeChaser(chaser, came.get(row) ?? nothingCame, timeZone)?.why ?? ''
    return why.charAt(0).toLowerCase() + why.slice(1).replace(/\.$/, '')
  }
}

const nobody: Row[] = []
/** Who was chosen of some rows the last time, for as long as nothing has changed by which they are chosen. */
const chosenBefore = new WeakMap<Row[], { key: string; people: PeopleOfRound }>()

/** From whom a round's letters are: as it says itself, as long as that is an address of the mailbox, else as its mailbox does. */
export const senderOf = (
  { sender }: Pick<RoundRecord, 'sender'>,
  settings: { address: string; aliases: string[]; senderName: string },
): { name: string; address: string } => ({
  name: sender.name ?? settings.senderName,
  address: settings.aliases.find((alias) => alias === sender.address) ?? settings.address,
})

/** To whom else a round's messages go, and where answers go. */
const copiesOf = ({ cc, bcc, sender }: Pick<RoundRecord, 'cc' | 'bcc' | 'sender'>): Copies => ({
  cc,
  bcc,
  replyTo: sender.replyTo ? [sender.replyTo] : [],
})

/** How a round's own files find their people. */
async function matchingOf(db: Database, round: RoundRecord): Promise<Matching> {
  const byHand = new Map<number, number[]>()
  for (const { rowId, fileId } of await matchesOf(db, round.id))
    byHand.set(rowId, [...(byHand.get(rowId) ?? []), fileId])
  const made = new Map((await madeFilesOf(db, round.id)).map((m) => [m.rowId, m.fileId]))
  return {
    column: round.filesColumn,
    pattern: round.filePattern,
    byHand,
    made,
    sentAs: round.sentAs,
    madeName: round.made?.name ?? null,
  }
}

/** How long back (ms) a letter of the same subject is remembered. */
const lately = 90 * 24 * 3600 * 1000

/** What other rounds sent lately, by address and subject. */
async function sentLately(db: Database, roundId: number, now: number) {
  const sent = await sentSince(db, roundId, now - lately)
  return new Map(sent.map(({ address, subject, ...rest }) => [hadKey(address, subject), rest]))
}

/** Who has, or is to have, a letter of a round, but for some people: by address and by name. */
export async function inRound(
  db: Database,
  roundId: number,
  but: Row[] = [],
): Promise<RoundToProof['around']['inRound']> {
  const others = new Set(but.map((row) => row.id))
  const isOther = ({ rowId }: { rowId: number }) => !others.has(rowId)
  const having = (await havingLetter(db, roundId)).filter(isOther)
  const onPaper = (await paperLinesOf(db, roundId)).filter((one) => one.state !== 'withdrawn' && isOther(one))
  return {
    addresses: new Map(having.map((one) => [one.addressKey, one.person])),
    names: new Map([
      ...onPaper.map((one) => [one.person.toLowerCase(), null] as const),
      ...having.map((one) => [one.person.toLowerCase(), one.address] as const),
    ]),
  }
}

/** A round as it is for some of its people only, who get messages; the others are in it, and need not be looked at. */
export const onlySome = (
  loaded: LoadedRound,
  chosen: Row[],
  others: Row[] = loaded.people.chosen.filter((row) => !chosen.includes(row)),
): LoadedRound => ({
  ...loaded,
  people: { ...loaded.people, chosen },
  toProof: { ...loaded.toProof, people: chosen, paper: null, others },
})

/** The people of a round in the order in which their letters are to leave. */
export const leavingOrder = ({ round, columns, people }: LoadedRound): Row[] =>
  inLeavingOrder(people.chosen, round.dispatch.order, columns, round.id)

/**
 * Reads a round from the database.
 * @param withFacts whether what is known of the files' contents is wanted, their words among it.
 * @param also as {@link loadPeople} takes it.
 */
export async function loadRound(
  db: Database,
  roundId: number,
  now: number,
  withFacts = false,
  also: readonly number[] = [],
): Promise<LoadedRound> {
  const loaded = await loadPeople(db, roundId, now, also)
  const { round, columns, people } = loaded
  const { files, facts } = await filesWithFacts(db, round, withFacts)
  const mailbox = await mailboxById(db, round.mailboxId)
  const { settings } = mailbox
  const limits = await limitsOf(db, mailbox, now)
  const { times, startAt } = round.dispatch
  const ownTimeOf = compileOwnTimes(times, columns, settings.timeZone, Math.max(now, startAt ?? now))
  const pictureSizes: number[] = []
  for (const src of round.letter.plain ? [] : picturesOf(round.letter)) {
    const hash = pictureHash(src)
    pictureSizes.push(hash ? ((await fileFacts(db, hash))?.size ?? 0) : src.length)
  }
  return {
    ...loaded,
    files,
    now,
    ownTimeOf,
    from: senderOf(round, settings),
    toProof: {
      letter: round.letter,
      columns,
      people: people.chosen,
      // How wide the lines of the addresses are is found out where that is asked for.
      paper:
        people.onPaper.length === 0
          ? null
          : { people: people.onPaper, columns: round.paper.columns, tooWide: new Map() },
      ...(round.amendingSince !== null && { others: loaded.gone }),
      rowsOf: people.rowsOf,
      leftOut: loaded.rows.filter((row) => {
        const standing = people.standing.get(row.id)
        return standing !== 'in' && standing !== 'onPaper' && standing !== 'joined'
      }),
      byRule: {
        // Who chooses by the very text of an error knows of it.
        columnIds: [
          ...new Set(
            rulesOf(loaded.choice.selection)
              .filter((rule) => errorIn(`${rule.value} ${rule.to ?? ''}`) === null)
              .map((rule) => rule.column),
          ),
        ],
        leftOut: loaded.rows.filter((row) => people.standing.get(row.id) === 'byRule'),
        faults: selectionFaults(loaded.choice.selection, columns),
      },
      addressColumn: round.addressColumn,
      nameColumns: round.nameColumns,
      matching: await matchingOf(db, round),
      files,
      fileFacts: facts,
      making: { today: loaded.choice.context.today, signature: settings.signature, optOut: round.tracking.optOut },
      madeFiles: null,
      notes: await notesOf(db, roundId),
      copies: copiesOf(round),
      pictureSizes,
      largestMessage: mailbox.settings.largestMessage,
      around: {
        preparedAnswers: false,
        ownDomains: [...new Set([settings.address, ...settings.aliases].map(domainOf))],
        perDay: settings.perDay,
        allowance: await allowanceOf(db, round.mailboxId, limits, now),
        doNotWrite: new Set([...loaded.choice.doNotWrite].map(sameAddressKey)),
        leftOut: people.counts.doNotWrite,
        had: await sentLately(db, roundId, now),
        dead: await deadAddresses(db, roundId),
        inRound:
          round.amendingSince === null
            ? nothingAround.inRound
            : await inRound(db, roundId, [...people.chosen, ...people.onPaper]),
        drafts: new Map((await draftsOf(db, roundId)).map((d) => [d.rowId, d.sentAt])),
        ownTimes: times && {
          of: ownTimeOf,
          column: columns.some((c) => c.id === times.column) ? times.column : null,
          now,
          zone: settings.timeZone,
          open: roundOpen(new Openings(limits.hours, limits.zone), round.dispatch, limits.zone),
        },
      },
      sameAddress: round.sameAddress,
      anyDoubled: people.doubled > 0,
    },
  }
}
