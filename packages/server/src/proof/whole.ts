import type { Proof } from '@hand-post/contract'
import {
  checks,
  emptyMemory,
  encloser,
  type Finding,
  mayPost,
  type ProofMemory,
  postalLines,
  type RoundToProof,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { madeState } from '../enclosures/makeJobs.ts'
import type { FileStore } from '../files/fileStore.ts'
import { tooWide } from '../paper/setting.ts'
import { Refusal } from '../problem.ts'
import { exactSizes, nearLimit } from '../rounds/exactSizes.ts'
import { isReachable, type PublicAddress } from '../rounds/freeze.ts'
import { lateComers } from '../rounds/lateComers.ts'
import { everybody, inRound, type LoadedRound } from '../rounds/loadRound.ts'

/** What the proofs of the rounds last proofed remember. */
const memories = new Map<number, ProofMemory>()

const maxMemories = 3

/** Of how many people a proof is remembered at most: of more it would take too much memory. */
export const maxRemembered = 20_000

/** Lets go of all that is remembered. */
export const forgetProofs = (): void => memories.clear()

export function memoryOf(roundId: number): ProofMemory {
  const memory = memories.get(roundId) ?? emptyMemory()
  memories.delete(roundId)
  memories.set(roundId, memory)
  for (const old of memories.keys()) if (memories.size > maxMemories) memories.delete(old)
  return memory
}

/** What is proofed, with what takes its time to find out: the exact sizes near the limit, and which made files are stale. */
export async function wholly(
  db: Database,
  files: FileStore,
  loaded: LoadedRound,
  publicAddress: PublicAddress,
): Promise<RoundToProof> {
  const { toProof } = loaded
  const enclose = encloser(toProof.files, toProof.columns, toProof.matching)
  const near = nearLimit(loaded, (row) => enclose(row, toProof.rowsOf.get(row.id)).files)
  return {
    ...toProof,
    paper: measured(loaded),
    around: { ...toProof.around, preparedAnswers: !isReachable(publicAddress) },
    madeFiles: await madeState(db, loaded),
    exactSizes: await exactSizes(db, files, loaded, near, publicAddress),
  }
}

/** Whose letters go on paper, with those lines of their addresses that do not fit into the window. */
export function measured({ round, toProof: { paper } }: LoadedRound): RoundToProof['paper'] {
  if (paper === null) return null
  const wide = paper.people.map((row) => [row.id, tooWide(postalLines(row, paper.columns), round.paper)] as const)
  return { ...paper, tooWide: new Map(wide.filter(([, lines]) => lines.length > 0)) }
}

/** How many contents of a round were not examined yet. */
export const unreadOf = ({ files, fileFacts }: RoundToProof) =>
  new Set(files.filter((f) => f.size > 0 && !fileFacts.has(f.hash)).map((f) => f.hash)).size

/** Refuses to post when a content is no longer what it was when it was added: what is proofed is what goes. */
export async function sameContents({ files: enclosed }: LoadedRound, store: FileStore): Promise<void> {
  for (const { hash, name } of new Map(enclosed.map((f) => [f.hash, f])).values())
    await store.read(hash).catch(() => {
      throw new Refusal(
        409,
        `“${name}” is not on the disk as it was when it was added. Nothing was posted. Add it again, then look at the proof.`,
        'File changed',
      )
    })
}

/** A posted round as it is for those who came late to it. */
export async function onlyLate(db: Database, loaded: LoadedRound): Promise<LoadedRound> {
  const all = everybody(loaded)
  const late = new Set(await lateComers(db, loaded.round.id, all))
  const [chosen, onPaper] = [loaded.people.chosen, loaded.people.onPaper].map((rows) =>
    rows.filter((row) => late.has(row)),
  )
  const others = all.filter((row) => !late.has(row))
  const { paper } = loaded.toProof
  return {
    ...loaded,
    people: { ...loaded.people, chosen, onPaper },
    toProof: {
      ...loaded.toProof,
      people: chosen,
      paper: paper && onPaper.length > 0 ? { ...paper, people: onPaper } : null,
      others,
      around: { ...loaded.toProof.around, inRound: await inRound(db, loaded.round.id) },
    },
  }
}

export function withAcceptances(round: RoundToProof, findings: Finding[], accepted: Map<string, string>): Proof {
  const titles = new Map(checks.map((c) => [c.name, c.title]))
  const open = findings.filter((f) => f.grade === 'ask' && !accepted.has(f.key))
  const unread = unreadOf(round)
  return {
    people: round.people.length + (round.paper?.people.length ?? 0),
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
