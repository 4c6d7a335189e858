import type { Database } from '../db/database.ts'
import type { FileStore } from '../files/fileStore.ts'
import { Refusal } from '../problem.ts'

/** What a job may use besides what it is given. */
export interface JobContext {
  db: Database
  files: FileStore
  /** The name of this process's place, under which it keeps what is its own. */
  place: string
  /** Says how far it is. Throws when the job was cancelled. */
  progress: (done: number, of: number, words: string) => void
}

/** The status of the refusal that says that something was cancelled, and that refusal. */
export const cancelled = 499
export const wasCancelled = (): Refusal =>
  new Refusal(cancelled, 'It was cancelled. Nothing was stored or changed.', 'Cancelled')

/** How far a job is. */
export interface Progress {
  done: number
  of: number
  words: string
}

export interface RunOptions {
  onProgress?: (p: Progress) => void
  signal?: AbortSignal
  /** Whether the job alone decides where it stops: its thread is not ended, because then nobody could say what had been written already. */
  gently?: boolean
}

// biome-ignore lint/suspicious/noExplicitAny: a job of any input; each room's own table says which.
type AnyJob = (input: any, context: JobContext) => unknown
type Input<Job> = Job extends (input: infer I, context: JobContext) => unknown ? I : never
type Result<Job> = Job extends AnyJob ? Awaited<ReturnType<Job>> : never

/** What runs jobs in the computing threads, as a room sees it that knows the table `Jobs`. */
export interface Computes<Jobs> {
  /**
   * Runs one job and gives its result.
   * @param options `onProgress` is called now and then while the job runs. When `signal` fires, the job stops at its next step, or
   *   with its thread when it does not within two seconds (but `gently`), and nothing of it is kept.
   * @throws Refusal when the job refuses, was cancelled, or had to be given up.
   */
  run<Name extends keyof Jobs & string>(
    name: Name,
    input: Input<Jobs[Name]>,
    options?: RunOptions,
  ): Promise<Result<Jobs[Name]>>
  /**
   * Runs one job for each input, several at a time, in threads that are begun for it and ended after it. Each result is handed
   * on as soon as it is there.
   * @throws what the first job throws that does, or a refusal when it is stopped; none is begun after that, and what was handed
   *   on before stays so.
   */
  runEach<Name extends keyof Jobs & string>(
    name: Name,
    inputs: Input<Jobs[Name]>[],
    onResult: (result: Result<Jobs[Name]>) => Promise<void>,
    options?: RunOptions,
  ): Promise<void>
  /** Begins the thread of a job that will be wanted in a moment. */
  warm(name: keyof Jobs & string): void
}
