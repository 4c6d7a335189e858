import { createHash } from 'node:crypto'
import type { Proof, Timetable } from '@hand-post/contract'
import {
  bareAddress,
  type Column,
  callName,
  checks,
  compileCopies,
  compileLetter,
  countSentence,
  emptyMemory,
  encloser,
  type Finding,
  gapOf,
  type HtmlRead,
  mayPost,
  messageSize,
  type ProofMemory,
  proofPeople,
  proofRound,
  type RoundToProof,
  type Row,
  readHtml,
  readingSetOf,
  type Standing,
  sameAddressKey,
  shown,
  whyNotChosen,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { fateOf, havingLetter, insertMessages, rowsWithMessage } from '../dispatch/store.ts'
import type { FileStore } from '../enclosures/fileStore.ts'
import { readModel } from '../enclosures/model.ts'
import { groups, refusedAddresses } from '../people/bookStore.ts'
import { notFound, Refusal } from '../problem.ts'
import { boardOf, outcomeCsv } from '../responses/board.ts'
import { acceptedOf, noteRead, postingPrint, readOf, setAsideOf } from '../rounds/store.ts'
import { exactSizes, nearLimit } from './exactSizes.ts'
import { fileJobs } from './fileJobs.ts'
import { freezeMessages, type NewMessage } from './freeze.ts'
import { lastWordJobs } from './lastWordJob.ts'
import { readLetterFile } from './letterFile.ts'
import { listJobs } from './listJobs.ts'
import { type LoadedRound, loadPeople, loadRound } from './loadRound.ts'
import { mailJobs } from './mailJobs.ts'
import { madeState, makeJobs } from './makeJobs.ts'
import { paperJobs } from './paperJobs.ts'
import { planRound } from './planRound.ts'
import { rehearsalJobs } from './rehearsalJob.ts'

/** How public addresses are made, as it is handed to a thread. */
export interface PublicAddressGiven {
  url: string
  signingKey: Uint8Array
}

/** What a job may use besides what it is given. */
export interface JobContext {
  db: Database
  files: FileStore
  progress: (done: number, of: number, words: string) => void
}

/** Everything that is computed over a whole list or file. Run in a thread of its own, one job after another. */
export const jobs = {
  ...listJobs,
  ...fileJobs,
  ...paperJobs,
  ...makeJobs,
  ...rehearsalJobs,
  ...lastWordJobs,
  ...mailJobs,

  async counts({ roundId, now }: { roundId: number; now: number }, { db }: JobContext) {
    return (await loadPeople(db, roundId, now)).people.counts
  },

  async people({ roundId, now }: { roundId: number; now: number }, { db }: JobContext) {
    const { round, people } = await loadPeople(db, roundId, now)
    const out: Record<Exclude<Standing, 'in'>, number[]> = {
      byRule: [],
      setAside: [],
      doNotWrite: [],
      joined: [],
      sameAddress: [],
    }
    for (const [id, standing] of people.standing) if (standing !== 'in') out[standing].push(id)
    const late = round.postedAt === null ? [] : await lateComers(db, round.id, people.chosen)
    return {
      counts: people.counts,
      sentence: countSentence(people.counts),
      chosen: people.chosen.map((row) => row.id),
      ...out,
      together: [...people.rowsOf.values()].map((rows) => rows.map((row) => row.id)),
      doubled: people.doubled,
      lateComers: late.map((row) => row.id),
    }
  },

  async leftOut({ roundId, now }: { roundId: number; now: number }, { db }: JobContext) {
    const { round, columns, rows, people, choice } = await loadPeople(db, roundId, now)
    const groupNames = new Map((await groups(db)).map((g) => [g.id, g.name]))
    const refused = new Map((await refusedAddresses(db)).map((r) => [r.address, r.reason]))
    const aside = new Map((await setAsideOf(db, roundId)).map((s) => [s.rowId, s.reason]))
    const first = new Map<number, Row>()
    for (const together of people.rowsOf.values()) for (const row of together) first.set(row.id, together[0])
    const nameOf = (row: Row) => callName(row, round.nameColumns, round.addressColumn)
    const why = (row: Row, place: number): string => {
      switch (people.standing.get(row.id)) {
        case 'setAside':
          return `set aside${aside.get(row.id) ? `: ${aside.get(row.id)}` : ''}`
        case 'byRule':
          return `left out by rule: ${whyNotChosen(row, place, choice.selection, columns, choice.context, (id) => groupNames.get(id) ?? 'a group that is gone')}`
        case 'doNotWrite':
          return `on the do-not-write list: ${refused.get(sameAddressKey(shown(row.cells[round.addressColumn!]))) ?? ''}`
        case 'joined':
          return `goes with the message of ${nameOf(first.get(row.id)!)}`
        default:
          return 'an earlier row of the same address has the message'
      }
    }
    return rows.flatMap((row, place) =>
      people.standing.get(row.id) === 'in' ? [] : [{ row: row.id, person: nameOf(row), why: why(row, place) }],
    )
  },

  /** The messages of some people as the round stands. Pictures are named by the letter's own `file:…` addresses. */
  async messages({ roundId, rowIds, now }: { roundId: number; rowIds: number[]; now: number }, { db }: JobContext) {
    const { round, columns, rows, people, files, from, toProof } = await loadRound(db, roundId, now)
    const compiled = compileLetter(round.letter, columns, toProof.making)
    const copies = compileCopies(toProof.copies, columns)
    const enclose = encloser(toProof.files, columns, toProof.matching)
    return rowIds.map((rowId) => {
      const row = rows.find((r) => r.id === rowId)
      if (!row) throw notFound('row')
      const together = people.rowsOf.get(row.id)
      const merged = compiled.merge(row, together, toProof.notes.get(row.id))
      const address = round.addressColumn ? bareAddress(shown(row.cells[round.addressColumn])) : ''
      const person = callName(row, round.nameColumns, round.addressColumn)
      const byId = new Map(files.map((f) => [f.id, f]))
      const enclosed = enclose(row, together).files.map(({ id, sentAs }) => ({ ...byId.get(id)!, name: sentAs }))
      return {
        ...merged,
        ...copies.of(row, address),
        from,
        address,
        name: person === address ? '' : person,
        files: enclosed,
        size: messageSize(merged.html, merged.text, [...enclosed.map((f) => f.size), ...toProof.pictureSizes]),
      }
    })
  },

  /** What came back of a round. */
  board: ({ roundId }: { roundId: number }, { db }: JobContext) => boardOf(db, roundId),
  outcomeCsv: ({ roundId, now }: { roundId: number; now: number }, { db }: JobContext) => outcomeCsv(db, roundId, now),

  /** Looks whether a file can be used as a model. Gives the fields in it that match no column. */
  async readModel(
    { hash, name, columns }: { hash: string; name: string; columns: Column[] },
    { files }: JobContext,
  ): Promise<string[]> {
    return (await readModel(await files.read(hash), name, columns)).unknown
  },

  /** Reads a letter that is given as HTML. */
  async readLetter({ html }: { html: string }, _: JobContext): Promise<HtmlRead> {
    return readHtml(html)
  },

  /** Reads a letter from a file. */
  async letterFile({ name, bytes }: { name: string; bytes: Uint8Array }, _: JobContext) {
    return readLetterFile(Buffer.from(bytes), name)
  },

  /** One person's message as it would be frozen now; null when the list has no such person. */
  async message(
    {
      roundId,
      rowId,
      now,
      publicUrl,
      signingKey,
    }: { roundId: number; rowId: number; now: number; publicUrl: string; signingKey: Uint8Array },
    { db }: JobContext,
  ): Promise<NewMessage | null> {
    const loaded = await loadRound(db, roundId, now)
    const row = loaded.rows.find((r) => r.id === rowId)
    if (!row || loaded.round.addressColumn === null) return null
    const only = { ...loaded, people: { ...loaded.people, chosen: [row] } }
    return (await freezeMessages(db, only, { url: publicUrl, signingKey: Buffer.from(signingKey) }))[0]
  },

  async proof(
    { roundId, now, publicAddress }: { roundId: number; now: number; publicAddress: PublicAddressGiven },
    { db, files, progress }: JobContext,
  ): Promise<Proof> {
    const loaded = await loadRound(db, roundId, now, true)
    const { people } = loaded
    const toProof = await wholly(db, files, loaded, publicAddress)
    const findings = proofRound(
      toProof,
      (checked) => progress(checked, people.chosen.length, 'Proofing'),
      people.chosen.length <= mostRemembered ? memoryOf(roundId) : undefined,
    )
    return withAcceptances(toProof, findings, await acceptedOf(db, roundId))
  },

  /** What is found of some people, at once; the whole proof follows. */
  async proofPeople({ roundId, rowIds, now }: { roundId: number; rowIds: number[]; now: number }, { db }: JobContext) {
    const loaded = await loadRound(db, roundId, now)
    const toProof = { ...loaded.toProof, madeFiles: await madeState(db, loaded) }
    const { findings, left } = proofPeople(toProof, new Set(rowIds))
    const { findings: entries } = withAcceptances(toProof, findings, await acceptedOf(db, roundId))
    return { findings: entries, left }
  },

  /** All messages as they would be frozen now, but with nothing in them that is counted: for sending by hand. */
  async untracked(
    { roundId, now, publicAddress }: { roundId: number; now: number; publicAddress: PublicAddressGiven },
    { db }: JobContext,
  ): Promise<NewMessage[]> {
    const loaded = await loadRound(db, roundId, now)
    const tracking = { ...loaded.round.tracking, opens: false, clicks: false, optOut: false }
    const { url, signingKey } = publicAddress
    return freezeMessages(
      db,
      { ...loaded, round: { ...loaded.round, tracking } },
      { url, signingKey: Buffer.from(signingKey) },
    )
  },

  /** The reading set of a round, and who of it has been read as it stands. */
  async readingSet({ roundId, now }: { roundId: number; now: number }, { db }: JobContext) {
    const { round, columns, people, toProof } = await loadRound(db, roundId, now)
    const compiled = compileLetter(round.letter, columns, toProof.making)
    const kept = await readOf(db, roundId)
    const printOf = (row: Row) =>
      messagePrint(compiled.merge(row, people.rowsOf.get(row.id), toProof.notes.get(row.id)))
    const read = people.chosen
      .filter((row) => kept.has(row.id) && kept.get(row.id) === printOf(row))
      .map((row) => row.id)
    const isRead = new Set(read)
    const byId = new Map(people.chosen.map((row) => [row.id, row]))
    return {
      people: people.chosen.length,
      set: readingSetOf(toProof).map(({ rowId, reasons }) => ({
        rowId,
        person: callName(byId.get(rowId)!, round.nameColumns, round.addressColumn),
        reasons,
        read: isRead.has(rowId),
      })),
      read,
    }
  },

  /** Notes that a person's message has been read as it stands. */
  async markRead({ roundId, rowId, now }: { roundId: number; rowId: number; now: number }, { db }: JobContext) {
    const { round, columns, people, toProof } = await loadRound(db, roundId, now)
    const row = people.chosen.find((r) => r.id === rowId)
    if (!row) throw notFound('row')
    const compiled = compileLetter(round.letter, columns, toProof.making)
    await noteRead(
      db,
      roundId,
      rowId,
      messagePrint(compiled.merge(row, people.rowsOf.get(rowId), toProof.notes.get(rowId))),
    )
  },

  /** The proof of those who came late to a posted round. */
  async lateProof(
    { roundId, now, publicAddress }: { roundId: number; now: number; publicAddress: PublicAddressGiven },
    { db, files, progress }: JobContext,
  ): Promise<Proof> {
    const late = await onlyLate(db, await loadRound(db, roundId, now, true))
    const people = late.people.chosen.length
    const findings = proofRound(await wholly(db, files, late, publicAddress), (checked) =>
      progress(checked, people, 'Proofing'),
    )
    return withAcceptances(late.toProof, findings, await acceptedOf(db, roundId))
  },

  /** Posts one person's letter anew, to the address that stands in the list now, when the one before was refused or came back. */
  async sendToNew(
    {
      roundId,
      rowId,
      now,
      publicUrl,
      signingKey,
    }: { roundId: number; rowId: number; now: number; publicUrl: string; signingKey: Uint8Array },
    { db, files }: JobContext,
  ): Promise<void> {
    const whole = await loadRound(db, roundId, now, true)
    const row = whole.rows.find((r) => r.id === rowId)
    const had = await fateOf(db, roundId, rowId)
    if (!row || !had) throw notFound('letter')
    if (!had.failed)
      throw new Refusal(
        409,
        `The letter to ${had.person} was neither refused nor did it come back, so it is not sent to another address. Nothing was sent.`,
        'Nothing to mend',
      )
    const address = bareAddress(shown(row.cells[whole.round.addressColumn ?? '']))
    if (sameAddressKey(address) === had.addressKey)
      throw new Refusal(
        409,
        `${address || 'A blank'} is still the address of ${had.person} in the list. Put the right one there first. Nothing was sent.`,
        'Same address',
      )
    const others = whole.people.chosen.filter((one) => one.id !== rowId)
    const only = {
      ...whole,
      people: { ...whole.people, chosen: [row] },
      toProof: { ...whole.toProof, people: [row], others },
    }
    const accepted = await acceptedOf(db, roundId)
    const open = proofRound(await wholly(db, files, only, { url: publicUrl, signingKey })).filter(
      (f) => f.grade === 'stop' || (f.grade === 'ask' && !accepted.has(f.key)),
    )
    // On the do-not-write list, or set aside: then nobody chose them.
    if (whole.people.standing.get(rowId) === 'doNotWrite')
      throw new Refusal(409, `${address} is on the do-not-write list. Nothing was sent.`, 'Do not write')
    if (open.length > 0)
      throw new Refusal(
        409,
        `Nothing was sent, for the proof has something to settle: ${open
          .slice(0, 3)
          .map((f) => f.message)
          .join(' ')}`,
        'Not settled',
      )
    await sameContents(only, files)
    const [message] = await freezeMessages(db, only, { url: publicUrl, signingKey: Buffer.from(signingKey) })
    await db.transaction(async (tx) => {
      const again = await fateOf(tx, roundId, rowId)
      if (!again?.failed || again.again !== had.again)
        throw new Refusal(
          409,
          'This letter was sent again meanwhile. Nothing was sent a second time.',
          'Changed meanwhile',
        )
      await insertMessages(
        tx,
        {
          id: roundId,
          mailboxId: whole.round.mailboxId,
          notBefore: now,
          gap: gapOf(whole.round.dispatch.perMinute),
          again: had.again + 1,
        },
        [{ ...message, position: had.position }],
      )
    })
  },

  async timetable(
    { roundId, now }: { roundId: number; now: number },
    { db }: JobContext,
  ): Promise<Omit<Timetable, 'sentence'>> {
    const planned = await planRound(db, await loadRound(db, roundId, now), now)
    const { departures } = planned
    return {
      ...planned,
      messages: departures.length,
      recipients: departures.reduce((sum, d) => sum + d.recipients, 0),
      first: departures[0]?.at ?? null,
      last: departures.at(-1)?.at ?? null,
    }
  },

  /**
   * Posts a round, or with `late` a posted one to those who came late to its list: proofs it once more, freezes every message
   * and writes them as waiting, all in one transaction.
   */
  async post(
    {
      roundId,
      expected,
      print,
      late = false,
      now,
      publicUrl,
      signingKey,
    }: {
      roundId: number
      expected: number
      /** What the writer saw, as the last word gave it; without it only what is changed while it is being posted counts. */
      print?: string
      late?: boolean
      now: number
      publicUrl: string
      signingKey: Uint8Array
    },
    { db, files, progress }: JobContext,
  ): Promise<number> {
    const before = await postingPrint(db, roundId)
    const changedMeanwhile = () =>
      new Refusal(
        409,
        'The round or its list was changed since you saw it, here or in another window. Nothing was posted; look at it once more.',
        'Changed meanwhile',
      )
    if (print !== undefined && print !== before) throw changedMeanwhile()
    const whole = await loadRound(db, roundId, now, true)
    const { round } = whole
    if (late && round.postedAt === null)
      throw new Refusal(
        409,
        'This round is not posted yet, so nobody can come late to it. Post it first.',
        'Not posted',
      )
    if (!late && round.postedAt !== null)
      throw new Refusal(409, 'This round is posted already. Nothing was posted a second time.', 'Already posted')
    const loaded = late ? await onlyLate(db, whole) : whole
    const { people } = loaded
    const findings = proofRound(await wholly(db, files, loaded, { url: publicUrl, signingKey }))
    const accepted = await acceptedOf(db, roundId)
    if (unreadOf(loaded.toProof) > 0)
      throw new Refusal(
        409,
        'Some of the files are still being examined. Nothing was posted; try again in a moment.',
        'Not examined yet',
      )
    if (!mayPost(findings, new Set(accepted.keys())))
      throw new Refusal(
        409,
        'The proof has something to settle. Nothing was posted; look at Proof first.',
        'Not settled',
      )
    if (people.chosen.length !== expected)
      throw new Refusal(
        409,
        `The round has ${people.chosen.length} messages, not the ${expected} you saw: it was changed meanwhile. Nothing was posted; look at it once more.`,
        'Changed meanwhile',
      )
    await sameContents(loaded, files)
    const messages = await freezeMessages(db, loaded, { url: publicUrl, signingKey: Buffer.from(signingKey) }, (made) =>
      progress(made, expected, 'Making messages'),
    )
    await db.transaction(async (tx) => {
      // What was proofed and frozen is what stands there, to the last moment.
      if ((await postingPrint(tx, roundId)) !== before) throw changedMeanwhile()
      const taken = await tx.query(
        `UPDATE rounds SET posted_at = coalesce(posted_at, $2), changed_at = $2 WHERE id = $1 AND (posted_at IS NOT NULL) = $3 RETURNING id`,
        [roundId, now, late],
      )
      if (taken.length === 0)
        throw new Refusal(409, 'This round is posted already. Nothing was posted a second time.', 'Already posted')
      await insertMessages(
        tx,
        {
          id: roundId,
          mailboxId: round.mailboxId,
          notBefore: Math.max(now, round.dispatch.startAt ?? now),
          gap: gapOf(round.dispatch.perMinute),
        },
        messages,
      )
    })
    return messages.length
  },
}

export type Jobs = typeof jobs

/** What the proofs of the rounds last proofed remember. */
const memories = new Map<number, ProofMemory>()
const mostMemories = 3
/** Of how many people a proof is remembered at most: of more it would take too much memory. */
const mostRemembered = 20_000
function memoryOf(roundId: number): ProofMemory {
  const memory = memories.get(roundId) ?? emptyMemory()
  memories.delete(roundId)
  memories.set(roundId, memory)
  for (const old of memories.keys()) if (memories.size > mostMemories) memories.delete(old)
  return memory
}

/** What is proofed, with what takes its time to find out: the exact sizes near the limit, and which made files are stale. */
async function wholly(
  db: Database,
  files: FileStore,
  loaded: LoadedRound,
  { url, signingKey }: PublicAddressGiven,
): Promise<RoundToProof> {
  const { toProof } = loaded
  const enclose = encloser(toProof.files, toProof.columns, toProof.matching)
  const near = nearLimit(loaded, (row) => enclose(row, toProof.rowsOf.get(row.id)).files)
  return {
    ...toProof,
    madeFiles: await madeState(db, loaded),
    exactSizes: await exactSizes(db, files, loaded, near, { url, signingKey: Buffer.from(signingKey) }),
  }
}

/** How many contents of a round were not examined yet. */
const unreadOf = ({ files, fileFacts }: RoundToProof) =>
  new Set(files.filter((f) => f.size > 0 && !fileFacts.has(f.hash)).map((f) => f.hash)).size

/** Refuses to post when a content is no longer what it was when it was added: what is proofed is what goes. */
async function sameContents({ files: enclosed }: LoadedRound, store: FileStore): Promise<void> {
  for (const { hash, name } of new Map(enclosed.map((f) => [f.hash, f])).values())
    await store.read(hash).catch(() => {
      throw new Refusal(
        409,
        `“${name}” is not on the disk as it was when it was added. Nothing was posted. Add it again, then look at the proof.`,
        'File changed',
      )
    })
}

/** What tells whether a message is still the one that was read. */
const messagePrint = ({ subject, html }: { subject: string; html: string }) =>
  createHash('sha256').update(`${subject}\n${html}`).digest('base64url')

/** The people of a posted round who have no message of it yet. */
async function lateComers(db: Database, roundId: number, chosen: Row[]): Promise<Row[]> {
  const has = await rowsWithMessage(db, roundId)
  return chosen.filter((row) => !has.has(row.id))
}

/** A posted round as it is for those who came late to it. */
async function onlyLate(db: Database, loaded: LoadedRound): Promise<LoadedRound> {
  const chosen = await lateComers(db, loaded.round.id, loaded.people.chosen)
  const late = new Set(chosen)
  const others = loaded.people.chosen.filter((row) => !late.has(row))
  const having = await havingLetter(db, loaded.round.id)
  const inRound = {
    addresses: new Map(having.map((one) => [one.addressKey, one.person])),
    names: new Map(having.map((one) => [one.person.toLowerCase(), one.address])),
  }
  return {
    ...loaded,
    people: { ...loaded.people, chosen },
    toProof: { ...loaded.toProof, people: chosen, others, around: { ...loaded.toProof.around, inRound } },
  }
}

function withAcceptances(round: RoundToProof, findings: Finding[], accepted: Map<string, string>): Proof {
  const titles = new Map(checks.map((c) => [c.name, c.title]))
  const open = findings.filter((f) => f.grade === 'ask' && !accepted.has(f.key))
  const unread = unreadOf(round)
  return {
    people: round.people.length,
    unread,
    findings: findings.map((f) => ({
      ...f,
      title: titles.get(f.check)!,
      accepted: f.grade === 'ask' ? (accepted.get(f.key) ?? null) : null,
    })),
    stops: findings.filter((f) => f.grade === 'stop').length,
    asks: open.length,
    mayPost: unread === 0 && mayPost(findings, new Set(accepted.keys())),
  }
}
