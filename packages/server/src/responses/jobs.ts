import type { OutcomeFormatName } from '@hand-post/core'
import type { JobContext } from '../threads/job.ts'
import { outcomeFile } from './board.ts'
import { hearAnew } from './heard.ts'

/** What came back, over a whole round. */
export const responseJobs = {
  /** Takes together what came back of a round since it was last done. */
  hearAnew: ({ roundId }: { roundId: number }, { db }: JobContext) => hearAnew(db, roundId),

  outcomeFile: ({ roundId, as, now }: { roundId: number; as: OutcomeFormatName; now: number }, { db }: JobContext) =>
    outcomeFile(db, roundId, as, now),
}
export type ResponseJobs = typeof responseJobs
