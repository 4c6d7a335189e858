import { addressOf, routes } from '@hand-post/contract'
import type { PaperState } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Check, Download, Printer } from 'lucide-react'
import { useState } from 'react'
import { toast } from 'sonner'
import { stale, useChange } from '../api.ts'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { Ask, Button, StateMark } from '../shared/parts.tsx'
import { keys, query, useProgress } from '../shared/queries.ts'
import { PaperSheet } from './PaperSheet.tsx'
import { paperLetters as say } from './words.ts'

const link =
  'inline-flex min-h-8 items-center gap-1.5 rounded-paper border border-rule bg-sheet px-3 py-1 hover:bg-sheet-2'

/** What the desk says while it makes the PDF. */
const printing = 'Putting letters on paper'

/** The letters on paper of a posted round: printed by the writer, who says when they were. */
export function PaperLetters() {
  const { round } = useWork()
  const { choose } = usePerson()
  const { toPrint, printed, withdrawn, printedAt } = round.paperLetters
  const all = toPrint + printed + withdrawn
  const letters = useQuery({ ...query.paperLetters(round.id), enabled: all > 0 }).data ?? []
  const progress = useProgress(round.id)
  const making = progress && progress.words === printing && progress.done < progress.of
  const [open, setOpen] = useState(false)
  const [asking, setAsking] = useState(false)
  const [to, setTo] = useState<PaperState>('printed')
  const mark = useChange(routes.markPaper, ({ letters }) => {
    setAsking(false)
    toast(say.marked(letters, to))
    return stale(keys.round(round.id))
  })
  if (all === 0) return null
  const params = { round: round.id }
  const waiting = letters.filter((one) => one.state === 'toPrint').map((one) => one.id)
  const put = (ids: number[], next: PaperState) => {
    setTo(next)
    mark.mutate({ params, body: { letters: ids, to: next } })
  }
  const amending = round.amendingSince !== null
  const pdf = (which: 'toPrint' | 'all', words: string) => (
    <a className={link} href={addressOf(routes.paperPdf, { params, query: { which } })} download>
      <Download aria-hidden size={16} /> {words}
    </a>
  )
  return (
    <section aria-label={say.label} className="border-rule border-b px-5 py-2">
      <div className="flex flex-wrap items-center gap-2">
        <p className="min-w-60 flex-1">
          <Printer aria-hidden size={16} className="mr-1.5 inline text-ink-2" />
          {[
            toPrint > 0 && say.toPrint(toPrint),
            printed > 0 && say.printed(printed, printedAt),
            withdrawn > 0 && say.withdrawn(withdrawn),
          ]
            .filter(Boolean)
            .join(' ')}{' '}
          {amending && toPrint > 0 && say.amending}
        </p>
        {toPrint > 0 && !amending && pdf('toPrint', say.pdf(toPrint))}
        {toPrint > 0 && !amending && (
          <Button kind="primary" disabled={waiting.length === 0} onClick={() => setAsking(true)}>
            <Check aria-hidden size={16} /> {say.arePrinted(toPrint)}
          </Button>
        )}
        {printed > 0 && !amending && pdf('all', say.all)}
        <Button onClick={() => setOpen(true)}>{say.form}</Button>
      </div>
      {making && (
        <p role="status" className="text-[13px]">
          {say.making(progress.done, progress.of)}
        </p>
      )}
      <details className="mt-1 text-[14px]">
        <summary className="cursor-pointer text-[13px] text-ink-2">{say.show}</summary>
        <ul className="max-h-40 overflow-auto">
          {letters.map((one) => (
            <li key={one.id} className="flex items-center gap-3 border-rule border-t py-0.5">
              <span className="w-32 shrink-0">
                <StateMark state={one.state === 'printed' ? 'sent' : one.state === 'toPrint' ? 'waiting' : 'withdrawn'}>
                  {say.states[one.state]}
                </StateMark>
              </span>
              <button
                type="button"
                className="w-44 shrink-0 truncate text-left hover:underline"
                onClick={() => choose(one.rowId)}
              >
                {one.person}
              </button>
              <span className="min-w-0 flex-1 truncate text-ink-2" title={one.lines.join(', ')}>
                {one.lines.slice(1).join(', ')}
                {one.files.length > 0 && `, ${say.files(one.files)}`}
                {one.notPrinted.length > 0 && (
                  <span className="text-ask">, {say.byHand(one.notPrinted.map((f) => f.name))}</span>
                )}
              </span>
              {!amending && one.state === 'printed' && (
                <Button kind="quiet" onClick={() => put([one.id], 'toPrint')}>
                  {say.notYet}
                </Button>
              )}
              {!amending && one.state === 'toPrint' && (
                <>
                  <Button kind="quiet" onClick={() => put([one.id], 'printed')}>
                    {say.states.printed}
                  </Button>
                  <Button kind="quiet" onClick={() => put([one.id], 'withdrawn')}>
                    {say.withdraw}
                  </Button>
                </>
              )}
            </li>
          ))}
        </ul>
      </details>
      {open && <PaperSheet onClose={() => setOpen(false)} />}
      <Ask
        open={asking}
        onClose={() => setAsking(false)}
        title={say.printedTitle(toPrint)}
        act={
          <Button kind="primary" disabled={mark.isPending} onClick={() => put(waiting, 'printed')}>
            {say.arePrinted(toPrint)}
          </Button>
        }
      >
        <p>{say.printedWords(toPrint)}</p>
      </Ask>
    </section>
  )
}
