import { routes } from '@hand-post/contract'
import type { Letter } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { type RefObject, useEffect } from 'react'
import { FormProvider } from 'react-hook-form'
import { useNavigate } from 'react-router'
import type { z } from 'zod'
import { ask, stale } from '../api.ts'
import { Field, FormFault, figure, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { Button } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { startRound as say } from './words.ts'

export type StartValues = z.input<typeof routes.startRound.body>

/** A round's title and mailbox, filled in. */
export function StartRoundForm({
  kept,
  letter,
  ofList,
}: {
  /** What is filled in, kept while this is not there. */
  kept: RefObject<StartValues>
  letter?: () => Promise<Letter>
  ofList: boolean
}) {
  const form = useSchemaForm(routes.startRound.body, kept.current)
  useEffect(
    () =>
      form.subscribe({
        formState: { values: true },
        callback: ({ values }) => {
          kept.current = values
        },
      }),
    [form, kept],
  )
  const mailboxes = useQuery(query.mailboxes()).data ?? []
  const go = useNavigate()
  const start = useFormChange(form, routes.startRound, async (round) => {
    if (letter) await ask(routes.changeRound, { params: { round: round.id }, body: { letter: await letter() } })
    void stale(keys.rounds())
    void go(`/rounds/${round.id}/people`)
  })
  return (
    <FormProvider {...form}>
      <form noValidate onSubmit={form.handleSubmit((body) => start.mutate({ body }))} className="space-y-3">
        <Field name="title" label={say.whatRoundAbout} hint={say.onlyYouSeeTitle}>
          {(control) => (
            // biome-ignore lint/a11y/noAutofocus: it was opened to be filled in
            <input autoFocus className="input w-full" placeholder={say.seasonPermits} {...control} />
          )}
        </Field>
        {mailboxes.length > 1 && (
          <Field name="mailboxId" options={figure} label={say.fromWhichMailbox}>
            {(control) => (
              <select className="input w-full" {...control}>
                {mailboxes.map((m) => (
                  <option key={m.id} value={m.id}>
                    {m.name}, {m.address}
                  </option>
                ))}
              </select>
            )}
          </Field>
        )}
        <FormFault />
        <Button kind="primary" type="submit" disabled={start.isPending}>
          {ofList ? say.startRound3 : say.startPeople}
        </Button>
      </form>
    </FormProvider>
  )
}
