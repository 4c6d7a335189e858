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
  for (let i = 0; i < times; i++)
    for (const [n, work] of [first, second].entries()) {
      const start = performance.now()
      await work()
      best[n] = Math.min(best[n], performance.now() - start)
    }
  return best
}

/** Prints a figure as a line. */
export function print({ name, ours, baseline, unit, asked, kept }: Figure): void {
  const n = (x: number) => x.toLocaleString('en-GB', { maximumFractionDigits: x < 10 ? 2 : 0 })
  console.log(
    `${name}\n  ours ${n(ours)} ${unit}, baseline ${n(baseline)} ${unit}, ratio ${(ours / baseline).toFixed(2)}; asked: ${asked}: ${kept ? 'kept' : 'NOT KEPT'}`,
  )
}
