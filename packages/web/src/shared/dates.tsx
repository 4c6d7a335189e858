import { dateFormat, parsedValue } from '@hand-post/core'
import clsx from 'clsx'
import { format } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'
import { CalendarDays } from 'lucide-react'
import { Popover } from 'radix-ui'
import { lazy, Suspense, type SyntheticEvent, useId, useState } from 'react'
import { FaultLine, Waiting } from './parts.tsx'
import { dates as say } from './words.ts'

// Fetched when the first one is opened.
const Calendar = lazy(() => import('./Calendar.tsx'))

const stop = (event: SyntheticEvent) => event.stopPropagation()

/** Whether something on the page belongs to a calendar that is open. */
export const inCalendar = (target: EventTarget | null): boolean =>
  target instanceof Element && target.closest('[data-calendar]') !== null

/** A calendar behind a small button. */
export function CalendarButton({
  label,
  value,
  open,
  setOpen,
  onChoose,
  focusAfter,
  tabIndex,
}: {
  label: string
  /** ISO 8601, or anything else where no day is chosen yet. */
  value: string
  open: boolean
  setOpen: (open: boolean) => void
  /** Is given the day as ISO 8601. */
  onChoose: (day: string) => void
  /** Takes the focus when the calendar is closed. */
  focusAfter: () => void
  tabIndex?: number
}) {
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        aria-label={label}
        data-calendar
        tabIndex={tabIndex}
        className="grid size-7 shrink-0 place-items-center rounded-paper text-ink-2 hover:bg-post-tint"
      >
        <CalendarDays aria-hidden size={16} />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          data-calendar
          aria-label={label}
          align="start"
          sideOffset={4}
          collisionPadding={8}
          className="paper z-50 p-3 text-[14px] shadow-lg"
          // What happens in the calendar is not meant for what the field stands in.
          onKeyDown={stop}
          onMouseDown={stop}
          onPointerDown={stop}
          onClick={stop}
          onCloseAutoFocus={(event) => {
            event.preventDefault()
            focusAfter()
          }}
        >
          <Suspense fallback={<Waiting />}>
            <Calendar
              value={value}
              onChoose={(day) => {
                setOpen(false)
                onChoose(day)
              }}
            />
          </Suspense>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** How a day, and a day and hour, are written. */
const forms = { date: ['dd/MM/yyyy', '31/12/2026'], dateTime: ['dd/MM/yyyy HH:mm', '31/12/2026 09:00'] } as const
const weekday = dateFormat('EEEE')!

/** A day in words, with its weekday. */
export const dayWords = (day: Date): string => format(day, 'EEE d MMM yyyy', { locale: enGB })

/**
 * A day, or a day and hour, typed or taken from a calendar, with its weekday beside it. What is no date is said, and stays to be
 * mended; nothing is taken for it meanwhile.
 */
export function DateEntry({
  label,
  kind,
  value,
  unread,
  onChange,
  onWrong,
  className,
}: {
  label: string
  kind: 'date' | 'dateTime'
  /** ISO 8601: the day, or the day and the hour; empty for none. */
  value: string
  /** What stands there instead and is no date. */
  unread?: string
  onChange: (value: string) => void
  /** Is told what stands there and is no date, and null when that is over. */
  onWrong?: (typed: string | null) => void
  className?: string
}) {
  const [pattern, example] = forms[kind]
  const no = (written: string) => say.writeAs(written, kind, example)
  const [typed, setTyped] = useState<string | null>(unread ?? null)
  const [fault, setFault] = useState<string | null>(unread ? no(unread) : null)
  const [open, setOpen] = useState(false)
  const id = useId()
  const text = typed ?? (value === '' ? '' : dateFormat(pattern)!(value))
  const keep = (written = text) => {
    const read = written.trim() === '' ? '' : parsedValue(written.trim(), { kind, dayFirst: true })
    // Of a day and hour both are wanted: a bare day would mean midnight.
    const whole = typeof read === 'string' && (read === '' || kind === 'date' || read.includes('T'))
    if (!whole) {
      onWrong?.(written.trim())
      return setFault(no(written.trim()))
    }
    if (fault !== null) onWrong?.(null)
    setFault(null)
    setTyped(null)
    if (read !== value) onChange(read)
  }
  const choose = (day: string) => {
    const hour = /\d{1,2}:\d{2}/.exec(text)?.[0].padStart(5, '0') ?? '09:00'
    keep(dateFormat(pattern)!(kind === 'date' ? day : `${day}T${hour}`))
  }
  const known = typed === null && value !== ''
  return (
    <div className={className}>
      <div className="flex flex-wrap items-center gap-1">
        <span
          className={clsx('input flex items-center gap-1 py-0 pr-0.5', kind === 'date' ? 'w-36' : 'w-48')}
          data-wrong={fault !== null || undefined}
        >
          <input
            id={`${id}-field`}
            aria-label={label}
            aria-invalid={fault !== null}
            aria-describedby={fault === null ? undefined : id}
            className="min-w-0 flex-1 bg-transparent py-1 outline-none"
            placeholder={example}
            value={text}
            onChange={(e) => setTyped(e.target.value)}
            onBlur={() => typed !== null && keep()}
            onKeyDown={(e) => {
              if (e.key === 'Enter') {
                e.preventDefault()
                keep()
              } else if (e.altKey && e.key === 'ArrowDown') {
                // Elsewhere that is the way to the next person.
                e.stopPropagation()
                setOpen(true)
              }
            }}
          />
          <CalendarButton
            label={say.calendar(label)}
            value={value}
            open={open}
            setOpen={setOpen}
            onChoose={choose}
            focusAfter={() => document.getElementById(`${id}-field`)?.focus()}
          />
        </span>
        {known && <span className="text-[13px] text-ink-2">{weekday(value)}</span>}
      </div>
      {fault !== null && <FaultLine fault={{ id, words: fault }} />}
    </div>
  )
}
