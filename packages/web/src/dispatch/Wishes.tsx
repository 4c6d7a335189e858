import { tz } from '@date-fns/tz'
import { dispatchSchema } from '@hand-post/contract'
import { addressesOf } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { addHours, format, parseISO, startOfHour } from 'date-fns'
import { useEffect, useMemo } from 'react'
import { FormProvider } from 'react-hook-form'
import { useLetter, useWork } from '../rounds/RoundContext.tsx'
import { DateEntry } from '../shared/dates.tsx'
import { Field, figure, useSchemaForm } from '../shared/form.tsx'
import { query } from '../shared/queries.ts'
import { wishes as say } from './words.ts'

const paceSchema = dispatchSchema.pick({ perMinute: true })

/** What a pace means. */
function paceWords(perMinute: number): string {
  if (perMinute >= 1) return say.carefulPace10Or
  const minutes = Math.round(1 / perMinute)
  return minutes >= 60 ? say.oneLetterHour : say.oneLetterEvery(minutes)
}

/** How fast the letters go. A pace counts as soon as it is one; until then the one before stays, and that is said. */
function Pace() {
  const { round, change } = useWork()
  const { perMinute } = round.dispatch
  const form = useSchemaForm(paceSchema, { perMinute })
  const { reset, subscribe } = form
  useEffect(() => {
    const { success, data } = paceSchema.safeParse(form.getValues())
    if (!success || data.perMinute !== perMinute) reset({ perMinute })
  }, [perMinute, reset, form.getValues])
  useEffect(
    () =>
      subscribe({
        formState: { values: true },
        callback: ({ values, type }) => {
          const read = paceSchema.safeParse(values)
          void form.trigger()
          if (type === 'change' && read.success) void change({ dispatch: { perMinute: read.data.perMinute } })
        },
      }),
    [subscribe, form.trigger, change],
  )
  const wrong = form.formState.errors.perMinute !== undefined
  return (
    <FormProvider {...form}>
      <Field
        name="perMinute"
        options={figure}
        className="max-w-64"
        label={say.lettersMinute}
        hint={wrong ? say.untilMendedStays(perMinute) : paceWords(perMinute)}
      >
        {(control) => <input className="input w-24" type="number" step="any" {...control} />}
      </Field>
    </FormProvider>
  )
}

/** When, how fast, and what to find out afterwards. */
export function Wishes({ zone }: { zone: string }) {
  const { round, change } = useWork()
  const health = useQuery(query.health()).data
  const { letter } = useLetter()
  const hasLinks = useMemo(() => addressesOf(letter).some((href) => /^\s*(?:https?:|\{\{)/i.test(href)), [letter])
  const { startAt } = round.dispatch
  const start = (at: number | null) => void change({ dispatch: { startAt: at } })
  const tick = (name: 'opens' | 'clicks' | 'receipts', label: string) => (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        className="size-4 accent-post"
        disabled={letter.plain && name !== 'receipts'}
        checked={round.tracking[name]}
        onChange={(e) => void change({ tracking: { [name]: e.target.checked } })}
      />
      {label}
    </label>
  )
  return (
    <section aria-label={say.wishes} className="flex flex-wrap gap-x-10 gap-y-4 border-rule border-b px-5 py-4">
      <fieldset className="space-y-1.5">
        <legend className="mb-1 font-bold text-[13px]">{say.firstLetterLeaves}</legend>
        <label className="flex items-center gap-2">
          <input
            type="radio"
            name="start"
            className="size-4 accent-post"
            checked={startAt === null}
            onChange={() => start(null)}
          />
          {say.asSoonAsRound}
        </label>
        <label className="flex items-center gap-2">
          <input
            type="radio"
            name="start"
            className="size-4 accent-post"
            checked={startAt !== null}
            // The next full hour that is at least an hour away.
            onChange={() => start(addHours(startOfHour(Date.now()), 2).getTime())}
          />
          {say.dayHour}
        </label>
        {startAt !== null && (
          <DateEntry
            label={say.dayHourFirstLetter}
            kind="dateTime"
            className="ml-6"
            value={format(startAt, "yyyy-MM-dd'T'HH:mm", { in: tz(zone) })}
            onChange={(at) => at !== '' && start(parseISO(at, { in: tz(zone) }).getTime())}
          />
        )}
        {startAt !== null && startAt < Date.now() && (
          <p className="ml-6 text-[13px] text-ask">{say.pastFirstLetterLeaves}</p>
        )}
      </fieldset>
      <Pace key={round.id} />
      <fieldset className="space-y-1">
        <legend className="mb-1 font-bold text-[13px]">{say.keepTrack}</legend>
        {tick('opens', say.whoOpensSmallPicture)}
        {tick('clicks', say.whoFollowsLinks)}
        {letter.plain && <p className="ml-6 max-w-xs text-[13px] text-ink-2">{say.plainUntracked}</p>}
        {round.tracking.clicks && !hasLinks && (
          <p className="ml-6 max-w-xs text-[13px] text-ask">{say.thereNoLinkLetter}</p>
        )}
        {tick('receipts', say.whoHasReadAsking)}
        {health?.publicIsLocal && (round.tracking.opens || round.tracking.clicks) && (
          <p className="max-w-xs text-[13px] text-ask">{say.publicAddressMachineOnly}</p>
        )}
      </fieldset>
    </section>
  )
}
