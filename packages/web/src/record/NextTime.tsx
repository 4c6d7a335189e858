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
import { Button, Say, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { nextTime as say } from './words.ts'

type Offered = z.output<typeof routes.nextTime.answer>

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
  const form = useSchemaForm(routes.beginNextTime.body, {
    title: offered.title,
    days: offered.days.map(({ words, next }) => ({ words, to: next })),
  })
  const begin = form.handleSubmit(async (body) => {
    try {
      const { round: id } = await ask(routes.beginNextTime, { params: { round: round.id }, body })
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
