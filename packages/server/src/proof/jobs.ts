import type { Proof } from '@hand-post/contract'
import { displayName, proofPeople, proofRound, readingSetOf } from '@hand-post/core'
import { madeState } from '../enclosures/makeJobs.ts'
import { notFound } from '../problem.ts'
import { freezeMessages, type PublicAddress } from '../rounds/freeze.ts'
import { everybody, loadRound } from '../rounds/loadRound.ts'
import type { NewMessage } from '../rounds/messages.ts'
import type { JobContext } from '../threads/job.ts'
import { allMessagesJobs } from './allMessagesJobs.ts'
import { printsOf, readRows } from './readLetters.ts'
import { secondEyesOf } from './secondEyes.ts'
import { acceptedOf, noteRead } from './store.ts'
import { maxRemembered, measured, memoryOf, onlyLate, wholly, withAcceptances } from './whole.ts'

/** The proof, and the reading of messages before they go. */
export const proofJobs = {
  ...allMessagesJobs,
  async proof(
    { roundId, now, publicAddress }: { roundId: number; now: number; publicAddress: PublicAddress },
    { db, files, progress }: JobContext,
  ): Promise<Proof> {
    const loaded = await loadRound(db, roundId, now, true)
    const { people } = loaded
    const toProof = await wholly(db, files, loaded, publicAddress)
    const letters = everybody(loaded).length
    const findings = proofRound(
      toProof,
      (checked) => progress(checked, letters, 'Proofing'),
      people.chosen.length <= maxRemembered ? memoryOf(roundId) : undefined,
    )
    return withAcceptances(toProof, findings, await acceptedOf(db, roundId))
  },

  /** What is found of some people, at once; the whole proof follows. */
  async proofPeople({ roundId, rowIds, now }: { roundId: number; rowIds: number[]; now: number }, { db }: JobContext) {
    const loaded = await loadRound(db, roundId, now)
    const toProof = { ...loaded.toProof, paper: measured(loaded), madeFiles: await madeState(db, loaded) }
    const { findings, left } = proofPeople(toProof, new Set(rowIds))
    const { findings: entries } = withAcceptances(toProof, findings, await acceptedOf(db, roundId))
    return { findings: entries, left }
  },

  /** The proof of those who came late to a posted round. */
  async lateProof(
    { roundId, now, publicAddress }: { roundId: number; now: number; publicAddress: PublicAddress },
    { db, files, progress }: JobContext,
  ): Promise<Proof> {
    const late = await onlyLate(db, await loadRound(db, roundId, now, true))
    const people = everybody(late).length
    const findings = proofRound(await wholly(db, files, late, publicAddress), (checked) =>
      progress(checked, people, 'Proofing'),
    )
    return withAcceptances(late.toProof, findings, await acceptedOf(db, roundId))
  },

  /** The reading set of a round, and who of it has been read as it stands. */
  async readingSet({ roundId, now }: { roundId: number; now: number }, { db }: JobContext) {
    const loaded = await loadRound(db, roundId, now)
    const { round, toProof } = loaded
    const all = everybody(loaded)
    const read = await readRows(db, loaded)
    const isRead = new Set(read)
    const byId = new Map(all.map((row) => [row.id, row]))
    return {
      people: all.length,
      set: readingSetOf({ ...toProof, people: all }).map(({ rowId, reasons }) => ({
        rowId,
        person: displayName(byId.get(rowId)!, round.nameColumns, round.addressColumn),
        reasons,
        read: isRead.has(rowId),
      })),
      read,
    }
  },

  /** How it stands with a second pair of eyes, for whoever acts. */
  async secondEyes({ roundId, now }: { roundId: number; now: number }, { db }: JobContext) {
    return secondEyesOf(db, await loadRound(db, roundId, now))
  },

  /** Notes that a person's message has been read as it stands. */
  async markRead({ roundId, rowId, now }: { roundId: number; rowId: number; now: number }, { db }: JobContext) {
    const loaded = await loadRound(db, roundId, now)
    const row = everybody(loaded).find((r) => r.id === rowId)
    if (!row) throw notFound('row')
    await noteRead(db, roundId, rowId, printsOf(loaded)(row))
  },

  /** All messages as they would be frozen now, but with nothing in them that is counted: for sending by hand. */
  async untracked(
    { roundId, now, publicAddress }: { roundId: number; now: number; publicAddress: PublicAddress },
    { db }: JobContext,
  ): Promise<NewMessage[]> {
    const loaded = await loadRound(db, roundId, now)
    const tracking = { ...loaded.round.tracking, opens: false, clicks: false, optOut: false }
    return freezeMessages(db, { ...loaded, round: { ...loaded.round, tracking } }, publicAddress, { uncounted: true })
  },
}
export type ProofJobs = typeof proofJobs
