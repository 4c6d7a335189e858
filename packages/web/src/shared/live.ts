import { addressOf, type DeskEvent, eventSchema, type List, type Round, routes } from '@hand-post/contract'
import type { QueryKey } from '@tanstack/react-query'
import { queries, stale } from '../api.ts'
import { keys } from './queries.ts'
import type { StoredRows } from './rows.ts'
import { tellNotice } from './told.ts'

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
      if (!done || state.told > done.list.version) void stale(keys.rows(listId))
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
  return (queries.getQueryData<StoredRows>(keys.rows(listId))?.version ?? 0) < version
}

/** The rounds and lists that are known here and have a column of what came of a round, with the order of rows that may be sorted by it. */
function lookingInto(id: number | null): QueryKey[] {
  const looks = (list: List | null | undefined) =>
    list?.columns.some(({ recipe }) => recipe?.do === 'cameOf' && (id === null || recipe.round === id))
  const itself = ({ queryKey }: { queryKey: QueryKey }) => queryKey.length === 2
  const rounds = queries
    .getQueriesData<Round>({ queryKey: keys.anyRound(), predicate: itself })
    .filter(([, round]) => looks(round?.list))
  const lists = queries
    .getQueriesData<List>({ queryKey: keys.anyList(), predicate: itself })
    .filter(([, list]) => looks(list))
  return rounds.length + lists.length === 0 ? [] : [...rounds.map(([key]) => key), keys.anyOrder()]
}

/** What a change touches of what was fetched. */
function touched(topic: DeskEvent['topic'], id: number | null, version: number | undefined): QueryKey[] {
  const round = id === null ? keys.anyRound() : keys.round(id)
  switch (topic) {
    case 'round':
      return [keys.rounds(), round, ...(id === null ? [keys.doNotWrite()] : [])]
    case 'company':
      return id === null ? [] : [keys.company(id)]
    case 'works':
      return [keys.works()]
    case 'messages':
      return [keys.rounds(), round, keys.outTray(), keys.mailboxes()]
    case 'responses':
      return [keys.rounds(), round, keys.inTray(), ...lookingInto(id)]
    case 'accounts':
      return [keys.accounts(), keys.health()]
    case 'letters':
      return [keys.rounds(), keys.letters()]
    case 'mailboxes':
      return [keys.rounds(), keys.mailboxes()]
    case 'lists': {
      const rows = rowsAreStale(id, version) ? [id === null ? keys.anyRows() : keys.rows(id)] : []
      return [
        keys.rounds(),
        keys.lists(),
        keys.anyList(),
        keys.book(),
        ...rows,
        keys.wholeRows(id),
        keys.someRows(id),
        keys.anyOrder(),
        keys.anyRound(),
      ]
    }
    default:
      return [keys.rounds()]
  }
}

/**
 * Listens to the desk's live changes and has what they touch fetched anew; what the writer is told is shown.
 * @param open goes to a page of the desk.
 */
export function listen(open: (path: string) => void): () => void {
  // What was read since the page began, before there was anybody to listen, may have changed meanwhile.
  const since = Math.ceil(performance.now())
  const source = new EventSource(addressOf(routes.events, { query: { since } }))
  source.onmessage = ({ data }) => {
    const { topic, id, version, progress }: DeskEvent = eventSchema.parse(JSON.parse(data))
    if (topic === 'progress') {
      queries.setQueryData(keys.progress(id), progress)
      return
    }
    if (topic === 'notices') {
      if (id !== null) void tellNotice(id, open).catch(() => {})
      return
    }
    if (topic === 'everything') void stale()
    else void stale(...touched(topic, id, version))
  }
  // After a broken connection anything may have changed.
  let broken = false
  source.onerror = () => {
    broken = true
    // Closed for good, the desk does not let us listen any more: the session has ended, which whatever is asked next will say.
    if (source.readyState === EventSource.CLOSED) void stale()
  }
  source.onopen = () => {
    if (broken) void stale()
    broken = false
  }
  return () => source.close()
}
