import type { OutcomeFormatName } from '@hand-post/core'
import type { JobContext } from '../threads/job.ts'
import { boardOf, outcomeFile } from './board.ts'

/** What came back, over a whole round. */
export const responseJobs = {
  /** What came back of a round. */
  board: ({ roundId }: { roundId: number }, { db }: JobContext) => boardOf(db, roundId),

  outcomeFile: ({ roundId, as, now }: { roundId: number; as: OutcomeFormatName; now: number }, { db }: JobContext) =>
    outcomeFile(db, roundId, as, now),
}
export type ResponseJobs = typeof responseJobs
