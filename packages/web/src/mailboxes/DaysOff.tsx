import { type MailboxHours, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { parseISO } from 'date-fns'
import { Plus, X } from 'lucide-react'
import { useState } from 'react'
import { useFormContext } from 'react-hook-form'
import { ask, faultWords } from '../api.ts'
import { DateEntry, dayWords } from '../shared/dates.tsx'
import { Button, Labelled, Say } from '../shared/parts.tsx'
import { keys } from '../shared/queries.ts'
import { daysOff as say } from './words.ts'

type Off = MailboxHours['off'][number]
type Holidays = MailboxHours['holidays']

const days = ({ from, to }: { from: string; to: string }) =>
  from === to ? dayWords(parseISO(from)) : `${dayWords(parseISO(from))} – ${dayWords(parseISO(to))}`

/** Days on which nothing leaves: public holidays of a place, and others. */
export function DaysOff() {
  const { watch, setValue } = useFormContext()
  const off = watch('hours.off') as Off[]
  const holidays = watch('hours.holidays') as Holidays
  const put = (name: 'off' | 'holidays', value: Off[] | Holidays) =>
    setValue(`hours.${name}`, value, { shouldDirty: true, shouldTouch: true })
  return (
    <div className="space-y-3">
      <PublicHolidays holidays={holidays} onChange={(value) => put('holidays', value)} />
      <FurtherDays off={off} onChange={(value) => put('off', value)} />
    </div>
  )
}

/** Single days and ranges on which nothing leaves: shown, taken away, added. */
export function FurtherDays({
  title = say.further,
  off,
  onChange,
}: {
  title?: string
  off: Off[]
  onChange: (off: Off[]) => void
}) {
  return (
    <div>
      <h4 className="font-bold text-[13px]">{title}</h4>
      {off.length === 0 ? (
        <p className="text-[13px] text-ink-2">{say.noFurther}</p>
      ) : (
        <ul>
          {off.map((one) => (
            <li key={`${one.from} ${one.to} ${one.name}`} className="flex items-center gap-2">
              {days(one)}
              {one.name && `: ${one.name}`}
              <Button
                kind="quiet"
                aria-label={say.takeAway(days(one))}
                onClick={() => onChange(off.filter((other) => other !== one))}
              >
                <X aria-hidden size={14} />
              </Button>
            </li>
          ))}
        </ul>
      )}
      <AddDays onAdd={(one) => onChange([...off, one].sort((a, b) => a.from.localeCompare(b.from)))} />
    </div>
  )
}

/** A day off, or several in a row. */
function AddDays({ onAdd }: { onAdd: (one: Off) => void }) {
  const empty = { from: '', to: '', name: '' }
  const [one, setOne] = useState(empty)
  const [fault, setFault] = useState<string | null>(null)
  const add = () => {
    const to = one.to === '' ? one.from : one.to
    if (one.from === '') return setFault(say.firstMissing)
    if (to < one.from) return setFault(say.lastBeforeFirst)
    setFault(null)
    setOne(empty)
    onAdd({ from: one.from, to, name: one.name.trim() })
  }
  return (
    <div className="mt-1">
      <div className="flex flex-wrap items-end gap-3">
        <div>
          <span className="block text-[13px]">{say.from}</span>
          <DateEntry label={say.first} kind="date" value={one.from} onChange={(from) => setOne({ ...one, from })} />
        </div>
        <div>
          <span className="block text-[13px]">{say.to}</span>
          <DateEntry label={say.last} kind="date" value={one.to} onChange={(to) => setOne({ ...one, to })} />
        </div>
        <label className="block">
          <span className="block text-[13px]">{say.why}</span>
          <input
            className="input w-44"
            maxLength={100}
            value={one.name}
            onChange={(e) => setOne({ ...one, name: e.target.value })}
          />
        </label>
        <Button onClick={add}>
          <Plus aria-hidden size={14} /> {say.add}
        </Button>
      </div>
      {fault && (
        <p role="alert" className="mt-1 text-[13px] text-stop">
          {fault}
        </p>
      )}
    </div>
  )
}

/** The public holidays of a country and region: shown, and each may be worked. */
function PublicHolidays({ holidays, onChange }: { holidays: Holidays; onChange: (holidays: Holidays) => void }) {
  const place = holidays && { country: holidays.country, region: holidays.region ?? undefined }
  const known = useQuery({
    queryKey: [...keys.mailboxes(), 'holidays', place],
    queryFn: ({ signal }) => ask(routes.holidays, { query: place ?? {}, signal }),
    placeholderData: (before) => before,
  })
  const { countries = [], regions = [], days: found = [] } = known.data ?? {}
  const worked = new Set(holidays?.worked)
  const today = new Date().toISOString().slice(0, 10)
  const coming = found.filter((one) => one.to >= today)
  return (
    <div className="space-y-2">
      <div className="flex flex-wrap items-end gap-3">
        <Labelled label={say.holidaysOf}>
          <select
            className="input w-64"
            value={holidays?.country ?? ''}
            onChange={(e) =>
              onChange(e.target.value === '' ? null : { country: e.target.value, region: null, worked: [] })
            }
          >
            <option value="">{say.none}</option>
            {countries.map(({ code, name }) => (
              <option key={code} value={code}>
                {name}
              </option>
            ))}
          </select>
        </Labelled>
        {holidays && regions.length > 0 && (
          <Labelled label={say.region}>
            <select
              className="input w-56"
              value={holidays.region ?? ''}
              onChange={(e) => onChange({ ...holidays, region: e.target.value || null, worked: [] })}
            >
              <option value="">{say.wholeCountry}</option>
              {regions.map(({ code, name }) => (
                <option key={code} value={code}>
                  {name}
                </option>
              ))}
            </select>
          </Labelled>
        )}
      </div>
      {known.error ? (
        <Say tone="stop">{faultWords(known.error)}</Say>
      ) : (
        holidays &&
        (coming.length === 0 ? (
          <p className="text-[13px] text-ask">{say.noHolidays}</p>
        ) : (
          <details>
            <summary className="cursor-pointer text-[14px]">
              {say.off(coming.filter((one) => !worked.has(one.from)).length, coming.length)}
            </summary>
            <ul className="mt-1 grid gap-x-6 sm:grid-cols-2">
              {coming.map((one) => (
                <li key={one.from}>
                  <label className="flex items-center gap-2">
                    <input
                      type="checkbox"
                      className="size-4 accent-post"
                      checked={!worked.has(one.from)}
                      onChange={(e) =>
                        onChange({
                          ...holidays,
                          worked: e.target.checked
                            ? holidays.worked.filter((day) => day !== one.from)
                            : [...holidays.worked, one.from].sort(),
                        })
                      }
                    />
                    {days(one)}: {one.name}
                  </label>
                </li>
              ))}
            </ul>
          </details>
        ))
      )}
    </div>
  )
}
