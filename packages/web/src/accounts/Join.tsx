import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { ask, faultWords } from '../api.ts'
import { FormFault, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { HandMark } from '../shared/HandMark.tsx'
import { Button, Empty, Paper, Waiting } from '../shared/parts.tsx'
import { NewPassword, newPassword } from './NewPassword.tsx'
import { join as say } from './words.ts'

/** Takes an invitation: its token stands behind # in the address, which no server sees. */
export default function Join() {
  // Read once: the page's address is cleared of it as soon as it was taken.
  const [token] = useState(() => location.hash.slice(1))
  const look = useQuery({
    queryKey: ['invitation', token],
    queryFn: () => ask(routes.lookAtInvitation, { body: { token } }),
    enabled: token !== '',
    retry: false,
  })
  const toDesk = <Button onClick={() => location.replace('/')}>{say.toDesk}</Button>
  return (
    <main className="mx-auto max-w-md px-4 pt-20">
      {token === '' || look.error ? (
        <Empty title={say.cannot} action={toDesk}>
          {look.error ? faultWords(look.error) : say.noToken}
        </Empty>
      ) : !look.data ? (
        <Waiting />
      ) : (
        <Paper title={say.title}>
          <Choose token={token} {...look.data} />
        </Paper>
      )}
    </main>
  )
}

function Choose({ token, name, address, until }: { token: string; name: string; address: string; until: number }) {
  const form = useSchemaForm(newPassword, { password: '', again: '' }, 'whenSent')
  const take = useFormChange(form, routes.takeInvitation, () => location.replace('/'))
  return (
    <form
      noValidate
      onSubmit={form.handleSubmit(({ password }) => take.mutate({ body: { token, password } }))}
      className="space-y-3 p-4"
    >
      <div className="flex items-start gap-2">
        <HandMark />
        <p>
          {say.forWhom(name, address)} <span className="text-ink-2">{say.until(until)}</span>
        </p>
      </div>
      {/* So that the browser keeps the password under the right name. */}
      <input type="email" autoComplete="username" value={address} readOnly hidden />
      <FormProvider {...form}>
        <NewPassword label={say.choose} hint={say.chooseHint} />
        <FormFault />
      </FormProvider>
      <Button kind="primary" type="submit" disabled={take.isPending}>
        {say.take}
      </Button>
    </form>
  )
}
