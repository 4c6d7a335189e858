import type { Logger } from 'pino'
import type { Publish } from '../events.ts'
import type { Computes } from '../threads/job.ts'
import { Lost } from '../threads/lane.ts'
import type { EnclosureJobs } from './jobs.ts'

/** Has the files of rounds examined behind what else is done, and knows when they are. */
export class Examiner {
  private readonly running = new Map<number, { again: boolean; done: Promise<void> }>()

  constructor(private readonly parts: { compute: Computes<EnclosureJobs>; publish: Publish; log: Logger }) {}

  /** Has a round's files examined that were not yet; fulfilled when all of them are. */
  soon(roundId: number): Promise<void> {
    const before = this.running.get(roundId)
    if (before) {
      before.again = true
      return before.done
    }
    const state = { again: false, done: Promise.resolve() }
    this.running.set(roundId, state)
    state.done = this.run(roundId, state).finally(() => this.running.delete(roundId))
    return state.done
  }

  private async run(roundId: number, state: { again: boolean }): Promise<void> {
    const { compute, publish, log } = this.parts
    try {
      do {
        state.again = false
        const examined = await compute.run('examine', { roundId }).catch((error) => {
          // One content took the thread with it. The others are waited for; that one is begun once more, and not again after that.
          if (!(error instanceof Lost)) throw error
          log.warn({ roundId, error: error.message }, 'examining was given up')
          state.again = true
          return 0
        })
        if (examined > 0) publish({ topic: 'round', id: roundId })
      } while (state.again)
    } catch (error) {
      // What was not examined counts as such, and stops the round; the next file, or the next start, tries again.
      log.error({ roundId, error }, 'files not examined')
    }
  }
}
