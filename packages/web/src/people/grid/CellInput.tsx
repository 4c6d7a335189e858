import { type Column, dateFormat, familyOf, isDay, isFigure, parsedValue } from '@hand-post/core'
import { clsx } from 'clsx'
import { type KeyboardEvent, useRef, useState } from 'react'
import { CalendarButton, inCalendar } from '../../shared/dates.tsx'
import { cellInput as say } from '../words.ts'
/** A cell that is being typed in; a choice where its column says yes or no. */
export function CellInput({
  column,
  number,
  text,
  style,
  className,
  setText,
  finish,
  keep,
}: {
  column: Column
  number: number
  text: string
  style: React.CSSProperties
  className: string
  setText: (text: string | null) => void
  finish: (text: string | null, down: number, right: number) => void
  keep: (text: string) => void
}) {
  // Leaving by a key has kept or dropped it already; only leaving by the mouse keeps it here.
  const left = useRef(false)
  const box = useRef<HTMLDivElement>(null)
  const [calendar, setCalendar] = useState(false)
  const leave = (kept: string | null, down: number, right: number) => {
    left.current = true
    finish(kept, down, right)
  }
  const common = {
    'aria-label': `${column.name}, row ${number}`,
    value: text,
    style,
    className,
    onBlur: (e: React.FocusEvent) => {
      // The calendar beside the words belongs to the cell.
      if (left.current || inCalendar(e.relatedTarget)) return
      keep(text)
      setText(null)
    },
    onKeyDown: (e: KeyboardEvent) => {
      e.stopPropagation()
      if (e.key === 'Enter') leave(text, e.shiftKey ? -1 : 1, 0)
      else if (e.key === 'Tab') {
        e.preventDefault()
        leave(text, 0, e.shiftKey ? -1 : 1)
      } else if (e.key === 'Escape') leave(null, 0, 0)
      else if (e.altKey && e.key === 'ArrowDown') setCalendar(true)
    },
  }
  if (familyOf(column) === 'yesNo')
    return (
      // biome-ignore lint/a11y/noAutofocus: editing was asked for at this cell
      <select {...common} autoFocus onChange={(e) => setText(e.target.value)}>
        {[...new Set(['yes', 'no', '', text])].map((word) => (
          <option key={word} value={word}>
            {word || 'blank'}
          </option>
        ))}
      </select>
    )
  if (isDay(column)) {
    const withTime = column.kind === 'dateTime'
    const pattern = `${column.dayFirst === false ? 'MM/dd' : 'dd/MM'}/yyyy${withTime ? ' HH:mm' : ''}`
    const present = parsedValue(text.trim(), column)
    return (
      <div ref={box} style={style} className={clsx('flex', className)}>
        <input
          {...common}
          style={undefined}
          className="min-w-0 flex-1 outline-none"
          // biome-ignore lint/a11y/noAutofocus: editing was asked for at this cell
          autoFocus
          placeholder={dateFormat(pattern)!('2026-12-31T09:00')}
          title={say.altOpensCalendar}
          onChange={(e) => setText(e.target.value)}
        />
        <CalendarButton
          label={say.calendarRow(column.name, number)}
          value={typeof present === 'string' ? present : ''}
          open={calendar}
          setOpen={setCalendar}
          tabIndex={-1}
          onChoose={(day) => {
            const hour = typeof present === 'string' ? present.slice(10) : ''
            setText(dateFormat(pattern)!(day + (withTime ? hour || 'T09:00' : '')))
          }}
          focusAfter={() => box.current?.querySelector('input')?.focus()}
        />
      </div>
    )
  }
  return (
    <input
      {...common}
      // biome-ignore lint/a11y/noAutofocus: editing was asked for at this cell
      autoFocus
      inputMode={isFigure(column) ? 'decimal' : undefined}
      onChange={(e) => setText(e.target.value)}
    />
  )
}
