import { type Proof, routes } from '@hand-post/contract'
import { inEvery } from '@hand-post/core'
import { ask, queries } from '../api.ts'

/**
 * Puts what is found of some people now in the place of what was found of them before, while the whole proof is still made
 * anew. It never says that a round may be posted: only the whole proof does.
 */
export function withRenewed(
  proof: Proof,
  rowIds: readonly number[],
  renewed: { findings: Proof['findings']; left: string[] },
): Proof {
  const changed = new Set(rowIds)
  // What is a fault of every message stands there once already.
  const everywhere = new Set(proof.findings.filter((f) => f.rowId === null).map((f) => f.message))
  const fresh = renewed.findings.filter((f) => !everywhere.has(inEvery(f.message)))
  const left = new Set(renewed.left)
  const kept = proof.findings.filter((f) => f.rowId === null || !changed.has(f.rowId) || left.has(f.check))
  // Each stands with those of its kind; a kind that was not there comes first.
  const known = new Set(kept.map((f) => f.check))
  const findings = fresh.filter((f) => !known.has(f.check))
  for (const [i, f] of kept.entries()) {
    findings.push(f)
    if (kept[i + 1]?.check !== f.check) findings.push(...fresh.filter((one) => one.check === f.check))
  }
  const stops = findings.filter((f) => f.grade === 'stop').length
  const asks = findings.filter((f) => f.grade === 'ask' && f.accepted === null).length
  return { ...proof, findings, stops, asks, mayPost: proof.mayPost && stops + asks === 0 }
}

/** Has what is found of some people of a round renewed at once. */
export async function renewFindings(roundId: number, rowIds: number[]): Promise<void> {
  const key = ['round', roundId, 'proof']
  if (rowIds.length === 0 || rowIds.length > 100 || !queries.getQueryData(key)) return
  try {
    const renewed = await ask(routes.proofPeople, { params: { round: roundId }, body: { rowIds } })
    const before = queries.getQueryData<Proof>(key)
    if (before) queries.setQueryData<Proof>(key, withRenewed(before, rowIds, renewed))
  } catch {
    // The whole proof is on its way, and says what is wrong.
  }
}
