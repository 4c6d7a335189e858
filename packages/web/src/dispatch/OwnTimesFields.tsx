import type { List, Mailbox, RoundDispatch } from '@hand-post/contract'
import { type Column, kindsOfTimes } from '@hand-post/core'
import { useState } from 'react'
import { Labelled } from '../shared/parts.tsx'
import { leavingOrder as inOrder, ownTimesFields as say } from './words.ts'

type Times = NonNullable<RoundDispatch['times']>

const clock = (minutes: number) =>
  `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`

/** In which order the letters leave. */
export function OrderField({
  order,
  list,
  onChange,
}: {
  order: RoundDispatch['order']
  list: Pick<List, 'columns'>
  onChange: (changes: { order: RoundDispatch['order'] }) => void
}) {
  const known = order.by !== 'column' || list.columns.some((c) => c.id === order.column)
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
      <label className="flex items-center gap-2">
        <span className="font-bold text-[13px]">{inOrder.order}</span>
        <select
          className="input w-52"
          value={order.by === 'column' && known ? `column ${order.column}` : order.by === 'random' ? 'random' : 'list'}
          onChange={(e) => {
            const [by, column] = e.target.value.split(' ')
            onChange({
              order: by === 'column' ? { by, column, descending: false } : { by: by === 'random' ? 'random' : 'list' },
            })
          }}
        >
          <option value="list">{inOrder.list}</option>
          <option value="random">{inOrder.random}</option>
          {list.columns.map(({ id, name }) => (
            <option key={id} value={`column ${id}`}>
              {inOrder.byColumn(name)}
            </option>
          ))}
        </select>
      </label>
      {order.by === 'column' && known && (
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-post"
            checked={order.descending}
            onChange={(e) => onChange({ order: { ...order, descending: e.target.checked } })}
          />
          {inOrder.descending}
        </label>
      )}
    </div>
  )
}

/** Times of people's own: from a column, by the clock where each of them is, or both. */
export function OwnTimesFields({
  times,
  list,
  mailbox,
  onChange,
}: {
  times: RoundDispatch['times']
  list: Pick<List, 'columns'>
  mailbox: Pick<Mailbox, 'timeZone'>
  onChange: (changes: { times: RoundDispatch['times'] }) => void
}) {
  const [open, setOpen] = useState(times !== null)
  const ofTimes = list.columns.filter((c) => kindsOfTimes.has(c.kind))
  const ofZones = list.columns.filter((c) => c.kind === 'text')
  const now: Times = times ?? { column: null, zoneColumn: null, hour: 9 * 60 }
  const put = (changes: Partial<Times>) => {
    const next = { ...now, ...changes }
    onChange({ times: next.column === null && next.zoneColumn === null ? null : next })
  }
  const chosen = list.columns.find((c) => c.id === now.column)
  const gone = now.column !== null && chosen === undefined
  const wantsHour = times !== null && (chosen === undefined || chosen.kind === 'date')
  const choice = (
    label: string,
    value: string | null,
    columns: Column[],
    none: string,
    choose: (id: string | null) => void,
  ) => (
    <Labelled label={label}>
      <select className="input w-52" value={value ?? ''} onChange={(e) => choose(e.target.value || null)}>
        <option value="">{none}</option>
        {columns.map(({ id, name }) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </select>
    </Labelled>
  )
  return (
    <details open={open} onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="cursor-pointer font-bold text-[13px]">{say.title}</summary>
      <div className="mt-2 flex flex-wrap items-start gap-x-4 gap-y-2">
        {choice(say.column, now.column, ofTimes, ofTimes.length === 0 ? say.noColumn : say.byPace, (column) =>
          put({ column }),
        )}
        {choice(say.zoneColumn, now.zoneColumn, ofZones, say.mailboxZone(mailbox.timeZone), (zoneColumn) =>
          put({ zoneColumn }),
        )}
        {wantsHour && (
          <Labelled label={say.hour}>
            <input
              type="time"
              className="input"
              value={clock(now.hour)}
              onChange={(e) => {
                const [hours, minutes] = e.target.value.split(':').map(Number)
                if (Number.isInteger(hours) && Number.isInteger(minutes)) put({ hour: hours * 60 + minutes })
              }}
            />
          </Labelled>
        )}
      </div>
      <p className="mt-1 text-[13px] text-ink-2">{gone ? say.columnGone : times === null ? say.how : say.blanks}</p>
    </details>
  )
}
