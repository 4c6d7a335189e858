import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { CopyPlus } from 'lucide-react'
import { useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { useNavigate } from 'react-router'
import type { z } from 'zod'
import { ask, faultWords, stale } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Field, useSchemaForm } from '../shared/form.tsx'
import { Button, Labelled, Say, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { nextTime as say } from './words.ts'

type Offered = z.output<typeof routes.nextTime.answer>
/** Whom it is for, by what came of the round before. */
type Who = Pick<z.output<typeof routes.beginNextTime.body>['people'], 'who' | 'word'>

/** Where a round like the one that is open is begun: the days that its letter names are asked for. */
export function NextTime() {
  const { round } = useWork()
  const [open, setOpen] = useState(false)
  const offered = useQuery({ ...query.nextTime(round.id), enabled: open })
  return (
    <section aria-label={say.title} className="space-y-2">
      <h3 className="font-bold">{say.title}</h3>
      <p className="text-[14px] text-ink-2">{say.what(round.list?.name ?? null)}</p>
      {!open ? (
        <Button onClick={() => setOpen(true)}>
          <CopyPlus aria-hidden size={16} /> {say.begin}
        </Button>
      ) : offered.error ? (
        <Say tone="stop">{faultWords(offered.error)}</Say>
      ) : offered.data ? (
        <Asking offered={offered.data} />
      ) : (
        <Waiting />
      )}
    </section>
  )
}

function Asking({ offered }: { offered: Offered }) {
  const { round } = useWork()
  const go = useNavigate()
  const [fault, setFault] = useState<string | null>(null)
  const [who, setWho] = useState<Who>({ who: 'everybody' })
  const [reached, setReached] = useState(false)
  const form = useSchemaForm(routes.beginNextTime.body, {
    title: offered.title,
    days: offered.days.map(({ words, next }) => ({ words, to: next })),
    people: { who: 'everybody', reached: false },
  })
  const begin = form.handleSubmit(async (body) => {
    try {
      const { round: id } = await ask(routes.beginNextTime, {
        params: { round: round.id },
        body: { ...body, people: { ...who, reached } },
      })
      await stale(keys.rounds())
      await go(`/rounds/${id}/letter`)
    } catch (error) {
      setFault(faultWords(error))
    }
  })
  return (
    <form noValidate onSubmit={begin} className="space-y-3">
      <FormProvider {...form}>
        <Field name="title" label={say.name}>
          {(control) => <input className="input w-full" {...control} />}
        </Field>
        {offered.people && (
          <ToWhom people={offered.people} who={who} setWho={setWho} reached={reached} setReached={setReached} />
        )}
        <p className="text-[14px]">{offered.days.length > 0 ? say.days : say.noDays}</p>
        {offered.days.map(({ words }, i) => (
          <Field key={words} name={`days.${i}.to`} label={say.instead(words)}>
            {(control) => <input className="input w-full" {...control} />}
          </Field>
        ))}
      </FormProvider>
      <Button kind="primary" type="submit" disabled={form.formState.isSubmitting}>
        {say.start}
      </Button>
      {fault && <Say tone="stop">{fault}</Say>}
    </form>
  )
}

function ToWhom({
  people,
  who,
  setWho,
  reached,
  setReached,
}: {
  people: NonNullable<Offered['people']>
  who: Who
  setWho: (who: Who) => void
  reached: boolean
  setReached: (reached: boolean) => void
}) {
  const options: [Who, string][] = [
    [{ who: 'everybody' }, say.who.everybody],
    [{ who: 'answered' }, say.who.answered(people.answered)],
    [{ who: 'notAnswered' }, say.who.notAnswered(people.notAnswered)],
    ...people.choices.map(({ choice, people: n }): [Who, string] => [
      { who: 'choice', word: choice },
      say.who.choice(choice, n),
    ]),
    ...people.words.map(({ word, people: n }): [Who, string] => [{ who: 'word', word }, say.who.word(word, n)]),
  ]
  const at = options.findIndex(([one]) => one.who === who.who && one.word === who.word)
  return (
    <div className="space-y-1">
      <Labelled label={say.whom}>
        <select className="input w-full" value={at} onChange={(e) => setWho(options[Number(e.target.value)][0])}>
          {options.map(([, words], i) => (
            <option key={words} value={i}>
              {words}
            </option>
          ))}
        </select>
      </Labelled>
      {people.notReached > 0 && (
        <label className="flex items-baseline gap-2">
          <input
            type="checkbox"
            className="size-4 shrink-0 translate-y-0.5 accent-post"
            checked={reached}
            onChange={(e) => setReached(e.target.checked)}
          />
          {say.reached(people.notReached)}
        </label>
      )}
      {(who.who !== 'everybody' || reached) && <p className="text-[14px] text-ink-2">{say.columns}</p>}
    </div>
  )
}
