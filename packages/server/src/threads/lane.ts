import type { ResourceLimits, Worker } from 'node:worker_threads'
import { type OpenDatabase, startThread } from '../db/open.ts'
import { Refusal } from '../problem.ts'
import { type Who, whoActs } from '../who.ts'
import { type Progress, type RunOptions, wasCancelled } from './job.ts'

/** What a computing thread may take, and what is said when it takes more. */
export interface LaneLimits {
  /** MB of its heap. */
  memory: number
  /** MB of its young heap: what is made and left at once is cleared away the less often the larger it is. The default is meant for one thread. */
  young: number
  /** How long (ms) a job may go without getting on. */
  patience: number
  /** Whether its thread forgets its rows whenever it rests. */
  forgets: boolean
  /** How long (ms) it rests until its thread is ended; null: it stays. */
  restsFor: number | null
  /** Whether what it reads comes from outside: then the fault is that of what was given. */
  reads: boolean
  /** The address of the module with its jobs, which exports them as `jobs`. */
  jobs: string
}

/** What a lane needs of a thread. */
export type Thread = Pick<Worker, 'postMessage' | 'on' | 'terminate'>
/** Begins a thread, as {@link startThread} does. */
export type BeginThread = (...given: Parameters<typeof startThread>) => Thread

/** How long (ms) a job that was cancelled has for stopping by itself. */
const stopsWithin = 2000

/** A refusal that says that a job took its thread with it, or was ended with it. */
export class Lost extends Refusal {}

type Answer = {
  id: number
  progress?: Progress
  result?: unknown
  fault?: { status: number; title: string; message: string; stack?: string }
}

interface Job {
  id: number
  name: string
  input: unknown
  cancelled: Int32Array
  /** In whose name it runs. */
  who: Who
  /** Whether its thread is left to it when it is cancelled. */
  gently: boolean
  resolve: (result: unknown) => void
  reject: (fault: Error) => void
  onProgress?: (p: Progress) => void
}

/**
 * A computing thread and what waits for it: one job after another. A job that needs too much memory, does not get on, or does not
 * stop when it is told to, ends with its thread; the next one finds a new thread.
 */
export class Lane {
  private readonly waiting: Job[] = []
  private current: Job | null = null
  private worker: Thread | null = null
  /** Whether the thread has begun: only then a job's time runs. */
  private ready = false
  private watch: NodeJS.Timeout | undefined
  private rest: NodeJS.Timeout | undefined
  private last = 0
  private closed = false

  constructor(
    private readonly db: OpenDatabase,
    private readonly filesFolder: string,
    private readonly place: string,
    /** The module that its thread begins with. */
    private readonly entry: URL,
    private readonly limits: LaneLimits,
    private readonly begin: BeginThread = startThread,
  ) {}

  /** Runs one job: see {@link Computes.run}. */
  run(name: string, input: unknown, { onProgress, signal, gently = false }: RunOptions = {}): Promise<unknown> {
    // Shared memory, because a job that computes without a pause reads no messages.
    const cancelled = new Int32Array(new SharedArrayBuffer(4))
    const id = ++this.last
    const cancel = () => this.cancel(id)
    const done = new Promise<unknown>((resolve, reject) => {
      // Who called may have gone already, before the job could be begun.
      if (signal?.aborted) return reject(wasCancelled())
      this.waiting.push({ id, name, input, cancelled, who: whoActs(), gently, resolve, reject, onProgress })
    })
    signal?.addEventListener('abort', cancel, { once: true })
    this.next()
    return done.finally(() => signal?.removeEventListener('abort', cancel))
  }

  /** How many jobs are under way, and how many wait. */
  load(): { running: number; waiting: number } {
    return { running: this.current === null ? 0 : 1, waiting: this.waiting.length }
  }

  /** Begins the thread before there is a job for it, so that the first one need not wait for that. */
  warm(): void {
    if (this.closed || this.worker) return
    this.worker = this.start()
    this.next()
  }

