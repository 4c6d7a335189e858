import { availableParallelism } from 'node:os'
import type { Worker } from 'node:worker_threads'
import { type OpenDatabase, startThread } from '../db/open.ts'
import { Refusal } from '../problem.ts'
import { inTurn } from './inTurn.ts'
import type { Jobs } from './jobs.ts'

export interface Progress {
  done: number
  of: number
  words: string
}

type Answer = {
  id: number
  progress?: Progress
  result?: unknown
  fault?: { status: number; title: string; message: string }
}

/** Jobs that are never waited for longer than a blink: they have a thread of their own beside those that read, proof or post. */
const quickJobs = new Set<keyof Jobs>([
  'counts',
  'people',
  'leftOut',
  'editList',
  'undoEdit',
  'order',
  'derivedRows',
  'tryRecipe',
  'messages',
  'proofPeople',
  'readReceived',
])

/** Jobs that go through the contents of files, which may take minutes: nothing else waits for them. */
const fileJobs = new Set<keyof Jobs>(['examine', 'unpack', 'paper', 'mbox', 'madeZip', 'rehearse'])

/** How many threads work at one thing side by side: as many as there are processors, four at most. */
export const sideBySide = Math.min(availableParallelism(), 4)

/** Runs jobs in the computing threads. */
export class Compute {
  private readonly quick: Lane
  private readonly long: Lane
  /** Begun when it is first needed: a thread takes its memory, and many rounds have no files. */
  private files: Lane | null = null
  /** Threads that are there for one piece of work only. */
  private readonly passing = new Set<Lane>()

  /** @param filesFolder where the contents of files lie. */
  constructor(
    private readonly db: OpenDatabase,
    private readonly filesFolder: string,
  ) {
    this.quick = new Lane(db, filesFolder, false)
    this.long = new Lane(db, filesFolder, true)
  }

  /**
   * Runs one job and gives its result.
   * @param onProgress called now and then while the job runs.
   * @param signal when it fires, the job stops at its next step, and nothing of it is kept.
   */
  run<Name extends keyof Jobs>(
    name: Name,
    input: Parameters<Jobs[Name]>[0],
    options: { onProgress?: (p: Progress) => void; signal?: AbortSignal } = {},
  ): Promise<Awaited<ReturnType<Jobs[Name]>>> {
    if (fileJobs.has(name)) this.files ??= new Lane(this.db, this.filesFolder, true)
    const lane = quickJobs.has(name) ? this.quick : fileJobs.has(name) ? this.files! : this.long
    return lane.run(name, input, options)
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
    options: { onProgress?: (p: Progress) => void; signal?: AbortSignal } = {},
  ): Promise<void> {
    const lanes = Array.from(
      { length: Math.min(inputs.length, sideBySide) },
      () => new Lane(this.db, this.filesFolder, true),
    )
    for (const lane of lanes) this.passing.add(lane)
    try {
      await inTurn(inputs, lanes, async (lane, input) => onResult(await lane.run(name, input, options)))
    } finally {
      for (const lane of lanes) {
        this.passing.delete(lane)
        await lane.close()
      }
    }
  }

  async close(): Promise<void> {
    await Promise.all([this.quick, this.long, this.files, ...this.passing].map((lane) => lane?.close()))
  }
}

/** One computing thread: one job after another. */
class Lane {
  private readonly open = new Map<
    number,
    { resolve: (result: unknown) => void; reject: (fault: Error) => void; onProgress?: (p: Progress) => void }
  >()
  private last = 0
  private worker: Worker

  constructor(
    private readonly db: OpenDatabase,
    private readonly filesFolder: string,
    /** Whether the thread forgets its rows whenever it rests. */
    private readonly forgets: boolean,
  ) {
    this.worker = this.start()
  }

  private start(): Worker {
    const database = this.db.port()
    const worker = startThread(
      new URL('./thread.ts', import.meta.url),
      { database, filesFolder: this.filesFolder, forgets: this.forgets },
      [database],
    )
    worker.on('message', ({ id, progress, result, fault }: Answer) => {
      const job = this.open.get(id)
      if (!job) return
      if (progress) return job.onProgress?.(progress)
      this.open.delete(id)
      if (fault)
        job.reject(fault.status > 0 ? new Refusal(fault.status, fault.message, fault.title) : new Error(fault.message))
      else job.resolve(result)
    })
    // A job that breaks the thread (out of memory, say) must not take the desk with it.
    worker.on('error', (error) => {
      for (const job of this.open.values()) job.reject(error)
      this.open.clear()
      this.worker = this.start()
    })
    return worker
  }

  run<Name extends keyof Jobs>(
    name: Name,
    input: Parameters<Jobs[Name]>[0],
    { onProgress, signal }: { onProgress?: (p: Progress) => void; signal?: AbortSignal } = {},
  ): Promise<Awaited<ReturnType<Jobs[Name]>>> {
    const id = ++this.last
    // Shared memory, because a job that computes without a pause reads no messages.
    const cancelled = new Int32Array(new SharedArrayBuffer(4))
    // Who called may have gone already, before the job could be begun.
    if (signal?.aborted) Atomics.store(cancelled, 0, 1)
    const cancel = () => Atomics.store(cancelled, 0, 1)
    signal?.addEventListener('abort', cancel, { once: true })
    return new Promise<Awaited<ReturnType<Jobs[Name]>>>((resolve, reject) => {
      this.open.set(id, { resolve: resolve as (result: unknown) => void, reject, onProgress })
      this.worker.postMessage({ id, name, input, cancelled })
    }).finally(() => signal?.removeEventListener('abort', cancel))
  }

  async close(): Promise<void> {
    await this.worker.terminate()
  }
}
