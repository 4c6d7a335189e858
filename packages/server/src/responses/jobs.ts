import type { JobContext } from '../threads/job.ts'
import { boardOf, outcomeCsv } from './board.ts'

/** What came back, over a whole round. */
export const responseJobs = {
  /** What came back of a round. */
  board: ({ roundId }: { roundId: number }, { db }: JobContext) => boardOf(db, roundId),

  outcomeCsv: ({ roundId, now }: { roundId: number; now: number }, { db }: JobContext) => outcomeCsv(db, roundId, now),
}
export type ResponseJobs = typeof responseJobs
