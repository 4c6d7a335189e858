import { routes } from '@hand-post/contract'
import { useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { renderSVG } from 'uqr'
import { z } from 'zod'
import { stale } from '../api.ts'
import { Field, FormFault, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { Ask, Button, Paper } from '../shared/parts.tsx'
import { keys } from '../shared/queries.ts'
import { Copy } from './Copy.tsx'
import { account as say, signIn } from './words.ts'

const fresh = () => stale(keys.accounts())
const passwordOnly = z.object({ password: z.string().min(1, signIn.typePassword).max(1000) })
const codeOnly = z.object({ code: z.string().trim().min(1, signIn.typeCode).max(40) })

/** The one-time code: having it asked for, and not any more. */
export function CodePart({ on, left }: { on: boolean; left: number }) {
  const [begun, setBegun] = useState<{ secret: string; uri: string; password: string } | null>(null)
  const [open, setOpen] = useState(false)
  const [recovery, setRecovery] = useState<string[] | null>(null)
  return (
    <Paper title={say.codeTitle}>
      <div className="space-y-3 px-4 py-3">
        <p>{on ? say.codeOn(left) : say.codeOff}</p>
        {begun ? (
          <Scan
            {...begun}
            onDone={async (codes) => {
              setBegun(null)
              setRecovery(codes)
              await fresh()
            }}
            onClose={() => setBegun(null)}
          />
        ) : open ? (
          <Confirm
            on={on}
            onBegun={(next) => {
              setOpen(false)
              setBegun(next)
            }}
            onClose={() => setOpen(false)}
          />
        ) : (
          <Button onClick={() => setOpen(true)}>{on ? say.codeEnd : say.codeBegin}</Button>
        )}
      </div>
      {recovery && <Recovery codes={recovery} onClose={() => setRecovery(null)} />}
    </Paper>
  )
}

/** Asks for the password before anything of the code is changed. */
function Confirm({
  on,
  onBegun,
  onClose,
}: {
  on: boolean
  onBegun: (begun: { secret: string; uri: string; password: string }) => void
  onClose: () => void
}) {
  const form = useSchemaForm(passwordOnly, { password: '' }, 'whenSent')
  const begin = useFormChange(form, routes.beginCode, (given) =>
    onBegun({ ...given, password: form.getValues('password') }),
  )
  const end = useFormChange(form, routes.endCode, async () => {
    onClose()
    await fresh()
  })
  return (
    <form
      noValidate
      onSubmit={form.handleSubmit((body) => (on ? end : begin).mutate({ body }))}
      className="max-w-sm space-y-3"
    >
      <FormProvider {...form}>
        <Field name="password" label={say.codeConfirmPassword}>
          {(control) => (
            <input
              className="input w-full"
              type="password"
              autoComplete="current-password"
              // biome-ignore lint/a11y/noAutofocus: it was asked for
              autoFocus
              {...control}
            />
          )}
        </Field>
        <FormFault />
      </FormProvider>
      <div className="flex gap-2">
        <Button kind="primary" type="submit" disabled={begin.isPending || end.isPending}>
          {on ? say.codeEnd : say.goOn}
        </Button>
        <Button onClick={onClose}>{signIn.back}</Button>
      </div>
    </form>
  )
}

/** The picture to be scanned, and the first code by which it is seen that that worked. */
function Scan({
  secret,
  uri,
  password,
  onDone,
  onClose,
}: {
  secret: string
  uri: string
  password: string
  onDone: (recovery: string[]) => unknown
  onClose: () => void
}) {
  const form = useSchemaForm(codeOnly, { code: '' }, 'whenSent')
  const confirm = useFormChange(form, routes.confirmCode, ({ recovery }) => onDone(recovery))
  return (
    <form
      noValidate
      onSubmit={form.handleSubmit(({ code }) => confirm.mutate({ body: { secret, code, password } }))}
      className="flex flex-wrap gap-5"
    >
      <img
        alt={say.picture}
        className="size-44 border border-rule bg-white p-1"
        src={`data:image/svg+xml,${encodeURIComponent(renderSVG(uri, { border: 2 }))}`}
      />
      <div className="min-w-64 flex-1 space-y-3">
        <p>{say.scan}</p>
        <p className="break-all font-mono text-[14px]">
          <span className="font-bold font-sans text-[13px]">{say.key}</span> {secret.replace(/(.{4})(?=.)/g, '$1 ')}
        </p>
        <FormProvider {...form}>
          <Field name="code" label={say.codeNow}>
            {(control) => (
              <input className="input w-40" inputMode="numeric" autoComplete="one-time-code" {...control} />
            )}
          </Field>
          <FormFault />
        </FormProvider>
        <div className="flex gap-2">
          <Button kind="primary" type="submit" disabled={confirm.isPending}>
            {say.codeConfirm}
          </Button>
          <Button onClick={onClose}>{signIn.back}</Button>
        </div>
      </div>
    </form>
  )
}

/** The recovery codes, which are shown once. */
function Recovery({ codes, onClose }: { codes: string[]; onClose: () => void }) {
  return (
    <Ask
      open
      onClose={onClose}
      title={say.recoveryTitle}
      keep={say.kept}
      act={<Copy text={codes.join('\n')}>{say.copyAll}</Copy>}
    >
      <p>{say.recoveryMore}</p>
      <ol className="grid grid-cols-2 gap-x-6 gap-y-1 font-mono">
        {codes.map((code) => (
          <li key={code}>{code}</li>
        ))}
      </ol>
    </Ask>
  )
}
