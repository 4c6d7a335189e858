import { routes } from '@hand-post/contract'
import { listed } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { LogOut, MonitorSmartphone } from 'lucide-react'
import { FormProvider } from 'react-hook-form'
import { Link } from 'react-router'
import { toast } from 'sonner'
import { z } from 'zod'
import { faultWords, signOut, stale, tellFault, useChange } from '../api.ts'
import { Field, FormFault, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { useMay } from '../shared/me.ts'
import { Button, Empty, Mark, Paper, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { CodePart } from './CodePart.tsx'
import { NewPassword, passwordTwice, same } from './NewPassword.tsx'
import { account as say } from './words.ts'

const fresh = () => stale(keys.accounts())

/** One's own account: what one may do, password, code, and where one is signed in. */
export default function AccountScreen() {
  const me = useQuery(query.me())
  const health = useQuery(query.health()).data
  const own = me.data?.account
  return (
    <div className="mx-auto max-w-3xl space-y-4 p-5">
      <header>
        <h1 className="text-2xl">{own === null ? say.titleDesk : say.title}</h1>
        {own && (
          <p className="text-ink-2">
            {own.name}, {own.address}
          </p>
        )}
      </header>
      {me.error ? (
        <Empty title={say.cannotShown}>{faultWords(me.error)}</Empty>
      ) : !me.data || !health ? (
        <Waiting />
      ) : own ? (
        <>
          <MayDo />
          <ChangePassword has={me.data.hasPassword} address={own.address} />
          {me.data.hasPassword && <CodePart on={own.code} left={me.data.recoveryLeft} />}
          <Sessions />
        </>
      ) : health.asksPassword ? (
        <>
          <SetUp />
          <Sessions />
        </>
      ) : (
        <Empty title={say.nobodySigns}>{say.nobodySignsMore}</Empty>
      )}
    </div>
  )
}

function MayDo() {
  const may = useMay()
  const colleagues = useQuery(query.colleagues()).data ?? []
  const posters = colleagues.filter(({ mayPost }) => mayPost).map(({ name }) => name)
  return (
    <Paper>
      <div className="space-y-1 px-4 py-3">
        <p>{say.mayWrite}</p>
        <p>{may.post ? say.mayPost : say.mayNotPost(listed(posters))}</p>
        {may.keep && (
          <p>
            {say.mayKeep}{' '}
            <Link to="/colleagues" className="text-post underline">
              {say.toColleagues}
            </Link>
          </p>
        )}
      </div>
    </Paper>
  )
}

const setUp = routes.setUpAccounts.body.extend(passwordTwice).refine(...same)

/** From the desk's one password to accounts: whoever does it is the first keeper. */
function SetUp() {
  const form = useSchemaForm(setUp, { name: '', address: '', password: '', again: '' }, 'whenSent')
  const change = useFormChange(form, routes.setUpAccounts, () => stale())
  return (
    <Paper title={say.setUp}>
      <form
        noValidate
        onSubmit={form.handleSubmit(({ again: _, ...body }) => change.mutate({ body }))}
        className="space-y-3 px-4 py-3"
      >
        <p>{say.byDeskPassword}</p>
        <p>{say.setUpMore}</p>
        <FormProvider {...form}>
          <div className="grid gap-3 sm:grid-cols-2">
            <Field name="name" label={say.name}>
              {(control) => <input className="input w-full" autoComplete="name" {...control} />}
            </Field>
            <Field name="address" label={say.address} hint={say.addressHint}>
              {(control) => <input className="input w-full" type="email" autoComplete="username" {...control} />}
            </Field>
            <NewPassword label={say.password} />
          </div>
          <FormFault />
        </FormProvider>
        <Button kind="primary" type="submit" disabled={change.isPending}>
          {say.setUpNow}
        </Button>
      </form>
    </Paper>
  )
}

const another = z.object({ before: z.string(), ...passwordTwice }).refine(...same)

function ChangePassword({ has, address }: { has: boolean; address: string }) {
  const form = useSchemaForm(another, { before: '', password: '', again: '' }, 'whenSent')
  const change = useFormChange(form, routes.changePassword, async () => {
    form.reset()
    toast(say.changed)
    await stale()
  })
  return (
    <Paper title={say.passwordTitle}>
      {has ? (
        <form
          noValidate
          onSubmit={form.handleSubmit(({ before, password }) => change.mutate({ body: { before, next: password } }))}
          className="space-y-3 px-4 py-3"
        >
          <input type="email" autoComplete="username" value={address} readOnly hidden />
          <FormProvider {...form}>
            <div className="grid gap-3 sm:grid-cols-3">
              <Field name="before" label={say.before}>
                {(control) => (
                  <input className="input w-full" type="password" autoComplete="current-password" {...control} />
                )}
              </Field>
              <NewPassword label={say.next} />
            </div>
            <FormFault />
          </FormProvider>
          <Button type="submit" disabled={change.isPending}>
            {say.change}
          </Button>
        </form>
      ) : (
        <p className="px-4 py-3">{say.byService}</p>
      )}
    </Paper>
  )
}

/** Where one is signed in. */
function Sessions() {
  const sessions = useQuery(query.sessions()).data
  const end = useChange(routes.endSession, fresh)
  const endOthers = useChange(routes.endOtherSessions, fresh)
  return (
    <Paper
      title={say.sessionsTitle}
      actions={
        sessions !== undefined &&
        sessions.length > 1 && (
          <Button disabled={endOthers.isPending} onClick={() => endOthers.mutate({})}>
            {say.endOthers}
          </Button>
        )
      }
    >
      {!sessions ? (
        <Waiting />
      ) : (
        <ul>
          {sessions.map((one) => (
            <li key={one.id} className="flex items-center gap-3 border-rule border-b px-4 py-2 last:border-0">
              <div className="min-w-0 flex-1">
                <p className="flex flex-wrap items-center gap-2">
                  {say.browser(one.program, one.device)}
                  {one.own && (
                    <Mark tone="good" icon={MonitorSmartphone}>
                      {say.thisBrowser}
                    </Mark>
                  )}
                </p>
                <p className="text-[13px] text-ink-2">
                  {say.sessionLine(one.begun, one.used)}, {say.from(one.from)}
                </p>
              </div>
              {one.own ? (
                <Button onClick={() => signOut().catch(tellFault)}>
                  <LogOut aria-hidden size={16} /> {say.signOut}
                </Button>
              ) : (
                <Button disabled={end.isPending} onClick={() => end.mutate({ params: { session: one.id } })}>
                  {say.end}
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
    </Paper>
  )
}
