import type { Life } from '@hand-post/contract'
import { max } from 'd3-array'
import { scaleLinear } from 'd3-scale'
import { lifeChart as say } from './words.ts'

const width = 168
const above = 20
const below = 10
const line = above + 1

/**
 * A round's life, drawn small: above the line the letters, solid where they have gone and in outline where they are to go; below it the
 * people who answered. Of one size whatever the numbers are: they stand beside it in words.
 */
export function LifeChart({ life }: { life: Life }) {
  const letters = life.gone.map((gone, i) => gone + life.toGo[i])
  const x = scaleLinear([0, life.gone.length], [0, width])
  const up = scaleLinear([0, max(letters) || 1], [0, above])
  const down = scaleLinear([0, max(life.answered) || 1], [0, below])
  const wide = x(1) - 1.5
  /** What there is at all can be seen. */
  const seen = (height: number, n: number) => (n > 0 ? Math.max(2, height) : 0)
  return (
    <svg width={width} height={line + 2 + below} role="img" aria-label={say.life(life)} className="block">
      {letters.map((n, i) => {
        const tall = seen(up(n), n)
        const done = n === 0 ? 0 : (tall * life.gone[i]) / n
        return (
          <g key={i}>
            {n > 0 && (
              <rect
                x={x(i) + 0.5}
                y={line - tall}
                width={wide}
                height={tall}
                className="fill-sheet stroke-post"
                strokeWidth={0.75}
              />
            )}
            {done > 0 && <rect x={x(i) + 0.5} y={line - done} width={wide} height={done} className="fill-post" />}
            {life.answered[i] > 0 && (
              <rect
                x={x(i) + 0.5}
                y={line + 1}
                width={wide}
                height={seen(down(life.answered[i]), life.answered[i])}
                className="fill-ink-2"
              />
            )}
          </g>
        )
      })}
      <line x1={0} x2={width} y1={line + 0.5} y2={line + 0.5} className="stroke-ink-2" strokeWidth={0.75} />
    </svg>
  )
}