  /** Begins the next job, when none is under way. */
  private next(): void {
    if (this.current || this.closed) return
    clearTimeout(this.rest)
    const job = this.waiting.shift()
    if (!job) {
      if (this.limits.restsFor !== null && this.worker) {
        this.rest = setTimeout(() => this.endThread(), this.limits.restsFor)
        this.rest.unref()
      }
      return
    }
    this.current = job
    this.worker ??= this.start()
    const { id, name, input, cancelled, who } = job
    this.worker.postMessage({ id, name, input, cancelled, who })
    if (this.ready) this.getsOn()
  }

  /** Gives the job under way its time anew. */
  private getsOn(): void {
    clearTimeout(this.watch)
    this.watch = setTimeout(() => this.lose(this.words('did not get on', this.limits.patience)), this.limits.patience)
    this.watch.unref()
  }

  private start(): Thread {
    const database = this.db.port()
    const { memory, young, forgets, jobs } = this.limits
    const worker = this.begin(
      this.entry,
      { database, filesFolder: this.filesFolder, place: this.place, forgets, jobs },
      {
        transfer: [database],
        limits: { maxOldGenerationSizeMb: memory, maxYoungGenerationSizeMb: young } satisfies ResourceLimits,
      },
    )
    this.ready = false
    worker.on('message', (answer: Answer | { ready: true }) => {
      if (!('ready' in answer)) return this.hear(worker, answer)
      if (this.worker !== worker) return
      this.ready = true
      if (this.current) this.getsOn()
    })
    worker.on('error', (error: NodeJS.ErrnoException) => {
      if (this.worker === worker)
        this.lose(error.code === 'ERR_WORKER_OUT_OF_MEMORY' ? this.words('needs more memory than it may take') : error)
    })
    worker.on('exit', () => {
      if (this.worker === worker) this.lose(this.words('ended its thread'))
    })
    return worker
  }

  private hear(worker: Thread, { id, progress, result, fault }: Answer): void {
    const job = this.current
    if (this.worker !== worker || job?.id !== id) return
    if (progress) {
      this.getsOn()
      job.onProgress?.(progress)
      return
    }
    clearTimeout(this.watch)
    this.current = null
    if (!fault) job.resolve(result)
    else if (fault.status > 0) job.reject(new Refusal(fault.status, fault.message, fault.title))
    // Where it happened is for the log; what it says is for whoever asked.
    else job.reject(Object.assign(new Error(fault.message), { stack: fault.stack }))
    this.next()
  }

  private cancel(id: number): void {
    const place = this.waiting.findIndex((job) => job.id === id)
    if (place >= 0) {
      this.waiting.splice(place, 1)[0].reject(wasCancelled())
      return
    }
    const job = this.current
    if (job?.id !== id) return
    Atomics.store(job.cancelled, 0, 1)
    if (job.gently) return
    const timer = setTimeout(() => {
      if (this.current === job) this.lose(wasCancelled())
    }, stopsWithin)
    timer.unref()
  }

  /** Ends the thread with the job under way; what waits goes to a new thread. */
  private lose(why: Error): void {
    clearTimeout(this.watch)
    this.endThread()
    const job = this.current
    this.current = null
    job?.reject(why)
    this.next()
  }

  private endThread(): void {
    const worker = this.worker
    this.worker = null
    // What it had begun in the database is taken back when its port closes.
    void worker?.terminate()
  }

  private words(what: string, ms?: number): Lost {
    const time =
      ms === undefined
        ? ''
        : ` for ${ms >= 60_000 ? `${Math.round(ms / 60_000)} minutes` : `${Math.round(ms / 1000)} seconds`}`
    return this.limits.reads
      ? new Lost(
          422,
          `Reading this ${what}${time}, so it was given up. Nothing was stored. If it is a file of yours, open it in the program that made it, save it anew, or in smaller parts, and choose it again.`,
          'Given up',
        )
      : new Lost(
          503,
          `Computing this ${what}${time}, so it was given up. Nothing was changed; letters already posted are not touched by it. Try again, or start Hand Post anew.`,
          'Given up',
        )
  }

  async close(): Promise<void> {
    this.closed = true
    clearTimeout(this.watch)
    clearTimeout(this.rest)
    for (const job of [this.current, ...this.waiting]) job?.reject(new Refusal(503, 'Hand Post is ending.', 'Ending'))
    this.current = null
    this.waiting.length = 0
    const worker = this.worker
    this.worker = null
    await worker?.terminate()
  }
}
