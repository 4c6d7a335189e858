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
export const useHealth = () =>
  useQuery({
    queryKey: ['health'],
    queryFn: () => ask(routes.health),
    // While the desk is being filled it is asked again and again, so that the page goes on by itself.
    refetchInterval: ({ state }) => (state.data?.ready === false ? 2000 : false),
  })
export const useRounds = () => useQuery({ queryKey: ['rounds', 'lines'], queryFn: () => ask(routes.rounds) })
export const useMailboxes = () => useQuery({ queryKey: ['mailboxes'], queryFn: () => ask(routes.mailboxes) })
export const useLists = (wanted = true) =>
  useQuery({ queryKey: ['lists'], queryFn: () => ask(routes.lists), enabled: wanted })
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
  useQuery({
    queryKey: [...keys.round(id), 'people'],
    queryFn: ({ signal }) => ask(routes.people, { params: { round: id }, signal }),
  })
export const useNotes = (id: number) =>
  useQuery({ queryKey: [...keys.round(id), 'notes'], queryFn: () => ask(routes.notes, { params: { round: id } }) })
export const useShelf = (find: string) =>
  useQuery({
    queryKey: ['letters', find],
    queryFn: () => ask(routes.shelf, { query: { find } }),
    placeholderData: (before) => before,
  })
export const useProof = (id: number, wanted = true) =>
  useQuery({
    queryKey: [...keys.round(id), 'proof'],
    queryFn: ({ signal }) => ask(routes.proof, { params: { round: id }, signal }),
    enabled: wanted,
    placeholderData: (before) => before,
  })
export const useReadingSet = (id: number) =>
  useQuery({
    queryKey: [...keys.round(id), 'reading-set'],
    queryFn: ({ signal }) => ask(routes.readingSet, { params: { round: id }, signal }),
    placeholderData: (before) => before,
  })
export const useEnclosures = (id: number, wanted = true) =>
  useQuery({
    queryKey: [...keys.round(id), 'enclosures'],
    queryFn: ({ signal }) => ask(routes.enclosures, { params: { round: id }, signal }),
    enabled: wanted,
    placeholderData: (before) => before,
  })
export const useTimetable = (id: number, wanted = true) =>
  useQuery({
    queryKey: [...keys.round(id), 'timetable'],
    queryFn: ({ signal }) => ask(routes.timetable, { params: { round: id }, signal }),
    enabled: wanted,
    placeholderData: (before) => before,
  })
/** What is said before a round is posted: asked anew whenever it is wanted, and whenever the round changes meanwhile. */
export const useLastWord = (id: number, wanted: boolean) =>
  useQuery({
    queryKey: [...keys.round(id), 'last-word'],
    queryFn: ({ signal }) => ask(routes.lastWord, { params: { round: id }, signal }),
    enabled: wanted,
    staleTime: 0,
    gcTime: 0,
  })
export const useMessages = (id: number, wanted = true) =>
  useQuery({
    queryKey: [...keys.round(id), 'messages'],
    queryFn: ({ signal }) => ask(routes.messages, { params: { round: id }, signal }),
    enabled: wanted,
  })
export const useBoard = (id: number, wanted = true) =>
  useQuery({
    queryKey: [...keys.round(id), 'board'],
    queryFn: ({ signal }) => ask(routes.board, { params: { round: id }, signal }),
    enabled: wanted,
  })
export const useOutTray = () => useQuery({ queryKey: ['out-tray'], queryFn: () => ask(routes.outTray) })
export const useInTray = (done: 'yes' | 'no') =>
  useQuery({ queryKey: ['in-tray', done], queryFn: () => ask(routes.inTray, { query: { done } }) })

/** Ends the session. The page begins anew, so that nothing of what was seen stays in it. */
export async function signOut(): Promise<void> {
  await ask(routes.signOut)
  location.assign('/')
}

/** How far the long work of a round is, or, with null, of a list being brought in; null before it says so. */
export const useProgress = (id: number | null) =>
  useQuery<DeskEvent['progress'] | null>({ queryKey: ['progress', id], queryFn: () => null, enabled: false }).data ??
  null

