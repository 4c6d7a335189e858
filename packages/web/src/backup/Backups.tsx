import { addressOf, routes } from '@hand-post/contract'
import { sizeWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Download, PackageCheck } from 'lucide-react'
import { FormProvider } from 'react-hook-form'
import { z } from 'zod'
import { ask, faultWords, stale } from '../api.ts'
import { Field, useSchemaForm } from '../shared/form.tsx'
import { Making, useMaking } from '../shared/making.tsx'
import { Button, Empty, Paper, Say, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { backups as say } from './words.ts'

const passphrase = routes.makeBackup.body.shape.passphrase.unwrap()
const schema = z.discriminatedUnion('key', [
  z
    .object({ key: z.literal('sealed'), passphrase, again: z.string() })
    .refine((given) => given.passphrase === given.again, { path: ['again'], message: say.notTheSame }),
  z.object({ key: z.literal('apart'), passphrase: z.string(), again: z.string() }),
])

/** Copies of everything: when one was made last, making one, and how one is put back. */
export default function Backups() {
  const known = useQuery(query.backups())
  return (
    <div className="mx-auto max-w-3xl space-y-4 p-5">
      <header>
        <h1 className="text-2xl">{say.title}</h1>
        <p className="text-ink-2">{say.what}</p>
      </header>
      {known.error ? (
        <Empty title={say.cannotShown}>{faultWords(known.error)}</Empty>
      ) : !known.data ? (
        <Waiting />
      ) : (
        <>
          {known.data.restored && (
            <Say tone="ask">
              {say.restored(known.data.restored.madeAt, known.data.restored.restoredAt)}{' '}
              {known.data.restored.letters + known.data.restored.copies > 0 &&
                say.waited(known.data.restored.letters, known.data.restored.copies)}
            </Say>
          )}
          <Paper title={say.make}>
            {known.data.cannot !== null ? (
              <div className="p-4">
                <Say tone="note">{known.data.cannot}</Say>
              </div>
            ) : (
              <MakeOne
                last={
                  known.data.last
                    ? say.last(known.data.last.madeAt, sizeWords(known.data.last.size), known.data.last.withKey)
                    : say.never
                }
              />
            )}
          </Paper>
          <Paper title={say.back}>
            <div className="space-y-2 px-4 py-3">
              <p>{say.backHint}</p>
              <code className="block overflow-x-auto whitespace-pre bg-sheet-2 px-3 py-1.5 text-[13px]">
                {say.command}
              </code>
              <p>{say.byCommand}</p>
              <code className="block overflow-x-auto whitespace-pre bg-sheet-2 px-3 py-1.5 text-[13px]">
                {say.makeCommand}
              </code>
            </div>
          </Paper>
        </>
      )}
    </div>
  )
}

function MakeOne({ last }: { last: string }) {
  const form = useSchemaForm(schema, { key: 'sealed', passphrase: '', again: '' })
  const { busy, made, fault, start, stop } = useMaking<{
    backup: string
    name: string
    size: number
    damaged: string[]
  }>()
  const key = form.watch('key')
  const make = form.handleSubmit((given) =>
    start(async (signal) => {
      const body = { passphrase: given.key === 'sealed' ? given.passphrase : null }
      const done = await ask(routes.makeBackup, { body, signal })
      await stale(keys.backups())
      return done
    }),
  )
  return (
    <form noValidate onSubmit={make} className="space-y-3 px-4 py-3">
      <p className="text-[14px] text-ink-2">{last}</p>
      <FormProvider {...form}>
        <fieldset disabled={busy} className="space-y-2">
          <legend className="font-bold text-[13px]">{say.key}</legend>
          <p className="text-[13px] text-ink-2">{say.keyHint}</p>
          {(['sealed', 'apart'] as const).map((one) => (
            <div key={one} className="space-y-2">
              <label className="flex items-baseline gap-2">
                <input
                  type="radio"
                  value={one}
                  className="size-4 shrink-0 translate-y-0.5 accent-post"
                  {...form.register('key')}
                />
                {say[one]}
              </label>
              {one === 'sealed' && key === 'sealed' && (
                <div className="grid gap-3 pl-6 sm:grid-cols-2">
                  <Field name="passphrase" label={say.passphrase} hint={say.passphraseHint}>
                    {(control) => (
                      <input className="input w-full" type="password" autoComplete="new-password" {...control} />
                    )}
                  </Field>
                  <Field name="again" label={say.again}>
                    {(control) => (
                      <input className="input w-full" type="password" autoComplete="new-password" {...control} />
                    )}
                  </Field>
                </div>
              )}
            </div>
          ))}
        </fieldset>
      </FormProvider>
      {busy ? (
        <Making of={null} stop={stop} />
      ) : (
        <Button kind="primary" type="submit">
          <PackageCheck aria-hidden size={16} /> {say.make}
        </Button>
      )}
      {fault && <Say tone="stop">{fault}</Say>}
      {made && (
        <Say tone="good">
          {say.ready(made.name, sizeWords(made.size))}{' '}
          <a
            className="font-bold text-post underline"
            href={addressOf(routes.backup, { params: { backup: made.backup } })}
            download
          >
            <Download aria-hidden size={15} className="inline" /> {say.save}
          </a>
        </Say>
      )}
      {made && made.damaged.length > 0 && (
        <Say tone="stop">
          {say.damaged(made.damaged)}
          <ul className="list-disc pl-5">
            {made.damaged.map((name) => (
              <li key={name}>{name}</li>
            ))}
          </ul>
        </Say>
      )}
    </form>
  )
}
