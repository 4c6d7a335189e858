import { listed } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Say } from './parts.tsx'
import { query } from './queries.ts'
import { othersPost as say } from './words.ts'

/** Says, in the place of a button that has letters leave, who may press it. */
export function OthersPost() {
  const colleagues = useQuery(query.colleagues()).data
  if (!colleagues) return null
  return <Say tone="note">{say.words(listed(colleagues.filter((one) => one.mayPost).map(({ name }) => name)))}</Say>
}
