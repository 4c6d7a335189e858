import { ProblemError, routes } from '@hand-post/contract'
import { useCallback, useEffect, useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { z } from 'zod'
import { ask, faultWords, stale } from '../api.ts'
import { Field, useSchemaForm } from '../shared/form.tsx'
import { Button, Paper } from '../shared/parts.tsx'
import { HandMark } from './TopLine.tsx'
import { signIn as say } from './words.ts'

/** How long (ms) to wait until a password is tried once more that had to wait, and how often. */
const tryAgainIn = 2000
const maxTries = 60

const schema = routes.signIn.body.extend({ password: z.string().min(1, say.typePassword).max(1000) })

/** Asks for the password where the desk wants one. */
export default function SignIn() {
  const form = useSchemaForm(schema, { password: '' })
  const { setError, getValues } = form
  /** How often the password was put off because others guess; 0 when it is not being tried. */
  const [tries, setTries] = useState(0)
  const [asking, setAsking] = useState(false)
  const attempt = useCallback(async () => {
    setAsking(true)
    try {
      await ask(routes.signIn, { body: getValues() })
      await stale()
    } catch (error) {
      // Others are guessing: whoever knows the password comes through by trying the same again.
      const wait = error instanceof ProblemError && error.problem.status === 429
      if (wait && tries < maxTries) return setTries(tries + 1)
      setTries(0)
      setError('password', { message: faultWords(error) })
    } finally {
      setAsking(false)
    }
  }, [tries, getValues, setError])
  useEffect(() => {
    if (tries === 0) return
    const timer = setTimeout(attempt, tryAgainIn)
    return () => clearTimeout(timer)
  }, [tries, attempt])
  const busy = asking || tries > 0
  return (
    <main className="mx-auto max-w-sm px-4 pt-24">
      <Paper title={say.signHandPost}>
        <form noValidate onSubmit={form.handleSubmit(attempt)} className="space-y-3 p-4">
          <div className="flex items-center gap-2">
            <HandMark /> {say.deskKeptPassword}
          </div>
          <FormProvider {...form}>
            <Field
              name="password"
              options={{ onChange: () => setTries(0) }}
              label={say.password}
              hint={say.oneSetHandPost}
            >
              {(control) => (
                <input className="input w-full" type="password" autoComplete="current-password" {...control} />
              )}
            </Field>
          </FormProvider>
          {tries > 0 && (
            <p role="status" className="text-ask">
              {say.somebodyTryingManyPasswords}
            </p>
          )}
          <Button kind="primary" type="submit" disabled={busy}>
            {busy ? say.signing : say.sign}
          </Button>
        </form>
      </Paper>
    </main>
  )
}
