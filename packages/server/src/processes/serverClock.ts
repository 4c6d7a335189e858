import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'

/** How often (ms) it is asked what time it is, and from which difference on (ms) it is worth a word. */
const every = 30_000
const worthAWord = 60_000

/**
 * The clock of the database: processes on several machines reckon by one, whatever their own say. Between two looks it goes on by this
 * machine's.
 */
export class ServerClock implements Clock {
  private offset = 0
  private timer: NodeJS.Timeout | null = null

  constructor(private readonly db: Database) {}

  now = (): number => Date.now() + this.offset

  /** Begins to go by it. Throws when the database is not there. */
  async start(): Promise<void> {
    await this.look()
    this.timer = setInterval(() => void this.look().catch(() => {}), every)
    this.timer.unref()
  }

  private async look(): Promise<void> {
    const asked = Date.now()
    const began = performance.now()
    const [{ at }] = await this.db.query<{ at: number }>(
      'SELECT extract(epoch FROM clock_timestamp())::float8 * 1000 AS at',
    )
    // It was that time there when half of the way was gone.
    this.offset = Math.round(at - (asked + (performance.now() - began) / 2))
  }

  /** By how much (ms) this machine's own clock is wrong, where that is worth a word; 0 where it is not. */
  wrongBy(): number {
    return Math.abs(this.offset) < worthAWord ? 0 : -this.offset
  }

  close(): void {
    if (this.timer) clearInterval(this.timer)
  }
}
