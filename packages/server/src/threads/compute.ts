import { availableParallelism } from 'node:os'
import type { OpenDatabase } from '../db/open.ts'
import type { Computes, RunOptions } from './job.ts'
import { type BeginThread, Lane, type LaneLimits } from './lane.ts'
import { runPool } from './runPool.ts'

/** How many threads work at one thing side by side: as many as there are processors, four at most. */
export const sideBySide = Math.min(availableParallelism(), 4)

/** Which lanes there are, and which job runs in which. */
export interface Lanes {
  /** The module that a thread begins with. */
  entry: URL
  /** How it is begun, where that is not as a thread; for tests. */
  begin?: BeginThread
  lanes: Record<string, LaneLimits>
  laneOf: (job: string) => string
  /** Lanes whose thread is there from the start; the others are begun when they are first needed. */
  fromTheStart: string[]
  /** The lane after which threads are made that are there for one piece of work. */
  passing: string
}

/** What a lane of computing threads has to do: jobs under way, and waiting. */
export interface Load {
  lane: string
  running: number
  waiting: number
}

/** Runs jobs in the computing threads. Each room gives it the table of its own jobs as `Computes<…>`; the app holds them all. */
export class Compute implements Computes<Record<string, never>> {
  private readonly lanes = new Map<string, Lane>()
  /** Threads that are there for one piece of work only. */
  private readonly passing = new Set<Lane>()

  /**
   * @param filesFolder where the contents of files lie.
   * @param place the name of this process's place.
   */
  constructor(
    private readonly db: OpenDatabase,
    private readonly filesFolder: string,
    private readonly place: string,
    private readonly given: Lanes,
  ) {
    for (const [name, limits] of Object.entries(given.lanes)) this.lanes.set(name, this.lane(limits))
    for (const name of given.fromTheStart) this.lanes.get(name)!.warm()
  }

  private lane(limits: LaneLimits): Lane {
    return new Lane(this.db, this.filesFolder, this.place, this.given.entry, limits, this.given.begin)
  }

  private laneOf(name: string): Lane {
    return this.lanes.get(this.given.laneOf(name))!
  }

  /** How much each lane has to do. */
  load(): Load[] {
    return [...this.lanes].map(([lane, one]) => ({ lane, ...one.load() }))
  }

  warm(name: string): void {
    this.laneOf(name).warm()
  }

  run(name: string, input: unknown, options: RunOptions = {}): Promise<never> {
    return this.laneOf(name).run(name, input, options) as Promise<never>
  }

  async runEach(
    name: string,
    inputs: unknown[],
    onResult: (result: never) => Promise<void>,
    options: RunOptions = {},
  ): Promise<void> {
    const own = Array.from({ length: Math.min(inputs.length, sideBySide) }, () =>
      this.lane(this.given.lanes[this.given.passing]),
    )
    for (const lane of own) this.passing.add(lane)
    try {
      await runPool(inputs, own, async (lane, input) => onResult((await lane.run(name, input, options)) as never))
    } finally {
      for (const lane of own) {
        this.passing.delete(lane)
        await lane.close()
      }
    }
  }

  async close(): Promise<void> {
    await Promise.all([...this.lanes.values(), ...this.passing].map((lane) => lane.close()))
  }
}
