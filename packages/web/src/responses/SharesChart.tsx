import type { RoundOfList } from '@hand-post/contract'
import { scaleLinear, scalePoint } from 'd3-scale'
import { line } from 'd3-shape'
import { monthOf } from '../shared/moment.ts'
import { apart, chartEdges, Upwards } from './chartParts.tsx'
import { Drawing } from './Drawing.tsx'
import { roundsOfList as say } from './words.ts'

const height = 190
const { top, bottom, left, right } = chartEdges
/** Pixels that the words under a round want. */
const labelWidth = 64

/** What share a round has of each: null where there is none, or it was not counted. */
const shares: Record<keyof typeof say.lines, (round: RoundOfList) => [n: number, of: number] | null> = {
  arrived: ({ counts }) => (counts.sent === 0 ? null : [counts.arrived, counts.sent]),
  opened: ({ counts, tracking }) => (counts.arrived === 0 || !tracking.opens ? null : [counts.opened, counts.arrived]),
  replied: ({ counts }) => (counts.arrived === 0 ? null : [counts.replied, counts.arrived]),
}
const styles: Record<keyof typeof shares, { style: string; fill: string; dash: string }> = {
  arrived: { style: 'stroke-ink-2', fill: 'fill-ink-2', dash: '2 2' },
  opened: { style: 'stroke-ink-2', fill: 'fill-ink-2', dash: '6 3' },
  replied: { style: 'stroke-post', fill: 'fill-post', dash: '' },
}

/** What share of the letters arrived, was opened and was answered, round after round: the earliest at the left. */
export function SharesChart({ rounds, width, name }: { rounds: RoundOfList[]; width: number; name: string }) {
  const inOrder = [...rounds].reverse()
  const x = scalePoint(
    inOrder.map((round) => round.roundId),
    [left + 12, Math.max(left + 60, width - right)],
  )
  const y = scaleLinear([0, 100], [height - bottom, top])
  const points = (which: keyof typeof shares) =>
    inOrder.map((round): [number, number] | null => {
      const share = shares[which](round)
      return share && [x(round.roundId)!, y((100 * share[0]) / share[1])]
    })
  const path = line<[number, number] | null>(
    (point) => point![0],
    (point) => point![1],
  ).defined((point) => point !== null)
  const drawn = (Object.keys(shares) as (keyof typeof shares)[])
    .map((which) => ({ which, points: points(which), ...styles[which] }))
    .filter((one) => one.points.some((point) => point !== null))
  const labels = apart(
    drawn.map(({ which, points }) => {
      const [px, py] = points.findLast((point) => point !== null)!
      return { which, x: px, y: py }
    }),
  )
  const everySo = Math.max(1, Math.ceil((inOrder.length * labelWidth) / Math.max(1, width - right - left)))
  return (
    <Drawing
      title={say.shares}
      name={name}
      width={width}
      height={height}
      label={say.sharesLabel}
      heads={[say.heads.round, say.heads.posted, ...drawn.map(({ which }) => say.lines[which])]}
      rows={inOrder.map((round) => [
        round.title,
        monthOf(round.postedAt),
        ...drawn.map(({ which }) => {
          const share = shares[which](round)
          return share === null ? say.nobody : say.of(...share)
        }),
      ])}
    >
      <Upwards y={y} width={width} words={say.percent} />
      {inOrder.map((round, i) =>
        (inOrder.length - 1 - i) % everySo === 0 ? (
          <text key={round.roundId} x={x(round.roundId)} y={height - 6} textAnchor="middle" className="fill-ink-2">
            {monthOf(round.postedAt)}
          </text>
        ) : null,
      )}
      {drawn.map(({ which, points, style, fill, dash }) => (
        <g key={which}>
          <path fill="none" strokeWidth={1.75} strokeDasharray={dash} className={style} d={path(points) ?? ''} />
          {points.map(
            (point, i) =>
              point && <circle key={inOrder[i].roundId} cx={point[0]} cy={point[1]} r={3} className={fill} />,
          )}
        </g>
      ))}
      {labels.map(({ which, x: at, y: up }) => (
        <text key={which} x={at + 10} y={up + 4} className="fill-ink text-[13px]">
          {say.lines[which]}
        </text>
      ))}
    </Drawing>
  )
}
