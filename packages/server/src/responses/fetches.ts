import { type Fetched, fetchedOnce, sumFetched } from '@hand-post/core'
import type { Logger } from 'pino'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { addFetched, type FetchedOf } from './store.ts'

/** How often what was fetched is written and told of, in ms. */
const every = 1000
/** How many pictures and links are kept until they are written; what is fetched of others meanwhile is not counted. */
const maxKept = 20_000
/** How often one client is counted in a minute: for one picture or link, and for all. */
const maxOfOne = 60
const maxOfAll = 6000
/** How many clients, with what they fetched, are told apart in a minute. */
const maxClients = 50_000

/**
 * Counts what is fetched of letters. Whoever fetches is answered before anything is counted; what was counted is written once a
 * second, all together, and kept until then if the database is not there.
 */
export class Fetches {
  private kept = new Map<string, FetchedOf>()
  private counted = new Map<string, number>()
  private minute = 0
  private writing: Promise<void> = Promise.resolve()
  private readonly timer: NodeJS.Timeout

  constructor(private readonly parts: { db: Database; publish: Publish; log: Logger }) {
    this.timer = setInterval(() => void this.flush(), every)
    this.timer.unref()
  }

  /**
   * Counts one fetch.
   * @param client where it came from, for limiting it.
   * @param what the picture, or the number of the link.
   */
  note(client: string, key: string, what: 'picture' | number, at: number, agent: string): void {
    const place = what === 'picture' ? -1 : what
    const name = `${key} ${place}`
    if (!this.allows(client, `${client} ${name}`)) return
    const once: Fetched = fetchedOnce({ at, agent: agent.slice(0, 200) })
    const before = this.kept.get(name)
    if (!before && this.kept.size >= maxKept) return
    this.kept.set(name, { key, what: place, ...(before ? sumFetched(before, once) : once) })
  }

  private allows(client: string, ofOne: string): boolean {
    const minute = Math.floor(Date.now() / 60_000)
    if (minute !== this.minute) {
      this.minute = minute
      this.counted.clear()
    }
    const times = (name: string) => this.counted.get(name) ?? 0
    if (times(client) >= maxOfAll || times(ofOne) >= maxOfOne) return false
    if (this.counted.size >= maxClients && times(ofOne) === 0) return false
    this.counted.set(client, times(client) + 1)
    this.counted.set(ofOne, times(ofOne) + 1)
    return true
  }

  /** Writes what was counted until now. Fulfilled also when the database took nothing: it is kept for the next time. */
  flush(): Promise<void> {
    this.writing = this.writing.then(() => this.write())
    return this.writing
  }

  private async write(): Promise<void> {
    if (this.kept.size === 0) return
    const { db, publish, log } = this.parts
    const some = this.kept
    this.kept = new Map()
    try {
      for (const id of await addFetched(db, [...some.values()])) publish({ topic: 'responses', id })
    } catch (error) {
      log.error(
        { error: String(error) },
        'what was fetched of letters could not be written; it is kept and tried again',
      )
      for (const [name, one] of some) {
        const since = this.kept.get(name)
        this.kept.set(name, { ...one, ...(since ? sumFetched(one, since) : one) })
      }
    }
  }

  async close(): Promise<void> {
    clearInterval(this.timer)
    await this.flush()
  }
}
