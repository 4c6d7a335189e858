import { type CallInput, call, ProblemError, type Route, routes } from '@hand-post/contract'
import { WishRefused } from '@hand-post/core'
import { QueryClient, type QueryKey, useMutation } from '@tanstack/react-query'
import { toast } from 'sonner'
import type { z } from 'zod'
import { api as say } from './shared/words.ts'

/** Whether the desk itself said no, which it would say again; otherwise it did not come to answering. */
export const isRefused = (error: unknown): boolean =>
  error instanceof ProblemError && error.problem.status > 0 && error.problem.status < 500

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      retry: (times, error) => !(error instanceof ProblemError && error.problem.status > 0) && times < 2,
    },
  },
})

/** Calls a route of the desk that serves this page. */
export function ask<R extends Route>(route: R, input: CallInput<R> = {}): Promise<z.output<R['answer']>> {
  return call('', route, input)
}

/** Something that went wrong here, in words for people. */
export class Told extends Error {}

/** What went wrong, in words for people; of what was not meant for them, only that it happened: the browser's own log has the rest. */
export function faultWords(error: unknown): string {
  if (error instanceof ProblemError || error instanceof Told || error instanceof WishRefused) return error.message
  console.error(error)
  return say.somethingWentWrong
}

/** Shows a fault until it is read. */
export function tellFault(error: unknown): void {
  toast.error(faultWords(error), { duration: 12_000 })
}

/** A change by a route; faults are told. */
export function useChange<R extends Route>(route: R, then?: (answer: z.output<R['answer']>) => unknown) {
  return useMutation({ mutationFn: (input: CallInput<R>) => ask(route, input), onSuccess: then, onError: tellFault })
}

/** Has everything under these keys fetched anew where it is shown; without keys, everything. */
export async function stale(...keys: QueryKey[]): Promise<void> {
  if (keys.length === 0) return queries.invalidateQueries()
  await Promise.all(keys.map((queryKey) => queries.invalidateQueries({ queryKey })))
}

/** Ends the session. The page begins anew, so that nothing of what was seen stays in it. */
export async function signOut(): Promise<void> {
  await ask(routes.signOut)
  location.assign('/')
}
