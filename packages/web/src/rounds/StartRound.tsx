import { routes } from '@hand-post/contract'
import type { Letter } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Plus } from 'lucide-react'
import { Popover } from 'radix-ui'
import { FormProvider } from 'react-hook-form'
import { useNavigate } from 'react-router'
import { ask, stale } from '../api.ts'
import { Field, FormFault, figure, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { Button } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { startRound as say } from './words.ts'

/** Starts a round: a title and a mailbox, nothing more. */
export function StartRound({
  opened = false,
  list,
  letter,
}: {
  opened?: boolean
  /** The letter that it begins with, where one was chosen. */
  letter?: () => Promise<Letter>
  /** The list that it goes to, where that is known already. */
  list?: { id: number; name: string }
}) {
  const form = useSchemaForm(routes.startRound.body, { title: '', listId: list?.id })
  const mailboxes = useQuery(query.mailboxes()).data ?? []
  const go = useNavigate()
  const start = useFormChange(form, routes.startRound, async (round) => {
    if (letter) await ask(routes.changeRound, { params: { round: round.id }, body: { letter: await letter() } })
    void stale(keys.rounds())
    void go(`/rounds/${round.id}/people`)
  })
  return (
    <Popover.Root defaultOpen={opened}>
      <Popover.Trigger asChild>
        <Button kind="primary">
          <Plus aria-hidden size={16} /> {list || letter ? say.startRound : say.startRound2}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="paper z-50 w-80 p-4 shadow-lg">
          <FormProvider {...form}>
            <form noValidate onSubmit={form.handleSubmit((body) => start.mutate({ body }))} className="space-y-3">
              <Field name="title" label={say.whatRoundAbout} hint={say.onlyYouSeeTitle}>
                {(control) => <input className="input w-full" placeholder={say.seasonPermits} {...control} />}
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
                {list ? say.startRound3 : say.startPeople}
              </Button>
            </form>
          </FormProvider>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
