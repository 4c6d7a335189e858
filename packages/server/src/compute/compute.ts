import { availableParallelism } from 'node:os'
import type { OpenDatabase } from '../db/open.ts'
import { inTurn } from './inTurn.ts'
import type { Jobs } from './jobs.ts'
import { Lane, type LaneLimits, type RunOptions } from './lane.ts'

const minutes = (n: number) => n * 60_000

/**
 * The computing threads. What comes from outside has threads of its own, so that no file and no message can hold up posting or the
 * proof; and each has its limits.
 */
const lanes = {
  /** Never waited for longer than a blink. */
  quick: { memory: 2048, patience: minutes(5), forgets: false, restsFor: null, reads: false, jobs: './jobs.ts' },
  /** Proofs, posts, and whatever goes over whole rounds. */
  long: { memory: 4096, patience: minutes(10), forgets: true, restsFor: null, reads: false, jobs: './jobs.ts' },
  /** Reads tables, cards, letters and models that are given. */
  reading: { memory: 1024, patience: minutes(2), forgets: true, restsFor: minutes(1), reads: true, jobs: './jobs.ts' },
  /** Goes through the contents of files, which may take minutes. */
  files: { memory: 768, patience: minutes(2), forgets: true, restsFor: minutes(1), reads: true, jobs: './jobs.ts' },
  /** Makes papers and packs of whole rounds, and hands them to the practice mailbox: nothing else waits for that. */
  papers: { memory: 3072, patience: minutes(10), forgets: true, restsFor: minutes(1), reads: false, jobs: './jobs.ts' },
  /** Reads mail. */
  mail: {
    memory: 256,
    patience: minutes(0.5),
    forgets: true,
    restsFor: minutes(1),
    reads: true,
    jobs: './mailJobs.ts',
  },
} satisfies Record<string, LaneLimits>
type LaneName = keyof typeof lanes

const laneOf: Partial<Record<keyof Jobs, LaneName>> = {
  counts: 'quick',
  namesOf: 'quick',
  people: 'quick',
  leftOut: 'quick',
  editList: 'quick',
  undoEdit: 'quick',
  order: 'quick',
  derivedRows: 'quick',
  tryRecipe: 'quick',
  messages: 'quick',
  proofPeople: 'quick',
  board: 'quick',
  readFile: 'reading',
  readTable: 'reading',
  makeList: 'reading',
  compareList: 'reading',
  updateList: 'reading',
  readLetter: 'reading',
  letterFile: 'reading',
  readModel: 'reading',
  examine: 'files',
  unpack: 'files',
  paper: 'papers',
  mbox: 'papers',
  madeZip: 'papers',
  rehearse: 'papers',
  readIncoming: 'mail',
  readReceived: 'mail',
}

/** How many threads work at one thing side by side: as many as there are processors, four at most. */
export const sideBySide = Math.min(availableParallelism(), 4)

/** Runs jobs in the computing threads. What is most often wanted is there from the start; the others are begun when they are first needed. */
export class Compute {
  private readonly lanes: Record<LaneName, Lane>
  /** Threads that are there for one piece of work only. */
  private readonly passing = new Set<Lane>()

  /** @param filesFolder where the contents of files lie. */
  constructor(
    private readonly db: OpenDatabase,
    private readonly filesFolder: string,
  ) {
    const lane = (name: LaneName) => new Lane(db, filesFolder, lanes[name])
    this.lanes = {
      quick: lane('quick'),
      long: lane('long'),
      reading: lane('reading'),
      files: lane('files'),
      papers: lane('papers'),
      mail: lane('mail'),
    }
    this.lanes.quick.warm()
    this.lanes.long.warm()
    // Whoever has just started it most often brings something in; later it is begun while the file comes in.
    this.lanes.reading.warm()
  }

  /** Begins the thread of a job that will be wanted in a moment. */
  warm(name: keyof Jobs): void {
    this.lanes[laneOf[name] ?? 'long'].warm()
  }

  /**
   * Runs one job and gives its result.
   * @param options `onProgress` is called now and then while the job runs. When `signal` fires, the job stops at its next step, or
   *   with its thread when it does not within two seconds, and nothing of it is kept.
   * @throws Refusal when the job refuses, was cancelled, or had to be given up.
   */
  run<Name extends keyof Jobs>(
    name: Name,
    input: Parameters<Jobs[Name]>[0],
    options: RunOptions = {},
  ): Promise<Awaited<ReturnType<Jobs[Name]>>> {
    return this.lanes[laneOf[name] ?? 'long'].run(name, input, options)
  }

  /**
   * Runs one job for each input, several at a time, in threads that are begun for it and ended after it. Each result is handed
   * on as soon as it is there.
   * @throws what the first job throws that does, or a refusal when it is stopped; none is begun after that, and what was handed
   *   on before stays so.
   */
  async runEach<Name extends keyof Jobs>(
    name: Name,
    inputs: Parameters<Jobs[Name]>[0][],
    onResult: (result: Awaited<ReturnType<Jobs[Name]>>) => Promise<void>,
    options: RunOptions = {},
  ): Promise<void> {
    const own = Array.from(
      { length: Math.min(inputs.length, sideBySide) },
      () => new Lane(this.db, this.filesFolder, lanes.papers),
    )
    for (const lane of own) this.passing.add(lane)
    try {
      await inTurn(inputs, own, async (lane, input) => onResult(await lane.run(name, input, options)))
    } finally {
      for (const lane of own) {
        this.passing.delete(lane)
        await lane.close()
      }
    }
  }

  async close(): Promise<void> {
    await Promise.all([...Object.values(this.lanes), ...this.passing].map((lane) => lane.close()))
  }
}
