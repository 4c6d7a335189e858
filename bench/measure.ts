import { giveDatabase } from '../packages/server/test/template.ts'

/** One figure: what was measured against what, and whether it is within what is asked. */
export interface Figure {
  name: string
  ours: number
  baseline: number
  unit: string
  /** The figure asked for, in words, and whether the measured one keeps it. */
  asked: string
  kept: boolean
}

/**
 * Runs two works in turn, several times, and gives the quickest of each in milliseconds: what the machine can do when
 * nothing else disturbs it, and both under the same weather.
 */
export async function quickest(times: number, first: () => unknown, second: () => unknown): Promise<[number, number]> {
  const best: [number, number] = [Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY]
  for (let i = 0; i < often(times); i++)
    for (const [n, work] of [first, second].entries()) {
      const start = performance.now()
      await work()
      best[n] = Math.min(best[n], performance.now() - start)
    }
  return best
}

/** Whether only a small run is wanted, which shows that everything is still measured, and not how fast it is. */
export const small = process.env.BENCH_SMALL === '1'

/** How many there are: as many as the figure asks for, or a fiftieth of them in a small run. */
export const sized = (n: number): number => (small ? Math.max(20, Math.ceil(n / 50)) : n)

/** Gives a data folder the database that the tests made, in a small run, where there is one: making it anew takes seconds. */
export const beginWith = (folder: string): void => {
  if (small) giveDatabase(folder)
}

/** How often something is measured: once in a small run. */
export const often = (times: number): number => (small ? 1 : times)

/** How long (ms) something is watched or left in peace: hardly at all in a small run. */
export const pause = (ms: number): number => (small ? Math.min(ms, 200) : ms)

/** Prints a figure as a line. One that is not kept makes the program end with 1, when all the others have been measured too. */
export function print({ name, ours, baseline, unit, asked, kept }: Figure): void {
  if (!kept && !small) process.exitCode = 1
  const n = (x: number) => x.toLocaleString('en-GB', { maximumFractionDigits: x < 10 ? 2 : 0 })
  console.log(
    `${name}\n  ours ${n(ours)} ${unit}, baseline ${n(baseline)} ${unit}, ratio ${(ours / baseline).toFixed(2)}; asked: ${asked}: ${kept ? 'kept' : 'NOT KEPT'}`,
  )
}
