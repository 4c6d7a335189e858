import { routes } from '@hand-post/contract'
import { type FormEvent, useState } from 'react'
import { faultWords, queries, useChange } from '../api.ts'
import { Button, Labelled, Paper } from '../shared/parts.tsx'

/** Asks for the password where the desk listens beyond this machine. */
export function SignIn() {
  const [password, setPassword] = useState('')
  const signIn = useChange(routes.signIn, () => queries.invalidateQueries())
  const submit = (event: FormEvent) => {
    event.preventDefault()
    signIn.mutate({ body: { password } })
  }
  return (
    <main className="mx-auto max-w-sm pt-24">
      <Paper title="Hand Post">
        <form onSubmit={submit} className="space-y-3 p-4">
          <Labelled label="Password" hint="The one set by HAND_POST_PASSWORD where Hand Post was started.">
            <input
              className="input w-full"
              type="password"
              value={password}
              onChange={(e) => setPassword(e.target.value)}
            />
          </Labelled>
          {signIn.isError && (
            <p role="alert" className="text-stop">
              {faultWords(signIn.error)}
            </p>
          )}
          <Button kind="primary" type="submit">
            Sign in
          </Button>
        </form>
      </Paper>
    </main>
  )
}
