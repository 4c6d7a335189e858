import {
  bareAddress,
  cellIn,
  compileCopies,
  compileForPaper,
  compileLetter,
  countSentence,
  displayName,
  encloser,
  messageSize,
  postalLines,
  type Row,
  type Standing,
  sameAddressKey,
  shown,
  whyNotChosen,
} from '@hand-post/core'
import { groups, refusedAddresses } from '../people/bookStore.ts'
import { notFound } from '../problem.ts'
import type { JobContext } from '../threads/job.ts'
import { type Followed, followingFirst, freezeMessages, type PublicAddress } from './freeze.ts'
import { lateComers } from './lateComers.ts'
import { loadPeople, loadRound, onlySome, whyNotChased } from './loadRound.ts'
import type { NewMessage } from './messages.ts'
import { setAsideOf } from './store.ts'

/** What is computed over a round and its people. */
export const roundJobs = {
  async counts({ roundId, now }: { roundId: number; now: number }, { db }: JobContext) {
    return (await loadPeople(db, roundId, now)).people.counts
  },

  async people({ roundId, now }: { roundId: number; now: number }, { db }: JobContext) {
    const { round, rows, people } = await loadPeople(db, roundId, now)
    const out: Record<Exclude<Standing, 'in'>, number[]> = {
      onPaper: [],
      byRule: [],
      setAside: [],
      doNotWrite: [],
      joined: [],
      sameAddress: [],
      notChased: [],
    }
    for (const { id } of rows) {
      const standing = people.standing.get(id)!
      if (standing !== 'in') out[standing].push(id)
    }
    const late = round.postedAt === null ? [] : await lateComers(db, round.id, [...people.chosen, ...people.onPaper])
    return {
      counts: people.counts,
      sentence: countSentence(people.counts),
      chosen: people.chosen.map((row) => row.id),
      ...out,
      together: [...people.rowsOf.values()].map((rows) => rows.map((row) => row.id)),
      doubled: people.doubled,
      withoutAddress: people.withoutAddress,
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
    const notChased = await whyNotChased(db, round, now)
    const nameOf = (row: Row) => displayName(row, round.nameColumns, round.addressColumn)
    const why = (row: Row): string => {
      switch (people.standing.get(row.id)) {
        case 'notChased':
          return `not to be chased: ${notChased(row.id)}`
        case 'setAside':
          return `set aside${aside.get(row.id) ? `: ${aside.get(row.id)}` : ''}`
        case 'byRule':
          return `left out by rule: ${whyNotChosen(row, choice.selection, columns, choice.context, (id) => groupNames.get(id) ?? 'a group that is gone')}`
        case 'doNotWrite':
          return `on the do-not-write list: ${refused.get(sameAddressKey(shown(cellIn(row, round.addressColumn!)))) ?? ''}`
        case 'joined':
          return `goes with the message of ${nameOf(first.get(row.id)!)}`
        default:
          return 'an earlier row of the same address has the message'
      }
    }
    const gets = new Set(['in', 'onPaper'])
    return rows.flatMap((row) =>
      gets.has(people.standing.get(row.id)!) ? [] : [{ row: row.id, person: nameOf(row), why: why(row) }],
    )
  },

  /** The messages of some people as the round stands. Pictures are named by the letter's own `file:…` addresses. */
  async messages(
    {
      roundId,
      rowIds,
      now,
      publicAddress,
    }: { roundId: number; rowIds: number[]; now: number; publicAddress: PublicAddress },
    { db }: JobContext,
  ) {
    const loaded = await loadRound(db, roundId, now)
    const { round, columns, rows, people, files, from, toProof } = loaded
    const wanted = new Set(rowIds)
    const following = await followingFirst(
      db,
      onlySome(
        loaded,
        rows.filter((row) => wanted.has(row.id)),
      ),
      publicAddress,
    )
    const compiled = compileLetter(round.letter, columns, toProof.making)
    const printed = compileForPaper(round.letter, columns, toProof.making)
    const copies = compileCopies(toProof.copies, columns)
    const enclose = encloser(toProof.files, columns, toProof.matching)
    return rowIds.map((rowId) => {
      const row = rows.find((r) => r.id === rowId)
      if (!row) throw notFound('row')
      const together = people.rowsOf.get(row.id)
      const isOnPaper = people.standing.get(row.id) === 'onPaper'
      const own: ReturnType<typeof compiled.merge> & Followed = (isOnPaper ? printed : compiled).merge(
        row,
        together,
        toProof.notes.get(row.id),
      )
      const { thread: _, ofCopies, ...followed } = isOnPaper ? own : following(row.id, own)
      // It is looked at, and nothing is done by it.
      const merged = { ...followed, ...ofCopies }
      const address = round.addressColumn ? bareAddress(shown(cellIn(row, round.addressColumn))) : ''
      const person = displayName(row, round.nameColumns, round.addressColumn)
      const byId = new Map(files.map((f) => [f.id, f]))
      const enclosed = enclose(row, together).files.map(({ id, sentAs }) => ({ ...byId.get(id)!, name: sentAs }))
      return {
        ...merged,
        ...(isOnPaper ? { cc: [], bcc: [], replyTo: [], wrong: [], left: [] } : copies.of(row, address)),
        paper: isOnPaper ? postalLines(row, round.paper.columns) : null,
        from,
        address,
        name: person === address ? '' : person,
        files: enclosed,
        size: messageSize(merged.html, merged.text, [...enclosed.map((f) => f.size), ...toProof.pictureSizes]),
      }
    })
  },

  /** One person's message as it would be frozen now; null when the list has no such person. */
  async message(
    {
      roundId,
      rowId,
      now,
      publicAddress,
    }: { roundId: number; rowId: number; now: number; publicAddress: PublicAddress },
    { db }: JobContext,
  ): Promise<NewMessage | null> {
    const loaded = await loadRound(db, roundId, now)
    const row = loaded.rows.find((r) => r.id === rowId)
    if (!row || loaded.round.addressColumn === null) return null
    const only = { ...loaded, people: { ...loaded.people, chosen: [row] } }
    return (await freezeMessages(db, only, publicAddress))[0]
  },
}
export type RoundJobs = typeof roundJobs
