import type { Board } from '@hand-post/contract'
import { isPersons } from '@hand-post/core'
import { extent } from 'd3-array'
import { scaleLinear, scaleTime } from 'd3-scale'
import { curveStepAfter, line } from 'd3-shape'
import { format } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'
import { moment } from '../shared/moment.ts'
import { useWidth } from '../shared/useWidth.ts'
import { timelineChart as say } from './words.ts'

const height = 170
const top = 14
const bottom = 24
const left = 34
const right = 118

/** The lines that are drawn, with their words; the strongest in the accent. */
const lines = [
  { kind: 'sent', words: 'sent', style: 'stroke-ink-2', dash: '' },
  { kind: 'open', words: 'opened', style: 'stroke-ink', dash: '5 3' },
  { kind: 'reply', words: 'replied', style: 'stroke-post', dash: '' },
  { kind: 'bounce', words: 'bounced', style: 'stroke-stop', dash: '2 2' },
] as const

/** How many letters had gone, been opened, answered or returned by each moment: people, not events. */
export function TimelineChart({ board }: { board: Board }) {
  const [ref, width] = useWidth<HTMLDivElement>()
  const firsts = (kind: (typeof lines)[number]['kind']): number[] =>
    board.people
      .map((p) =>
        kind === 'sent' ? p.sentAt : p.responses.find((r) => r.kind === kind && !r.automatic && isPersons(r))?.at,
      )
      .filter((at): at is number => at !== null && at !== undefined)
      .sort((a, b) => a - b)
  const drawn = lines.map((l) => ({ ...l, at: firsts(l.kind) })).filter((l) => l.at.length > 0)
  const [from, to] = extent(drawn.flatMap((l) => l.at))
  if (from === undefined || to === undefined) return null
  const x = scaleTime([from, Math.max(to, from + 60_000)], [left, Math.max(left + 60, width - right)])
  const y = scaleLinear([0, Math.max(1, ...drawn.map((l) => l.at.length))], [height - bottom, top]).nice()
  const path = line<[number, number]>(
    ([at]) => x(at),
    ([, n]) => y(n),
  ).curve(curveStepAfter)
  // Labels stand at the line's end; those that would overlap move apart.
  const labels = drawn.map((l) => ({ ...l, y: y(l.at.length) })).sort((a, b) => a.y - b.y)
  labels.forEach((l, i) => {
    if (i > 0) l.y = Math.max(l.y, labels[i - 1].y + 15)
  })
  return (
    <figure ref={ref}>
      <svg width={width} height={height} role="img" aria-label={say.whatCameBackOver} className="block text-[12px]">
        {y
          .ticks(4)
          .filter(Number.isInteger)
          .map((n) => (
            <g key={n}>
              <line x1={left} x2={width - right} y1={y(n)} y2={y(n)} className="stroke-rule" />
              <text x={left - 6} y={y(n) + 4} textAnchor="end" className="fill-ink-2">
                {n}
              </text>
            </g>
          ))}
        {x.ticks(Math.max(2, Math.floor((width - left - right) / 110))).map((tick) => (
          <text key={+tick} x={x(tick)} y={height - 6} textAnchor="middle" className="fill-ink-2">
            {format(tick, to - from > 2 * 86_400_000 ? 'd MMM' : 'EEE HH:mm', { locale: enGB })}
          </text>
        ))}
        {drawn.map(({ kind, at, style, dash }) => (
          <path
            key={kind}
            fill="none"
            strokeWidth={1.75}
            strokeDasharray={dash}
            className={style}
            d={path([[at[0], 0], ...at.map((t, i): [number, number] => [t, i + 1]), [to, at.length]]) ?? ''}
          />
        ))}
        {labels.map(({ kind, words, at, y }) => (
          <text key={kind} x={width - right + 8} y={y + 4} className="fill-ink text-[13px]">
            {at.length} {words}
          </text>
        ))}
      </svg>
      <details className="text-[13px]">
        <summary className="cursor-pointer text-ink-2">{say.asTable}</summary>
        <table className="mt-1">
          <thead>
            <tr className="text-left">
              {[say.what, say.howMany, say.first, say.last].map((h) => (
                <th key={h} scope="col" className="pr-6">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {drawn.map(({ kind, words, at }) => (
              <tr key={kind}>
                <th scope="row" className="pr-6 text-left font-normal">
                  {words}
                </th>
                <td className="pr-6">{at.length}</td>
                <td className="pr-6">{moment(at[0])}</td>
                <td className="pr-6">{moment(at.at(-1))}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </figure>
  )
}
