import type { Forgetting } from '@hand-post/contract'
import { times, verb } from '@hand-post/core'
import type { Logger } from 'pino'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import { notUnwanted, unwantedFiles } from '../files/store.ts'
import { Refusal } from '../problem.ts'
import { boardOf, chartsOf, seenOf } from '../responses/board.ts'
import { keepBoard } from '../responses/boardStore.ts'
import type { Fetches } from '../responses/fetches.ts'
import type { ResponseJobs } from '../responses/jobs.ts'
import { noteEvent } from '../rounds/events.ts'
import type { Computes } from '../threads/job.ts'
import { postedRound, unfinishedWords } from './collect.ts'
import * as store from './forgetStore.ts'

export interface ForgettingParts {
  db: Database
  clock: Clock
  compute: Computes<ResponseJobs>
  fetches: Fetches
  files: FileStore
  publish: Publish
  log: Logger
}

/** How often (ms) it is looked whether the time of a round has come. */
const every = 10 * 60_000
/** Times that what came back is taken together, before something that comes without end is left for the next time. */
const mostTries = 5

/** Forgets what rounds keep of people: when the writer says so, or when the time has come that they set. */
export class ForgetPeople {
  private timer: NodeJS.Timeout | null = null
  private running: Promise<void> = Promise.resolve()

  constructor(private readonly parts: ForgettingParts) {}

  start(): void {
    const look = () => {
      this.running = this.forgetDue().catch((error) =>
        this.parts.log.warn({ error: String(error) }, 'what rounds keep of people could not be forgotten'),
      )
    }
    this.timer = setInterval(look, every)
    this.timer.unref()
    look()
  }

  async close(): Promise<void> {
    if (this.timer) clearInterval(this.timer)
    await this.running
  }

  /** How a round stands with it, with what came back until now. */
  async standOf(roundId: number): Promise<Forgetting> {
    await this.hear(roundId)
    return this.standIn(this.parts.db, roundId)
  }

  private async standIn(db: Database, roundId: number): Promise<Forgetting> {
    const { undone, ...kept } = await store.keptOf(db, roundId)
    return {
      ...kept,
      waits: [
        ...(await unfinishedWords(db, roundId)),
        ...(undone > 0
          ? [
              `${times(undone, 'entry', 'entries')} of it in the in-tray ${verb(undone, 'is', 'are')} not done yet, or put by.`,
            ]
          : []),
      ],
    }
  }

  /** Forgets what those rounds keep whose time has come and that nothing holds up; and takes off the disk what is not needed any more. */
  async forgetDue(): Promise<void> {
    const { db, clock, log } = this.parts
    for (const roundId of await store.roundsToForget(db, clock.now()))
      if ((await this.standIn(db, roundId)).waits.length === 0)
        // What keeps one from it keeps none of the others.
        await this.forget(roundId).catch((error) =>
          log.warn({ error: String(error), round: roundId }, 'what a round keeps of people could not be forgotten'),
        )
    await this.removeUnwanted()
  }

  /**
   * Forgets what a round keeps of people, for good. Counts stay, and the round is ended.
   * @throws Refusal where something is still to be done with it.
   */
  async forget(roundId: number): Promise<void> {
    const { db, clock, publish, log } = this.parts
    const { title } = await postedRound(db, roundId)
    for (let tries = 1; ; tries++) {
      await this.hear(roundId)
      const done = await db.transaction(async (tx) => {
        const { waits, opened, answers, files, forgottenAt } = await this.standIn(tx, roundId)
        if (forgottenAt !== null) return true
        if (waits.length > 0)
          throw new Refusal(
            409,
            `What “${title}” keeps of people cannot be forgotten yet. ${waits.join(' ')} Nothing was forgotten.`,
            'Not finished',
          )
        if (await store.isFamilyToHear(tx, roundId)) return false
        const now = clock.now()
        for (const id of await store.boardsOfFamily(tx, roundId))
          await keepBoard(tx, id, {
            board: await boardOf(tx, id),
            charts: await chartsOf(tx, id, [], now),
            seen: await seenOf(tx, id, true),
          })
        await store.markForgotten(tx, roundId, now)
        await store.takeAway(tx, roundId)
        await noteEvent(tx, roundId, now, 'forgotten', { opened, answers, files })
        return true
      })
      if (done) break
      if (tries >= mostTries)
        throw new Refusal(
          409,
          `Something comes back for “${title}” without a pause. Nothing was forgotten. Try again in a while, or end the round first.`,
          'Busy',
        )
    }
    await this.removeUnwanted()
    log.info({ round: roundId }, 'what the round kept of people was forgotten')
    for (const topic of ['round', 'responses'] as const) publish({ topic, id: roundId })
    publish({ topic: 'rounds', id: null })
  }

  /** Has everything that came back taken together, what was fetched in the last second too. */
  async hear(roundId: number): Promise<void> {
    const { db, compute, fetches } = this.parts
    await fetches.flush()
    for (const id of await store.boardsOfFamily(db, roundId)) await compute.run('hearAnew', { roundId: id })
  }

  private async removeUnwanted(): Promise<void> {
    const { db, files } = this.parts
    const gone: string[] = []
    for (const hash of await unwantedFiles(db)) if (await files.remove(hash)) gone.push(hash)
    await notUnwanted(db, gone)
  }
}
