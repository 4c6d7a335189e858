import { routes } from '@hand-post/contract'
import type { Chaser } from '@hand-post/core'
import type { NavigateFunction } from 'react-router'
import { ask, queries, stale } from '../api.ts'
import { keys } from '../shared/queries.ts'

/** Begins a further letter to some people of a round, and goes to where it is written. Throws what the desk refuses. */
export async function beginChaser(
  roundId: number,
  rows: number[],
  chaser: Partial<Chaser>,
  navigate: NavigateFunction,
): Promise<void> {
  const begun = await ask(routes.addChaser, { params: { round: roundId }, body: { rows, chaser } })
  queries.setQueryData(keys.round(begun.id), begun)
  await stale(keys.round(roundId))
  void navigate(`/rounds/${begun.id}/letter`)
}
