import { routes } from '@hand-post/contract'
import { Tag } from 'lucide-react'
import { type ReactNode, useState } from 'react'
import { ask, faultWords, stale } from '../api.ts'
import { Button, FaultLine, Labelled, Say } from '../shared/parts.tsx'
import { keys } from '../shared/queries.ts'
import { Card } from './Card.tsx'
import { Key } from './Key.tsx'
import { trayActions } from './trayActions.ts'
import { outcomeWord as say, trayEntry } from './words.ts'

/** How many words a round may have, each with a figure for its key, and how long one may be. */
const maxWords = 9
const longestWord = 40

/** Gives people of a round one of the writer's own words for what came of it. */
export function OutcomeWords({
  roundId,
  words,
  given,
  open,
  setOpen,
  onGive,
  trigger,
}: {
  /** Null where the people are of several rounds. */
  roundId: number | null
  words: string[]
  /** The word that they have now, where it is one. */
  given: string | null
  open: boolean
  setOpen: (open: boolean) => void
  onGive: (word: string | null) => void
  trigger?: ReactNode
}) {
  const [editing, setEditing] = useState(false)
  const give = (word: string | null) => {
    setOpen(false)
    onGive(word)
  }
  return (
    <Card
      label={say.title}
      open={open}
      setOpen={setOpen}
      className="w-72"
      trigger={
        trigger ?? (
          <Button>
            <Tag aria-hidden size={16} /> {trayEntry.word} <Key>O</Key>
          </Button>
        )
      }
      onKeyDown={(e) => {
        const n = Number(e.key)
        if (e.target instanceof HTMLTextAreaElement || !/^\d$/.test(e.key) || n > words.length) return
        e.preventDefault()
        give(n === 0 ? null : words[n - 1])
      }}
    >
      <h3 className="font-bold">{say.title}</h3>
      {roundId === null ? (
        <Say>{say.otherRounds}</Say>
      ) : editing || words.length === 0 ? (
        <WordsForm roundId={roundId} words={words} onDone={() => setEditing(false)} />
      ) : (
        <>
          <ul className="space-y-1">
            {words.map((word, i) => (
              <li key={word}>
                <button
                  type="button"
                  aria-pressed={given === word}
                  className="flex w-full items-baseline gap-2 rounded-paper border border-rule px-2 py-1 text-left hover:bg-sheet-2 aria-pressed:bg-post-tint aria-pressed:font-bold"
                  onClick={() => give(word)}
                >
                  <Key>{String(i + 1)}</Key> {word}
                </button>
              </li>
            ))}
            <li>
              <button
                type="button"
                className="flex w-full items-baseline gap-2 rounded-paper border border-rule px-2 py-1 text-left hover:bg-sheet-2"
                onClick={() => give(null)}
              >
                <Key>0</Key> {say.none}
              </button>
            </li>
          </ul>
          <Button kind="quiet" onClick={() => setEditing(true)}>
            {say.change}
          </Button>
        </>
      )}
    </Card>
  )
}

/** The words of a round, one a line. */
function WordsForm({ roundId, words, onDone }: { roundId: number; words: string[]; onDone: () => void }) {
  const [text, setText] = useState(words.join('\n'))
  const [fault, setFault] = useState<string | null>(null)
  const save = async () => {
    const lines = [...new Set(text.split('\n').map((line) => line.trim()))].filter(Boolean)
    if (lines.length > maxWords) return setFault(say.tooMany)
    if (lines.some((line) => line.length > longestWord)) return setFault(say.tooLong)
    try {
      const { lost } = await ask(routes.setOutcomeWords, { params: { round: roundId }, body: { words: lines } })
      trayActions.wordsChanged(roundId, words, lost)
      await stale(keys.inTray(), keys.round(roundId))
      onDone()
    } catch (error) {
      setFault(faultWords(error))
    }
  }
  const faultAt = fault === null ? undefined : { id: 'outcome-words-fault', words: fault }
  return (
    <form
      noValidate
      className="space-y-2"
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      {words.length === 0 && <p className="text-[13px] text-ink-2">{say.first}</p>}
      <Labelled label={say.label} hint={say.hint}>
        <textarea
          className="input w-full"
          rows={5}
          aria-invalid={fault !== null}
          aria-describedby={faultAt?.id}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </Labelled>
      {faultAt && <FaultLine fault={faultAt} />}
      <Button kind="primary" type="submit">
        {say.save}
      </Button>
    </form>
  )
}
