import { randomUUID } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'
import type { Logger } from 'pino'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { Refusal } from '../problem.ts'
import { cancelled, type Progress, type RunOptions, wasCancelled } from './job.ts'
import { type About, endWork, forgetWork, goesOn, hereForSeconds, noteWork } from './workStore.ts'

/** How long (ms) something is under way before others are shown it, and how often it says from then on that it goes on. */
const shownAfter = 1500
const beat = 1000

/** With what some work is done. */
export interface WorkOptions extends RunOptions {
  onProgress: (progress: Progress) => void
  signal: AbortSignal
}

/** Shows what takes long to every desk, whichever process does it, and stops it when one of them says so. */
export class Works {
  private readonly shown = new Set<Promise<void>>()
  private readonly closed = new AbortController()

  constructor(private readonly parts: { db: Database; publish: Publish; log: Logger }) {}

  /**
   * Does something that may take long.
   * @param about with what stays of it when it is stopped half way, in words, where that is not nothing.
   * @param gone stops it too; null: it goes on when whoever asked for it has gone.
   * @param work does it, with what stops it, and what hears how far it is.
   * @throws what `work` throws; stopped by somebody, a refusal that names them.
   */
  async long<T>(
    { stays, ...about }: About & { stays?: string },
    gone: AbortSignal | null,
    work: (options: WorkOptions) => Promise<T>,
  ): Promise<T> {
    const { publish } = this.parts
    const stop = new AbortController()
    const over = new AbortController()
    let done = false
    let latest: Progress | null = null
    let stoppedBy = ''
    const stopFor = (by: string) => {
      if (stop.signal.aborted) return
      stoppedBy = by
      // Whoever asks the signal itself is told the same as by a thread.
      stop.abort(wasCancelled())
    }
    const ended = AbortSignal.any([over.signal, this.closed.signal])
    const shown = this.show(about, stopFor, ended, () => ({ latest, done })).finally(() => this.shown.delete(shown))
    this.shown.add(shown)
    try {
      const result = await work({
        signal: gone === null ? stop.signal : AbortSignal.any([gone, stop.signal]),
        onProgress(progress) {
          latest = progress
          publish({ topic: 'progress', id: about.round ?? null, progress })
        },
      })
      done = true
      return result
    } catch (error) {
      if (!stop.signal.aborted || !(error instanceof Refusal) || error.status !== cancelled) throw error
      const who = stoppedBy === '' ? 'This was stopped from another window.' : `${stoppedBy} has stopped this.`
      throw new Refusal(error.status, `${who} ${stays ?? error.message}`, error.title)
    } finally {
      over.abort()
    }
  }

  /**
   * Shows some work as long as it goes on, and a moment longer where it was told to stop and was done by then. That it cannot be shown, or
   * no longer, keeps nobody from their work.
   */
  private async show(
    about: About,
    stop: (by: string) => void,
    over: AbortSignal,
    stands: () => { latest: Progress | null; done: boolean },
  ): Promise<void> {
    const { db, publish, log } = this.parts
    const wait = (ms: number, signal = over) => sleep(ms, undefined, { ref: false, signal }).catch(() => {})
    const failed = (error: unknown) => log.warn({ error: String(error), what: about.what }, 'work under way not shown')
    const id = randomUUID()
    await wait(shownAfter)
    if (over.aborted) return
    const changed = () => publish({ topic: 'works', id: null })
    try {
      await noteWork(db, id, about, shownAfter)
      let said = ''
      while (!over.aborted) {
        const { latest } = stands()
        const stoppedBy = await goesOn(db, id, latest).catch(failed)
        if (typeof stoppedBy === 'string') stop(stoppedBy)
        const now = JSON.stringify([latest, stoppedBy])
        if (now !== said) changed()
        said = now
        await wait(beat)
      }
    } catch (error) {
      failed(error)
    } finally {
      if (stands().done && (await endWork(db, id).catch(failed))) {
        changed()
        await wait(hereForSeconds * 1000, this.closed.signal)
      }
      await forgetWork(db, id).catch(failed)
      changed()
    }
  }

  /** Shows nothing any more. What has not ended is not waited for. */
  async close(): Promise<void> {
    this.closed.abort()
    await Promise.all(this.shown)
  }
}
