import type { ScaleLinear } from 'd3-scale'

/** Pixels around what a chart draws: room for its figures, its moments, and the words at the ends of its lines. */
export const chartEdges = { top: 14, bottom: 24, left: 38, right: 118 }

/** The figures at the left of a chart, with a line across for each. */
export function Upwards({
  y,
  width,
  words = String,
}: {
  y: ScaleLinear<number, number>
  width: number
  words?: (n: number) => string
}) {
  const { left, right } = chartEdges
  return y
    .ticks(4)
    .filter(Number.isInteger)
    .map((n) => (
      <g key={n}>
        <line x1={left} x2={width - right} y1={y(n)} y2={y(n)} className="stroke-rule" />
        <text x={left - 6} y={y(n) + 4} textAnchor="end" className="fill-ink-2">
          {words(n)}
        </text>
      </g>
    ))
}

/** Pixels between the words at the ends of two lines. */
const between = 15
/** The words at the ends of lines, from the uppermost: those that would overlap move apart. */
export function apart<Label extends { y: number }>(labels: Label[]): Label[] {
  const ordered = [...labels].sort((a, b) => a.y - b.y)
  ordered.forEach((label, i) => {
    if (i > 0) label.y = Math.max(label.y, ordered[i - 1].y + between)
  })
  return ordered
}
