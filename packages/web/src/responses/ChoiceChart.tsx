import type { Board } from '@hand-post/contract'
import { scaleLinear } from 'd3-scale'
import { Drawing } from './Drawing.tsx'
import { choiceChart as say } from './words.ts'

const line = 30
const left = 4
const right = 96
/** How many characters of a choice are drawn; the table has it whole. */
const drawnWords = 60

/** How many people chose each of the letter's choices, and how many chose none. */
export function ChoiceChart({
  board: { choices, choseNothing, peopleReached },
  width,
  name,
}: {
  board: Pick<Board, 'choices' | 'choseNothing' | 'peopleReached'>
  width: number
  name: string
}) {
  const bars = [
    ...choices.map(({ choice, people }) => ({ words: choice, n: people, chosen: true })),
    { words: say.nothing, n: choseNothing, chosen: false },
  ]
  const x = scaleLinear([0, Math.max(1, ...bars.map(({ n }) => n))], [left, Math.max(left + 60, width - right)])
  return (
    <Drawing
      title={say.title}
      name={name}
      width={width}
      height={line * bars.length + 6}
      label={say.label}
      heads={[say.choice, say.people]}
      rows={bars.map(({ words, n }) => [words, say.share(n, peopleReached)])}
    >
      {bars.map(({ words, n, chosen }, i) => (
        <g key={words}>
          <text x={left} y={i * line + 13} className="fill-ink text-[13px]">
            {words.length > drawnWords ? `${words.slice(0, drawnWords - 1).trimEnd()}…` : words}
          </text>
          <rect
            x={left}
            y={i * line + 17}
            width={Math.max(1, x(n) - left)}
            height={8}
            className={chosen ? 'fill-post' : 'fill-sheet-2 stroke-ink-2'}
          />
          <text x={x(n) + 8} y={i * line + 25} className="fill-ink-2">
            {say.share(n, peopleReached)}
          </text>
        </g>
      ))}
    </Drawing>
  )
}
