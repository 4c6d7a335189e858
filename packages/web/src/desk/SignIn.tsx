import { ProblemError, routes } from '@hand-post/contract'
import { type FormEvent, useEffect, useState } from 'react'
import { ask, faultWords, stale } from '../api.ts'
import { Button, Labelled, Paper } from '../shared/parts.tsx'
import { HandMark } from './TopLine.tsx'

/** How long (ms) to wait until a password is tried once more that had to wait, and how often. */
const tryAgainIn = 2000
const maxTries = 60

/** Asks for the password where the desk wants one. */
export function SignIn() {
  const [password, setPassword] = useState('')
  const [fault, setFault] = useState<string | null>(null)
  /** How often the password was put off because others guess; 0 when it is not being tried. */
  const [tries, setTries] = useState(0)
  const [asking, setAsking] = useState(false)
  const attempt = async () => {
    setAsking(true)
    setFault(null)
    try {
      await ask(routes.signIn, { body: { password } })
      await stale()
    } catch (error) {
      // Others are guessing: whoever knows the password comes through by trying the same again.
      const wait = error instanceof ProblemError && error.problem.status === 429
      if (wait && tries < maxTries) return setTries(tries + 1)
      setTries(0)
      setFault(faultWords(error))
    } finally {
      setAsking(false)
    }
  }
  useEffect(() => {
    if (tries === 0) return
    const timer = setTimeout(attempt, tryAgainIn)
    return () => clearTimeout(timer)
  }, [tries])
  const submit = (event: FormEvent) => {
    event.preventDefault()
    void attempt()
  }
  const busy = asking || tries > 0
  return (
    <main className="mx-auto max-w-sm px-4 pt-24">
      <Paper title="Sign in to Hand Post">
        <form onSubmit={submit} className="space-y-3 p-4">
          <div className="flex items-center gap-2">
            <HandMark /> This desk is kept by a password.
          </div>
          <Labelled label="Password" hint="The one that was set by HAND_POST_PASSWORD where Hand Post was started.">
            <input
              className="input w-full"
              type="password"
              autoComplete="current-password"
              required
              maxLength={1000}
              value={password}
              onChange={(e) => {
                setPassword(e.target.value)
                setTries(0)
              }}
            />
          </Labelled>
          {fault !== null && (
            <p role="alert" className="text-stop">
              {fault}
            </p>
          )}
          {tries > 0 && (
            <p role="status" className="text-ask">
              Somebody is trying many passwords, so each has to wait. Yours is being tried again by itself; leave this
              page open.
            </p>
          )}
          <Button kind="primary" type="submit" disabled={busy}>
            {busy ? 'Signing in…' : 'Sign in'}
          </Button>
        </form>
      </Paper>
    </main>
  )
}
