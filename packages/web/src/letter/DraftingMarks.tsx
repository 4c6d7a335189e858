import { type Letter, marksOf, swapMark } from '@hand-post/core'
import { PencilLine } from 'lucide-react'
import { useDeferredValue, useMemo, useState } from 'react'
import { toast } from 'sonner'
import { useLetter, useWork } from '../rounds/RoundContext.tsx'
import { Button } from '../shared/parts.tsx'
import { draftingMarks as say } from './words.ts'

/** The drafting marks that still stand in the letter, each offered the field of a column; one by one, or all at once. */
export function DraftingMarks({ show }: { show: (mark: string) => void }) {
  const { round } = useWork()
  const { letter, replaceLetter } = useLetter()
  const columns = round.list?.columns
  const looked = useDeferredValue(letter)
  const names = useMemo(() => (columns ?? []).map((c) => c.name), [columns])
  const marks = useMemo(() => marksOf(looked, names), [looked, names])
  const [chosen, setChosen] = useState<Record<string, string>>({})
  if (marks.length === 0 || names.length === 0) return null
  const columnFor = (mark: (typeof marks)[number]) => chosen[mark.mark] ?? mark.near ?? ''
  const ready = marks.filter((m) => columnFor(m) !== '')
  const put = (which: typeof marks) => {
    const before: Letter = letter
    replaceLetter(which.reduce((next, m) => swapMark(next, m.mark, columnFor(m)), letter))
    toast(say.swappedFields(which.map((m) => `“${m.mark}”`).join(', '), which.length), {
      action: { label: say.undo, onClick: () => replaceLetter(before) },
      duration: 12_000,
    })
  }
  return (
    <section
      aria-label={say.draftingMarks}
      className="flex max-h-24 flex-wrap items-center gap-x-3 gap-y-1 overflow-auto border-rule border-b bg-ask-tint px-4 py-1 text-[14px]"
    >
      <span className="flex items-center gap-1 text-ask">
        <PencilLine aria-hidden size={15} /> {say.left(marks.length)}
      </span>
      {marks.map((m) => (
        <span key={m.mark} className="flex items-center gap-1">
          <button
            type="button"
            className="font-bold underline decoration-1 underline-offset-2"
            title={say.showLetter}
            onClick={() => show(m.mark)}
          >
            {m.mark}
          </button>
          {m.times > 1 && <span className="text-[13px] text-ink-2">{say.times(m.times)}</span>}
          <select
            aria-label={say.column(m.mark)}
            className="input min-h-7 w-36 py-0 text-[14px]"
            value={columnFor(m)}
            onChange={(e) => setChosen({ ...chosen, [m.mark]: e.target.value })}
          >
            <option value="">{say.chooseColumn}</option>
            {names.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
          <Button
            kind="quiet"
            className="!min-h-0 !px-0.5 !py-0"
            disabled={columnFor(m) === ''}
            onClick={() => put([m])}
          >
            {say.swap}
          </Button>
        </span>
      ))}
      {ready.length > 1 && <Button onClick={() => put(ready)}>{say.swapAll(ready.length)}</Button>}
    </section>
  )
}
