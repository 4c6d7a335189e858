import type { ComparedRound } from '@hand-post/contract'
import { scaleLinear } from 'd3-scale'
import { curveMonotoneX, line } from 'd3-shape'
import { apart, chartEdges, Upwards } from './chartParts.tsx'
import { Drawing } from './Drawing.tsx'
import { comparedChart as say } from './words.ts'

const height = 170
/** Pixels that the name of a day wants. */
const labelWidth = 50
const { top, bottom, left, right } = chartEdges
/** The latest round in the accent, the earlier ones told apart by their dashes. */
const styles = [
  { style: 'stroke-post', dash: '' },
  { style: 'stroke-ink-2', dash: '' },
  { style: 'stroke-ink-2', dash: '6 3' },
  { style: 'stroke-ink-2', dash: '2 2' },
]

/** How many rounds can be told apart in one drawing. */
export const mostDrawn = styles.length

/** Of the letters that arrived, how many were answered within so many days: of this round and of earlier ones to the same list. */
export function ComparedChart({ compared, width, name }: { compared: ComparedRound[]; width: number; name: string }) {
  const share = (one: ComparedRound['after'][number]) => (100 * one.replied) / one.arrived
  const drawn = compared.map((round, i) => ({ ...round, ...styles[i] })).filter((round) => round.after.length > 0)
  const days = [...new Set(drawn.flatMap((round) => round.after.map((one) => one.days)))].sort((a, b) => a - b)
  const x = scaleLinear([0, days.length], [left, Math.max(left + 60, width - right)])
  const at = (day: number) => x(days.indexOf(day) + 1)
  const y = scaleLinear([0, Math.max(10, ...drawn.flatMap((r) => r.after.map(share)))], [height - bottom, top]).nice()
  const path = line<[number, number]>(
    ([px]) => px,
    ([, py]) => py,
  ).curve(curveMonotoneX)
  const called = shortTitles(drawn)
  // As many of the days are named as there is room for, the last in any case.
  const everySo = Math.ceil(labelWidth / (x(1) - x(0)))
  const labels = apart(
    drawn
      .map((round) => ({ ...round, last: round.after.at(-1)! }))
      .map((round) => ({ ...round, x: at(round.last.days), y: y(share(round.last)) })),
  )
  return (
    <Drawing
      title={say.title}
      name={name}
      width={width}
      height={height}
      label={say.label}
      heads={[say.round, ...days.map(say.withinDays)]}
      rows={compared.map((round) => [
        round.title,
        ...days.map((day) => {
          const one = round.after.find((a) => a.days === day)
          return one ? say.share(one.replied, one.arrived) : say.notYet
        }),
      ])}
    >
      <Upwards y={y} width={width} words={say.percent} />
      {days.map((day, i) =>
        (days.length - 1 - i) % everySo === 0 ? (
          <text key={day} x={at(day)} y={height - 6} textAnchor="middle" className="fill-ink-2">
            {say.days(day)}
          </text>
        ) : null,
      )}
      {drawn.map((round) => (
        <g key={round.roundId}>
          <path
            fill="none"
            strokeWidth={1.75}
            strokeDasharray={round.dash}
            className={round.style}
            d={path([[x(0), y(0)], ...round.after.map((one): [number, number] => [at(one.days), y(share(one))])]) ?? ''}
          />
          {round.after.map((one) => (
            <circle
              key={one.days}
              cx={at(one.days)}
              cy={y(share(one))}
              r={2.5}
              className={`fill-sheet ${round.style}`}
            />
          ))}
        </g>
      ))}
      {labels.map((round) => (
        <text
          key={round.roundId}
          x={Math.max(round.x + 8, width - right + 8)}
          y={round.y + 4}
          className="fill-ink text-[13px]"
        >
          {called.get(round.roundId)}
        </text>
      ))}
    </Drawing>
  )
}

/** Titles that are short enough to stand beside a line: without the words with which all of them begin, where one is too long. */
function shortTitles(rounds: readonly { roundId: number; title: string }[]): Map<number, string> {
  const words = rounds.map(({ title }) => title.split(' '))
  let same = 0
  while (words.length > 1 && words.every((some) => same < some.length - 1 && some[same] === words[0][same])) same++
  const long = rounds.some(({ title }) => say.shortTitle(title) !== title)
  return new Map(
    rounds.map(({ roundId, title }, i) => [
      roundId,
      long && same > 0 ? say.rest(say.shortTitle(words[i].slice(same).join(' '))) : say.shortTitle(title),
    ]),
  )
}

/** In a sentence: how this round does beside the one before it, after as many days as both have had. Null where there is none. */
export function comparedWords(compared: ComparedRound[]): string | null {
  const [now, ...earlier] = compared
  const last = now?.after.at(-1)
  if (!last) return null
  const before = earlier.flatMap((round) => {
    const same = round.after.find((one) => one.days === last.days)
    return same ? [say.before(round.title, same.replied, same.arrived)] : []
  })
  return before.length === 0 ? null : say.sentence(last.days, last.replied, last.arrived, before)
}
