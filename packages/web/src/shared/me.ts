import type { Me } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { query } from './queries.ts'

/** Who is signed in; undefined until that is known. */
export const useMe = (): Me | undefined => useQuery(query.me()).data

/** What whoever is signed in may do. Until it is known, nothing is kept from them: the desk says no by itself. */
export function useMay(): { post: boolean; keep: boolean } {
  const roles = useMe()?.roles
  return { post: roles?.includes('poster') ?? true, keep: roles?.includes('keeper') ?? true }
}
