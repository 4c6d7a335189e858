import { ProblemError, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { z } from 'zod'
import { ask, faultWords, stale, tellFault } from '../api.ts'
import { Field, useSchemaForm } from '../shared/form.tsx'
import { HandMark } from '../shared/HandMark.tsx'
import { Button, Paper } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { signIn as say } from './words.ts'

/** How long (ms) to wait until a password is tried once more that had to wait, and how often. */
const tryAgainIn = 2000
const maxTries = 60

type Step = 'desk' | 'account' | 'code'
const body = routes.signIn.body.shape
/** What must be filled in: the desk's password alone; address and password; or, these known to be right, the code. */
const schemaOf = (step: Step) =>
  z.object({
    address: step === 'desk' ? z.string() : z.string().trim().min(1, say.typeAddress).max(254),
    password: body.password.min(1, say.typePassword),
    code: step === 'code' ? z.string().trim().min(1, say.typeCode).max(40) : z.string(),
  })

/** Asks who is there, where the desk wants to know. */
export default function SignIn() {
  const health = useQuery(query.health()).data
  const [wantsCode, setWantsCode] = useState(false)
  const step: Step = wantsCode ? 'code' : health?.accounts ? 'account' : 'desk'
  const form = useSchemaForm(schemaOf(step), { address: '', password: '', code: '' }, 'whenSent')
  const { setError, getValues, setValue } = form
  /** How often the password was put off because others guess; 0 when it is not being tried. */
  const [tries, setTries] = useState(0)
  const [asking, setAsking] = useState(false)
  const attempt = useCallback(async () => {
    setAsking(true)
    try {
      const { wants } = await ask(routes.signIn, { body: getValues() })
      if (wants === 'code') setWantsCode(true)
      else await stale()
      setTries(0)
    } catch (error) {
      // Others are guessing: whoever knows the password comes through by trying the same again.
      const wait = error instanceof ProblemError && error.problem.status === 429
      if (wait && tries < maxTries) return setTries(tries + 1)
      setTries(0)
      setError(step === 'code' ? 'code' : 'password', { message: faultWords(error) })
    } finally {
      setAsking(false)
    }
  }, [tries, step, getValues, setError])
  useEffect(() => {
    if (tries === 0) return
    const timer = setTimeout(attempt, tryAgainIn)
    return () => clearTimeout(timer)
  }, [tries, attempt])
  const busy = asking || tries > 0
  const options = { onChange: () => setTries(0) }
  return (
    <main className="mx-auto max-w-sm px-4 pt-24">
      <Paper title={say.signHandPost}>
        <form noValidate onSubmit={form.handleSubmit(attempt)} className="space-y-3 p-4">
          <div className="flex items-center gap-2">
            <HandMark /> {step === 'desk' ? say.deskKeptPassword : say.deskOfOffice}
          </div>
          <FormProvider {...form}>
            {step === 'account' && (
              <Field name="address" options={options} label={say.address}>
                {(control) => <input className="input w-full" type="email" autoComplete="username" {...control} />}
              </Field>
            )}
            {step !== 'code' && (
              <Field
                name="password"
                options={options}
                label={say.password}
                hint={step === 'desk' ? say.oneSetHandPost : say.forgotten}
              >
                {(control) => (
                  <input className="input w-full" type="password" autoComplete="current-password" {...control} />
                )}
              </Field>
            )}
            {step === 'code' && (
              <Field name="code" options={options} label={say.code} hint={say.codeHint}>
                {(control) => (
                  <input
                    className="input w-full"
                    inputMode="text"
                    autoComplete="one-time-code"
                    // biome-ignore lint/a11y/noAutofocus: it is the one thing that is asked for now
                    autoFocus
                    {...control}
                  />
                )}
              </Field>
            )}
          </FormProvider>
          {tries > 0 && (
            <p role="status" className="text-ask">
              {say.somebodyTryingManyPasswords}
            </p>
          )}
          <div className="flex flex-wrap items-center gap-2">
            <Button kind="primary" type="submit" disabled={busy}>
              {busy ? say.signing : say.sign}
            </Button>
            {step === 'code' && (
              <Button
                onClick={() => {
                  setWantsCode(false)
                  setValue('code', '')
                }}
              >
                {say.back}
              </Button>
            )}
            {step === 'account' && health?.service != null && (
              <>
                {say.or}
                <Button onClick={() => void toService().catch(tellFault)}>{say.atService(health.service)}</Button>
              </>
            )}
          </div>
        </form>
      </Paper>
    </main>
  )
}

/** Goes to the office's sign-in service, which sends the browser back to `/signed-in`. */
async function toService(): Promise<void> {
  const { url } = await ask(routes.beginService)
  location.assign(url)
}
