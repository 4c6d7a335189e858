import {
  type CallInput,
  call,
  type DeskEvent,
  eventSchema,
  ProblemError,
  type Round,
  type Route,
  routes,
} from '@hand-post/contract'
import type { Row } from '@hand-post/core'
import { QueryClient, replaceEqualDeep, useMutation, useQuery } from '@tanstack/react-query'
import { toast } from 'sonner'
import type { z } from 'zod'

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

/** What went wrong, in words for people. */
export const faultWords = (error: unknown) => (error instanceof Error ? error.message : String(error))

/** Shows a fault until it is read. */
export function tellFault(error: unknown): void {
  toast.error(faultWords(error), { duration: 12_000 })
}

/** A change by a route; faults are told. */
export function useChange<R extends Route>(route: R, then?: (answer: z.output<R['answer']>) => unknown) {
  return useMutation({ mutationFn: (input: CallInput<R>) => ask(route, input), onSuccess: then, onError: tellFault })
}

const keys = {
  round: (id: number) => ['round', id] as const,
}

export const useDesk = () => useQuery({ queryKey: ['rounds', 'desk'], queryFn: () => ask(routes.desk) })
export const useHealth = () => useQuery({ queryKey: ['health'], queryFn: () => ask(routes.health) })
export const useRounds = () => useQuery({ queryKey: ['rounds', 'lines'], queryFn: () => ask(routes.rounds) })
export const useMailboxes = () => useQuery({ queryKey: ['mailboxes'], queryFn: () => ask(routes.mailboxes) })
export const useLists = () => useQuery({ queryKey: ['lists'], queryFn: () => ask(routes.lists) })
export const useRound = (id: number, wanted = true) =>
  useQuery({
    enabled: wanted,
    queryKey: keys.round(id),
    queryFn: () => ask(routes.round, { params: { round: id } }),
    // An answer that was on its way while the round was changed must not put the older state back.
    structuralSharing: (before, next) =>
      before && (before as Round).version > (next as Round).version ? before : replaceEqualDeep(before, next),
  })
export const useRoundPeople = (id: number) =>
  useQuery({ queryKey: [...keys.round(id), 'people'], queryFn: () => ask(routes.people, { params: { round: id } }) })
export const useProof = (id: number, wanted = true) =>
  useQuery({
    queryKey: [...keys.round(id), 'proof'],
    queryFn: () => ask(routes.proof, { params: { round: id } }),
    enabled: wanted,
    placeholderData: (before) => before,
  })
export const useEnclosures = (id: number, wanted = true) =>
  useQuery({
    queryKey: [...keys.round(id), 'enclosures'],
    queryFn: () => ask(routes.enclosures, { params: { round: id } }),
    enabled: wanted,
    placeholderData: (before) => before,
  })
export const useTimetable = (id: number, wanted = true) =>
  useQuery({
    queryKey: [...keys.round(id), 'timetable'],
    queryFn: () => ask(routes.timetable, { params: { round: id } }),
    enabled: wanted,
    placeholderData: (before) => before,
  })
export const useMessages = (id: number, wanted = true) =>
  useQuery({
    queryKey: [...keys.round(id), 'messages'],
    queryFn: () => ask(routes.messages, { params: { round: id } }),
    enabled: wanted,
  })
export const useBoard = (id: number, wanted = true) =>
  useQuery({
    queryKey: [...keys.round(id), 'board'],
    queryFn: () => ask(routes.board, { params: { round: id } }),
    enabled: wanted,
  })
export const useOutTray = () => useQuery({ queryKey: ['out-tray'], queryFn: () => ask(routes.outTray) })
export const useInTray = (done: 'yes' | 'no') =>
  useQuery({ queryKey: ['in-tray', done], queryFn: () => ask(routes.inTray, { query: { done } }) })

/** How far the long work of a round is, or, with null, of a list being brought in; null before it says so. */
export const useProgress = (id: number | null) =>
  useQuery<DeskEvent['progress'] | null>({ queryKey: ['progress', id], queryFn: () => null, enabled: false }).data ??
  null

const page = 5000
export const rowsKey = (listId: number) => ['rows', listId] as const
/** All rows of a list, in order. */
export const useRows = (listId: number | null) =>
  useQuery({
    queryKey: rowsKey(listId ?? 0),
    enabled: listId !== null,
    placeholderData: (before: Row[] | undefined, query) => (query?.queryKey[1] === listId ? before : undefined),
    queryFn: async () => {
      const all: Row[] = []
      for (;;) {
        const { rows } = await ask(routes.rows, { params: { list: listId! }, query: { from: all.length, count: page } })
        all.push(...rows)
        if (rows.length < page) return all
      }
    },
  })

/** Listens to the desk's live changes and has what they touch fetched anew. */
export function listen(): () => void {
  const source = new EventSource(routes.events.path)
  source.onmessage = ({ data }) => {
    const { topic, id, progress }: DeskEvent = eventSchema.parse(JSON.parse(data))
    if (topic === 'progress') {
      queries.setQueryData(['progress', id], progress)
      return
    }
    const stale = (...queryKey: unknown[]) => void queries.invalidateQueries({ queryKey })
    stale('rounds')
    if (topic === 'round' || topic === 'messages' || topic === 'responses') {
      if (id === null) stale('round')
      else stale('round', id)
    }
    if (topic === 'messages') {
      stale('out-tray')
      stale('mailboxes')
    }
    if (topic === 'responses') stale('in-tray')
    if (topic === 'mailboxes') stale('mailboxes')
    if (topic === 'lists') {
      stale('lists')
      stale('rows', id)
      stale('round')
    }
  }
  // After a broken connection anything may have changed.
  let broken = false
  source.onerror = () => {
    broken = true
  }
  source.onopen = () => {
    if (broken) void queries.invalidateQueries()
    broken = false
  }
  return () => source.close()
}
