import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { max, sum } from 'd3-array'
import { scaleLinear } from 'd3-scale'
import { ask } from '../api.ts'
import { hourOf, moment } from '../shared/moment.ts'
import { keys } from '../shared/queries.ts'
import { useWidth } from '../shared/useWidth.ts'
import { useChart as say } from './words.ts'

const height = 56
const top = 14
const right = 64

/** The use of a mailbox by the hour: what has left in the last day, solid, with other mail in another tone; what is planned for the next, in outline. */
export function UseChart({ mailbox, zone }: { mailbox: number; zone: string }) {
  const [ref, width] = useWidth<HTMLDivElement>()
  const use = useQuery({
    queryKey: [...keys.mailboxes(), 'use', mailbox],
    queryFn: ({ signal }) => ask(routes.mailboxUse, { params: { mailbox }, signal }),
  }).data
  const hours = use?.hours ?? []
  const [gone, other, planned] = [sum(hours, (h) => h.gone), sum(hours, (h) => h.other), sum(hours, (h) => h.planned)]
  const x = scaleLinear([0, 48], [0, Math.max(100, width - right)])
  const most = max(hours, (h) => h.gone + h.other + h.planned) || 1
  const y = scaleLinear([0, most], [0, height - top])
  const seen = (n: number) => (n > 0 ? Math.max(2, y(n)) : 0)
  const busy = hours.filter((h) => h.gone + h.other + h.planned > 0)
  return (
    // As high before it is there as it will be.
    <figure ref={ref} style={{ minHeight: height + 44 }}>
      <figcaption className="text-[14px]">{use ? say.sentence(gone, other, planned) : say.counting}</figcaption>
      {use && width > 0 && (
        <svg width={width} height={height + 20} role="img" aria-label={say.chart} className="block text-[12px]">
          {busy.length > 0 && (
            <text x={x(48) + 6} y={top + 4} className="fill-ink-2">
              {say.most(most)}
            </text>
          )}
          <line x1={0} x2={x(48)} y1={top} y2={top} className="stroke-rule" />
          {hours.map((hour, i) => (
            <g key={hour.at}>
              <rect
                x={x(i) + 1}
                width={x(1) - 2}
                y={height - seen(hour.gone)}
                height={seen(hour.gone)}
                className="fill-post"
              />
              <rect
                x={x(i) + 1}
                width={x(1) - 2}
                y={height - seen(hour.gone) - seen(hour.other)}
                height={seen(hour.other)}
                className="fill-note-tint stroke-note"
                strokeDasharray="2 1"
                strokeWidth={0.75}
              />
              <rect
                x={x(i) + 1}
                width={x(1) - 2}
                y={height - seen(hour.gone) - seen(hour.other) - seen(hour.planned)}
                height={seen(hour.planned)}
                className="fill-sheet stroke-post"
                strokeWidth={0.75}
              />
            </g>
          ))}
          <line x1={0} x2={x(48)} y1={height + 0.5} y2={height + 0.5} className="stroke-ink-2" />
          <line x1={x(24)} x2={x(24)} y1={top - 4} y2={height + 4} className="stroke-ink" strokeDasharray="3 2" />
          {[0, 6, 12, 18, 24, 30, 36, 42, 48].map((i) => (
            <text
              key={i}
              x={x(i)}
              y={height + 16}
              textAnchor={i === 0 ? 'start' : i === 48 ? 'end' : 'middle'}
              className={i === 24 ? 'fill-ink' : 'fill-ink-2'}
            >
              {i === 24 ? say.now : hourOf(use.now + (i - 24) * 3_600_000, zone)}
            </text>
          ))}
        </svg>
      )}
      {busy.length > 0 && use && (
        <details className="text-[13px]">
          <summary className="cursor-pointer text-ink-2">{say.asTable}</summary>
          <table className="mt-1">
            <thead>
              <tr className="text-left">
                {[say.hour, say.gone, say.other, say.planned].map((head) => (
                  <th key={head} scope="col" className="pr-6">
                    {head}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {busy.map((hour) => (
                <tr key={hour.at}>
                  <th scope="row" className="pr-6 text-left font-normal">
                    {moment(hour.at, zone)}
                  </th>
                  <td className="pr-6">{hour.gone}</td>
                  <td className="pr-6">{hour.other}</td>
                  <td className="pr-6">{hour.planned}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </details>
      )}
    </figure>
  )
}
