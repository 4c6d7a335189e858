import type { BoardCharts } from '@hand-post/contract'
import { max } from 'd3-array'
import { scaleLinear } from 'd3-scale'
import { chartEdges, Upwards } from './chartParts.tsx'
import { Drawing } from './Drawing.tsx'
import { hourChart as say } from './words.ts'

const height = 170
const { top, bottom, left, right } = chartEdges

/** At which hour of the day letters were opened (outline) and answered (solid), where the mailbox is. */
export function HourChart({
  byHour: { opened, replied, timeZone },
  width,
  name,
}: {
  byHour: BoardCharts['byHour']
  width: number
  name: string
}) {
  const x = scaleLinear([0, 24], [left, Math.max(left + 60, width - right)])
  const y = scaleLinear([0, Math.max(1, max([...opened, ...replied])!)], [height - bottom, top]).nice()
  const wide = (x(1) - x(0)) / 2 - 1.5
  /** As many hours are written out as there is room for. */
  const every = [3, 6, 12].find((hours) => x(hours) - x(0) > 44) ?? 24
  const bar = (n: number, at: number, className: string) =>
    n > 0 && <rect x={at} y={y(n)} width={Math.max(1, wide)} height={y(0) - y(n)} className={className} />
  return (
    <Drawing
      title={say.title(timeZone)}
      name={name}
      width={width}
      height={height}
      label={say.label}
      heads={[say.hour, say.opened, say.replied]}
      rows={opened.map((n, hour) => [say.hourOf(hour), n, replied[hour]])}
    >
      <Upwards y={y} width={width} />
      {opened.map((n, hour) => (
        <g key={hour}>
          {bar(n, x(hour) + 1, 'fill-sheet stroke-ink')}
          {bar(replied[hour], x(hour) + 1 + (x(1) - x(0)) / 2, 'fill-post')}
          {hour % every === 0 && (
            <text x={x(hour)} y={height - 6} textAnchor="middle" className="fill-ink-2">
              {say.hourOf(hour)}
            </text>
          )}
        </g>
      ))}
      {[
        { words: say.opened, className: 'fill-sheet stroke-ink', at: top + 8 },
        { words: say.replied, className: 'fill-post', at: top + 28 },
      ].map(({ words, className, at }) => (
        <g key={words}>
          <rect x={width - right + 10} y={at - 9} width={11} height={11} className={className} />
          <text x={width - right + 27} y={at + 1} className="fill-ink text-[13px]">
            {words}
          </text>
        </g>
      ))}
    </Drawing>
  )
}
