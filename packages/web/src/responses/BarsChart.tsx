import { scaleLinear } from 'd3-scale'
import { Drawing } from './Drawing.tsx'
import { barsChart as say } from './words.ts'

const line = 30
const left = 4
const right = 96
/** How many characters of what a bar is about are drawn; the table has it whole. */
const drawnWords = 60

/** Bars under each other, each with its words above it and its share behind it. */
export function BarsChart({
  bars,
  of,
  width,
  ...drawing
}: {
  bars: {
    words: string
    n: number
    /** Drawn as an outline: it is what is left over. */
    rest?: boolean
  }[]
  /** Of how many each is a share. */
  of: number
  width: number
  title: string
  name: string
  label: string
  heads: [string, string]
}) {
  const x = scaleLinear([0, Math.max(1, ...bars.map(({ n }) => n))], [left, Math.max(left + 60, width - right)])
  return (
    <Drawing
      {...drawing}
      width={width}
      height={line * bars.length + 6}
      rows={bars.map(({ words, n }) => [words, say.share(n, of)])}
    >
      {bars.map(({ words, n, rest }, i) => (
        <g key={words}>
          <text x={left} y={i * line + 13} className="fill-ink text-[13px]">
            {words.length > drawnWords ? `${words.slice(0, drawnWords - 1).trimEnd()}…` : words}
          </text>
          <rect
            x={left}
            y={i * line + 17}
            width={Math.max(1, x(n) - left)}
            height={8}
            className={rest ? 'fill-sheet-2 stroke-ink-2' : 'fill-post'}
          />
          <text x={x(n) + 8} y={i * line + 25} className="fill-ink-2">
            {say.share(n, of)}
          </text>
        </g>
      ))}
    </Drawing>
  )
}
