import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { useEffect } from 'react'
import { ask, faultWords } from '../api.ts'
import { Button, Empty, Waiting } from '../shared/parts.tsx'
import { signedIn as say } from './words.ts'

/** Where the sign-in service sends the browser back to: gives its answer to the desk, once. */
export default function SignedIn() {
  const { search } = location
  const { data, error } = useQuery({
    queryKey: ['signed-in', search],
    queryFn: async () => {
      await ask(routes.finishService, { body: { query: search.slice(1) } })
      return true
    },
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  })
  // The page begins anew: nothing of the service's answer stays in its address.
  useEffect(() => {
    if (data) location.replace('/')
  }, [data])
  return (
    <main className="mx-auto max-w-xl pt-16">
      {error ? (
        <Empty title={say.cannot} action={<Button onClick={() => location.replace('/')}>{say.again}</Button>}>
          {faultWords(error)}
        </Empty>
      ) : (
        <Waiting>{say.wait}</Waiting>
      )}
    </main>
  )
}
