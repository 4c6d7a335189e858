import type { Board } from '@hand-post/contract'
import { BarsChart } from './BarsChart.tsx'
import { choiceChart as say } from './words.ts'

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
  return (
    <BarsChart
      title={say.title}
      name={name}
      width={width}
      label={say.label}
      heads={[say.choice, say.people]}
      bars={[
        ...choices.map(({ choice, people }) => ({ words: choice, n: people })),
        { words: say.nothing, n: choseNothing, rest: true },
      ]}
      of={peopleReached}
    />
  )
}
