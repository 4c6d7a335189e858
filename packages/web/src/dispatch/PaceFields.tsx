import { tz } from '@date-fns/tz'
import type { Mailbox, RoundDispatch } from '@hand-post/contract'
import { readyWeeks, usualBrake, weekWords } from '@hand-post/core'
import { addHours, format, parseISO, startOfHour } from 'date-fns'
import { useEffect } from 'react'
import { FormProvider } from 'react-hook-form'
import { z } from 'zod'
import { FurtherDays } from '../mailboxes/DaysOff.tsx'
import { WeekFields } from '../mailboxes/WeekFields.tsx'
import { weekForm, weekTexts } from '../mailboxes/weekForm.ts'
import { DateEntry } from '../shared/dates.tsx'
import { Field, figure, optionalFigure, useSchemaForm } from '../shared/form.tsx'
import { paceForm, paceValues } from './paceForm.ts'
import { Choice, Tick } from './ticks.tsx'
import { paceFields as say } from './words.ts'

/** A pace, and how another is wished for. */
interface PaceProps {
  pace: RoundDispatch
  mailbox: Pick<Mailbox, 'timeZone' | 'hours'>
  onChange: (changes: Partial<RoundDispatch>) => void
}

/** When the first letter leaves, how fast they go, and at which hours. */
export function PaceFields(props: PaceProps) {
  return (
    <div className="flex flex-wrap gap-x-8 gap-y-4">
      <div className="w-70 space-y-4">
        <FirstLetter {...props} />
        <Hours {...props} />
      </div>
      <Pace {...props} />
      {props.pace.hours !== null && <OwnHours hours={props.pace.hours} onChange={props.onChange} />}
    </div>
  )
}

const written = (at: number, zone: string) => format(at, "yyyy-MM-dd'T'HH:mm", { in: tz(zone) })
const read = (text: string, zone: string) => parseISO(text, { in: tz(zone) }).getTime()
/** The next full hour that is at least so many hours away. */
const soon = (hours: number) => addHours(startOfHour(Date.now()), hours + 1).getTime()

function FirstLetter({ pace: { startAt }, mailbox: { timeZone }, onChange }: PaceProps) {
  return (
    <fieldset className="space-y-1.5">
      <legend className="mb-1 font-bold text-[13px]">{say.firstLetterLeaves}</legend>
      <Choice
        name="start"
        label={say.asSoonAsRound}
        checked={startAt === null}
        onChoose={() => onChange({ startAt: null })}
      />
      <Choice
        name="start"
        label={say.dayHour}
        checked={startAt !== null}
        onChoose={() => onChange({ startAt: soon(1) })}
      />
      {startAt !== null && (
        <DateEntry
          label={say.dayHourFirstLetter}
          kind="dateTime"
          className="ml-6"
          value={written(startAt, timeZone)}
          onChange={(at) => at !== '' && onChange({ startAt: read(at, timeZone) })}
        />
      )}
      {startAt !== null && startAt < Date.now() && (
        <p className="ml-6 text-[13px] text-ask">{say.pastFirstLetterLeaves}</p>
      )}
    </fieldset>
  )
}

/** What a pace means. */
function paceWords(perMinute: number): string {
  if (perMinute >= 1) return say.carefulPace10Or
  const minutes = Math.round(1 / perMinute)
  return minutes >= 60 ? say.oneLetterHour : say.oneLetterEvery(minutes)
}

