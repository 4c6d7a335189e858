import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { BookOpenCheck, Check } from 'lucide-react'
import { useState } from 'react'
import { stale, useChange } from '../api.ts'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { SendCopies } from '../rounds/SendCopies.tsx'
import { Button } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { readingSet as say } from './words.ts'

/** The few messages that between them show every variation of the round, read one after another. */
export function ReadingSet() {
  const { round, written } = useWork()
  const { person, choose } = usePerson()
  const data = useQuery(query.readingSet(round.id)).data
  const [open, setOpen] = useState(false)
  const mark = useChange(routes.markRead, () => stale(keys.ofRound(round.id, 'reading-set')))
  // As high before it is known as it mostly is then: what stands below stays where it is.
  if (!data)
    return (
      <p role="status" className="min-h-25 border-rule border-b bg-sheet-2 px-4 py-2 text-[14px] text-ink-2">
        {say.choosing}
      </p>
    )
  if (data.set.length === 0) return null
  const { set, people } = data
  const left = set.filter((one) => !one.read)
  const at = set.find((one) => one.rowId === person?.id)
  /** Notes that the message in hand was read, and goes on to the next that was not. */
  const readOn = async () => {
    await written()
    if (at && !at.read) mark.mutate({ params: { round: round.id, row: at.rowId } })
    const next = left.find((one) => one.rowId !== at?.rowId)
    if (next) choose(next.rowId)
  }
  const whole =
    set.length === people ? (set.length === 1 ? say.onlyMessage : say.theseAllMessages) : say.youHaveSeenEvery(people)
  return (
    <section aria-label={say.readingSet} className="min-h-25 border-rule border-b bg-sheet-2 px-4 py-2 text-[14px]">
      <div className="flex flex-wrap items-center gap-2">
        <BookOpenCheck aria-hidden size={16} className={left.length === 0 ? 'text-good' : 'text-ink-2'} />
        <p className="min-w-48 flex-1" role="status">
          {left.length === 0
            ? say.readingSetRead(set.length, whole)
            : say.readTheseRead(set.length, whole, left.length)}
        </p>
        {left.length > 0 && (
          <Button onClick={() => void readOn()} disabled={mark.isPending}>
            {at && !at.read ? (left.length === 1 ? say.readLast : say.readNext) : say.beginRead}
          </Button>
        )}
        <SendCopies label={say.copiesAllMe(set.length)} rowIds={set.map((one) => one.rowId)} />
        <Button kind="quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? say.hideThem : say.showThem}
        </Button>
      </div>
      {at && <p className="pt-1 pl-6 text-[13px] text-ink-2">{say.shows(at.person, at.read, at.reasons.join(', '))}</p>}
      {open && (
        <ol className="mt-1 max-h-56 overflow-auto">
          {set.map((one) => (
            <li key={one.rowId}>
              <button
                type="button"
                aria-current={one.rowId === person?.id}
                onClick={() => choose(one.rowId)}
                className={clsx(
                  'flex w-full items-baseline gap-2 rounded-paper px-2 py-0.5 text-left',
                  one.rowId === person?.id ? 'bg-post-tint' : 'hover:bg-sheet',
                )}
              >
                <span className={clsx('w-14 shrink-0 text-[13px]', one.read ? 'text-good' : 'text-ink-2')}>
                  {one.read ? (
                    <>
                      <Check aria-hidden size={13} className="inline" /> {say.read}
                    </>
                  ) : (
                    say.read2
                  )}
                </span>
                <b className="shrink-0">{one.person}</b>
                <span className="text-[13px] text-ink-2">{one.reasons.join(', ')}</span>
              </button>
            </li>
          ))}
        </ol>
      )}
    </section>
  )
}
