import { TZDate, tz } from '@date-fns/tz'
import type { BringBack as Back, TrayEntry } from '@hand-post/contract'
import { addDays, format, nextMonday, startOfDay } from 'date-fns'
import { CalendarClock } from 'lucide-react'
import { useState } from 'react'
import { DateEntry, dayWords } from '../shared/dates.tsx'
import { hourOf } from '../shared/moment.ts'
import { Button, FaultLine } from '../shared/parts.tsx'
import { Card } from './Card.tsx'
import { Key } from './Key.tsx'
import { bringBack as say, trayEntry } from './words.ts'

/** The hour at which something is brought back where no other is named: nine in the morning. */
const usualMinute = 9 * 60

/** A moment on a day (ISO 8601), at some minutes after midnight, where the mailbox is. */
const momentOn = (day: string, minute: number | null, zone: string): number => {
  const [year, month, date] = day.split('-').map(Number)
  const at = minute ?? usualMinute
  return new TZDate(year, month - 1, date, Math.floor(at / 60), at % 60, zone).getTime()
}

/** The moment that was typed as a day and hour (ISO 8601) where the mailbox is; or what is the matter with it. */
export function typedMoment(typed: string, zone: string, now: number): { at: number } | { fault: string } {
  const [day, hour] = typed.split('T')
  if (!hour) return { fault: say.noDay }
  const [h, m] = hour.split(':').map(Number)
  const at = momentOn(day, h * 60 + m, zone)
  return at <= now ? { fault: say.past } : { at }
}

/** The days that are offered: those that the words name, that of return, and those that one often wants. */
export function offeredDays(
  entry: Pick<TrayEntry, 'days' | 'backDay' | 'timeZone'>,
  now: number,
): { at: number; more: string }[] {
  const zone = entry.timeZone
  const today = startOfDay(now, { in: tz(zone) })
  const on = (day: Date) => momentOn(format(day, 'yyyy-MM-dd'), null, zone)
  const offered = [
    ...(entry.backDay === null ? [] : [{ at: momentOn(entry.backDay, null, zone), more: say.returns }]),
    ...entry.days.map(({ day, minute, words }) => ({ at: momentOn(day, minute, zone), more: say.named(words) })),
    { at: on(addDays(today, 1)), more: say.tomorrow },
    { at: on(nextMonday(today)), more: say.monday },
    { at: on(addDays(today, 7)), more: say.week },
  ].filter(({ at }) => at > now)
  return offered.filter(({ at }, i) => offered.findIndex((one) => one.at === at) === i)
}

/** Puts an entry, or several, by until a day, or until something happens. */
export function BringBack({
  entry,
  now,
  open,
  setOpen,
  onBring,
}: {
  /** The one in hand; of several the days are not offered that only one of them names. */
  entry: Pick<TrayEntry, 'days' | 'backDay' | 'timeZone' | 'tracksOpens'>
  now: number
  open: boolean
  setOpen: (open: boolean) => void
  onBring: (back: Back) => void
}) {
  const [typed, setTyped] = useState('')
  const [unanswered, setUnanswered] = useState(false)
  const [fault, setFault] = useState<string | null>(null)
  const bring = (back: Back) => {
    setOpen(false)
    setTyped('')
    setFault(null)
    onBring(back)
  }
  const on = (at: number) => bring({ at, when: unanswered ? 'unanswered' : null })
  const then = () => {
    const meant = typedMoment(typed, entry.timeZone, now)
    if ('fault' in meant) setFault(meant.fault)
    else on(meant.at)
  }
  return (
    <Card
      label={say.title}
      open={open}
      setOpen={setOpen}
      trigger={
        <Button>
          <CalendarClock aria-hidden size={16} /> {trayEntry.bringBack} <Key>B</Key>
        </Button>
      }
    >
      <h3 className="font-bold">{say.title}</h3>
      <ul className="space-y-1">
        {offeredDays(entry, now).map(({ at, more }) => (
          <li key={at}>
            <button
              type="button"
              className="flex w-full flex-wrap items-baseline gap-x-2 rounded-paper border border-rule px-2 py-1 text-left hover:bg-sheet-2"
              onClick={() => on(at)}
            >
              <b>
                {dayWords(new TZDate(at, entry.timeZone))} {hourOf(at, entry.timeZone)}
              </b>
              <span className="text-[13px] text-ink-2">{more}</span>
            </button>
          </li>
        ))}
      </ul>
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={unanswered} onChange={(e) => setUnanswered(e.target.checked)} />
        {say.unanswered}
      </label>
      <div className="border-rule border-t pt-2">
        <p className="mb-0.5 text-[13px] text-ink-2">{say.another}</p>
        <DateEntry label={say.another} kind="dateTime" value={typed} onChange={setTyped} />
        {fault !== null && <FaultLine fault={{ id: 'bring-back-fault', words: fault }} />}
        <Button className="mt-1" onClick={then}>
          {say.bring}
        </Button>
      </div>
      {entry.tracksOpens && (
        <div className="border-rule border-t pt-2">
          <Button onClick={() => bring({ at: null, when: 'opened' })}>{say.opened}</Button>
        </div>
      )}
    </Card>
  )
}