/** How fast the letters go. A pace counts as soon as it is one; until then the one before stays, and that is said. */
function Pace({ pace, mailbox: { timeZone }, onChange }: PaceProps) {
  const form = useSchemaForm(paceForm, paceValues(pace))
  const { reset, subscribe, trigger, getValues } = form
  const stored = JSON.stringify(paceValues(pace))
  useEffect(() => {
    const typed = paceForm.safeParse(getValues())
    if (!typed.success) return
    if (JSON.stringify(paceValues({ ...pace, ...typed.data })) !== stored) reset(JSON.parse(stored))
  }, [stored, reset, getValues, pace])
  useEffect(
    () =>
      subscribe({
        formState: { values: true },
        callback: ({ values, type }) => {
          const typed = paceForm.safeParse(values)
          void trigger()
          if (type === 'change' && typed.success) onChange(typed.data)
        },
      }),
    [subscribe, trigger, onChange],
  )
  const perMinuteHint = form.formState.errors.perMinute
    ? say.untilMendedStays(pace.perMinute)
    : paceWords(pace.perMinute)
  return (
    <FormProvider {...form}>
      <fieldset className="w-72 space-y-2">
        <legend className="sr-only">{say.pace}</legend>
        <div className="flex gap-x-3">
          <Field name="perMinute" options={figure} className="w-32" label={say.lettersMinute} hint={perMinuteHint}>
            {(control) => <input className="input w-24" type="number" step="any" {...control} />}
          </Field>
          <Field name="perDay" options={optionalFigure} className="w-34" label={say.perDay} hint={say.perDayHint}>
            {(control) => <input className="input w-24" type="number" {...control} />}
          </Field>
        </div>
        <div className="flex gap-x-3">
          <Field name="groupOf" options={optionalFigure} className="w-32" label={say.groupsOf}>
            {(control) => <input className="input w-24" type="number" {...control} />}
          </Field>
          <Field name="rest" options={optionalFigure} className="w-34" label={say.rest}>
            {(control) => <input className="input w-24" type="number" {...control} />}
          </Field>
        </div>
        <Tick label={say.uneven} checked={pace.uneven} onChange={(on) => onChange({ uneven: on })} />
        <Tick
          label={say.evenly}
          checked={pace.until !== null}
          onChange={(on) => onChange({ until: on ? soon(24) : null })}
        />
        {pace.until !== null && (
          <div className="ml-6">
            <DateEntry
              label={say.doneBy}
              kind="dateTime"
              value={written(pace.until, timeZone)}
              onChange={(at) => at !== '' && onChange({ until: read(at, timeZone) })}
            />
            {pace.until <= (pace.startAt ?? Date.now()) && (
              <p role="alert" className="text-[13px] text-stop">
                {say.lastBeforeFirst}
              </p>
            )}
          </div>
        )}
        <Tick
          label={say.brake}
          checked={pace.brake !== null}
          onChange={(on) => onChange({ brake: on ? usualBrake : null })}
        />
        <p className="ml-6 flex items-center gap-2">
          <select
            aria-label={say.brakeShare}
            className="input w-20"
            disabled={pace.brake === null}
            value={pace.brake ?? usualBrake}
            onChange={(e) => onChange({ brake: Number(e.target.value) })}
          >
            {[...new Set([2, 4, usualBrake, 15, 30, pace.brake ?? usualBrake])]
              .sort((a, b) => a - b)
              .map((share) => (
                <option key={share} value={share}>{`${share} %`}</option>
              ))}
          </select>
          {say.brakeRest}
        </p>
        <Tick label={say.goSlower} checked={pace.goSlower} onChange={(on) => onChange({ goSlower: on })} />
      </fieldset>
    </FormProvider>
  )
}

/** The hours at which letters leave: the mailbox's, some of them, or others. */
function Hours({ pace: { hours }, mailbox, onChange }: PaceProps) {
  const own = (instead: boolean) =>
    onChange({ hours: { week: hours?.week ?? readyWeeks.afternoons, off: hours?.off ?? [], instead } })
  return (
    <fieldset className="space-y-1.5">
      <legend className="mb-1 font-bold text-[13px]">{say.hours}</legend>
      <Choice
        name="hours"
        label={say.mailboxHours(weekWords(mailbox.hours.week))}
        checked={hours === null}
        onChoose={() => onChange({ hours: null })}
      />
      <Choice name="hours" label={say.within} checked={hours !== null && !hours.instead} onChoose={() => own(false)} />
      <Choice name="hours" label={say.instead} checked={hours?.instead ?? false} onChoose={() => own(true)} />
    </fieldset>
  )
}

const ownForm: z.ZodType<{ week: NonNullable<RoundDispatch['hours']>['week'] }, { week: string[] }> = z.object({
  week: weekForm,
})

function OwnHours({
  hours,
  onChange,
}: {
  hours: NonNullable<RoundDispatch['hours']>
  onChange: PaceProps['onChange']
}) {
  const form = useSchemaForm(ownForm, { week: weekTexts(hours.week) })
  const { subscribe, trigger } = form
  const stored = JSON.stringify(hours)
  useEffect(
    () =>
      subscribe({
        formState: { values: true },
        callback: ({ values }) => {
          const typed = ownForm.safeParse(values)
          void trigger()
          const now = JSON.parse(stored) as typeof hours
          if (typed.success && JSON.stringify(typed.data.week) !== JSON.stringify(now.week))
            onChange({ hours: { ...now, week: typed.data.week } })
        },
      }),
    [subscribe, trigger, onChange, stored],
  )
  return (
    <FormProvider {...form}>
      <fieldset className="min-w-full">
        <legend className="sr-only">{say.hours}</legend>
        <WeekFields name="week" />
      </fieldset>
      <FurtherDays title={say.daysOff} off={hours.off} onChange={(off) => onChange({ hours: { ...hours, off } })} />
    </FormProvider>
  )
}