/** The first rows are fetched alone, so that they stand there at once; the rest follows in pages. */
const firstPage = 500
const page = 5000
/** The rows of a list as they are stored, with the version of the list that they are of. */
export interface StoredRows {
  version: number
  rows: Row[]
  /** Whether these are all; else the rest is on its way. */
  whole: boolean
}
export const rowsKey = (listId: number) => ['rows', listId] as const
export const rowsQuery = (listId: number | null) => ({
  queryKey: rowsKey(listId ?? 0),
  enabled: listId !== null,
  // Comparing 100,000 rows with those before would take longer than drawing them.
  structuralSharing: false,
  // Changed by somebody else meanwhile, what is under way is left, and begun anew.
  queryFn: async ({ signal }: { signal: AbortSignal }): Promise<StoredRows> => {
    // The first time, rows are shown as they come. What is changed in them meanwhile stays.
    let growing = queries.getQueryData(rowsKey(listId!)) === undefined
    for (;;) {
      const rows: Row[] = []
      let version: number | null = null
      for (;;) {
        const count = rows.length === 0 ? firstPage : page
        const part = await ask(routes.rows, { params: { list: listId! }, query: { from: rows.length, count }, signal })
        version ??= part.version
        // Changed while it was fetched: begun again, behind what stands there.
        if (part.version !== version) {
          growing = false
          break
        }
        for (const row of part.rows) rows.push(row)
        if (part.rows.length < count) return { version, rows, whole: true }
        if (growing)
          queries.setQueryData<StoredRows>(rowsKey(listId!), (before) => ({
            version: part.version,
            rows: [...(before?.rows ?? []), ...part.rows],
            whole: false,
          }))
      }
    }
  },
})
export const useList = (id: number) =>
  useQuery({ queryKey: ['list', id], queryFn: () => ask(routes.list, { params: { list: id } }) })
export const useBook = () => useQuery({ queryKey: ['book'], queryFn: () => ask(routes.book) })
export const useDoNotWrite = () => useQuery({ queryKey: ['do-not-write'], queryFn: () => ask(routes.doNotWrite) })

/** Lists with a change on its way from here, and the newest version that others were told of meanwhile. */
const changing = new Map<number, { open: number; told: number }>()

/** Runs a change of a list; the news of it that comes back meanwhile is no news. */
export async function whileChanging<T extends { list: { version: number } }>(
  listId: number,
  change: () => Promise<T>,
): Promise<T> {
  const state = changing.get(listId) ?? { open: 0, told: 0 }
  changing.set(listId, state)
  state.open++
  let done: T | null = null
  try {
    done = await change()
    return done
  } finally {
    state.open--
    if (state.open === 0) {
      changing.delete(listId)
      if (!done || state.told > done.list.version) void queries.invalidateQueries({ queryKey: rowsKey(listId) })
    }
  }
}

function rowsAreStale(listId: number | null, version: number | undefined): boolean {
  if (listId === null || version === undefined) return true
  const state = changing.get(listId)
  if (state) {
    state.told = Math.max(state.told, version)
    return false
  }
  return (queries.getQueryData<StoredRows>(rowsKey(listId))?.version ?? 0) < version
}

/** Listens to the desk's live changes and has what they touch fetched anew. */
export function listen(): () => void {
  const source = new EventSource(routes.events.path)
  source.onmessage = ({ data }) => {
    const { topic, id, version, progress }: DeskEvent = eventSchema.parse(JSON.parse(data))
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
    if (topic === 'letters') stale('letters')
    if (topic === 'round' && id === null) stale('do-not-write')
    if (topic === 'mailboxes') stale('mailboxes')
    if (topic === 'lists') {
      stale('lists')
      stale('list')
      stale('book')
      if (rowsAreStale(id, version)) stale('rows', ...(id === null ? [] : [id]))
      stale('order')
      stale('round')
    }
  }
  // After a broken connection anything may have changed.
  let broken = false
  source.onerror = () => {
    broken = true
    // Closed for good, the desk does not let us listen any more: the session has ended, which whatever is asked next will say.
    if (source.readyState === EventSource.CLOSED) void queries.invalidateQueries()
  }
  source.onopen = () => {
    if (broken) void queries.invalidateQueries()
    broken = false
  }
  return () => source.close()
}
