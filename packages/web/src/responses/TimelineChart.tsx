import type { BoardCharts } from '@hand-post/contract'
import { scaleLinear, scaleTime } from 'd3-scale'
import { curveStepAfter, line } from 'd3-shape'
import { format } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'
import { moment } from '../shared/moment.ts'
import { apart, chartEdges, Upwards } from './chartParts.tsx'
import { Drawing } from './Drawing.tsx'
import { timelineChart as say } from './words.ts'

const height = 170
const { top, bottom, left, right } = chartEdges

/** How each line is drawn; what matters most in the accent. */
const styles: Record<BoardCharts['overTime']['lines'][number]['kind'], { style: string; dash: string }> = {
  sent: { style: 'stroke-ink-2', dash: '' },
  opened: { style: 'stroke-ink', dash: '5 3' },
  replied: { style: 'stroke-post', dash: '' },
  bounced: { style: 'stroke-stop', dash: '2 2' },
}

/** How many letters had gone, been opened, answered or returned by each moment: people, not events. */
export function TimelineChart({
  overTime: { from, step, lines },
  width,
  name,
}: {
  overTime: BoardCharts['overTime']
  width: number
  name: string
}) {
  const to = Math.max(...lines.map((l) => l.last))
  const x = scaleTime([from, Math.max(to, from + 60_000)], [left, Math.max(left + 60, width - right)])
  const y = scaleLinear([0, Math.max(1, ...lines.map((l) => l.count))], [height - bottom, top]).nice()
  const path = line<[number, number]>(
    ([at]) => x(at),
    ([, n]) => y(n),
  ).curve(curveStepAfter)
  const labels = apart(lines.map((l) => ({ ...l, y: y(l.count) })))
  return (
    <Drawing
      title={say.title}
      name={name}
      width={width}
      height={height}
      label={say.whatCameBackOver}
      heads={[say.what, say.howMany, say.first, say.last]}
      rows={lines.map((l) => [say.kinds[l.kind], l.count, moment(l.first), moment(l.last)])}
    >
      <Upwards y={y} width={width} />
      {x.ticks(Math.max(2, Math.floor((width - left - right) / 110))).map((tick) => (
        <text key={+tick} x={x(tick)} y={height - 6} textAnchor="middle" className="fill-ink-2">
          {format(tick, to - from > 2 * 86_400_000 ? 'd MMM' : 'EEE HH:mm', { locale: enGB })}
        </text>
      ))}
      {lines.map(({ kind, first, last, count, some }) => {
        let sum = 0
        const points = some.map(([at, n]): [number, number] => {
          sum += n
          // A stretch stands at its middle, and never before the first nor after the last.
          return [Math.min(last, Math.max(first, from + (at + 0.5) * step)), sum]
        })
        return (
          <path
            key={kind}
            fill="none"
            strokeWidth={1.75}
            strokeDasharray={styles[kind].dash}
            className={styles[kind].style}
            d={path([[first, 0], ...points, [to, count]]) ?? ''}
          />
        )
      })}
      {labels.map(({ kind, count, y }) => (
        <text key={kind} x={width - right + 8} y={y + 4} className="fill-ink text-[13px]">
          {count} {say.kinds[kind]}
        </text>
      ))}
    </Drawing>
  )
}
