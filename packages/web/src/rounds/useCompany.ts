import { type Company, routes, type StageId } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { useEffect } from 'react'
import { ask, queries, stale, useChange } from '../api.ts'
import { useMe } from '../shared/me.ts'
import { keys, query } from '../shared/queries.ts'
import { thisWindow } from '../shared/thisWindow.ts'

/** How often (ms) it is said that a round is open here. The desk counts a window for three times as long. */
const sayEvery = 15_000
/** How long (ms) after the pen should be free it is looked whether it is. */
const lookAfter = 500

/** Whether there are others at all that one may be with: where nobody signs in, nothing of it is asked or shown. */
export const useHasOthers = (): boolean => (useMe()?.account ?? null) !== null

/** Says to the desk that a round is open in this window, and at which stage, as long as it is. */
export function useBeingHere(round: number, stage: StageId): void {
  const hasOthers = useHasOthers()
  useEffect(() => {
    if (!hasOthers) return
    const here = () =>
      void ask(routes.beHere, { params: { round }, body: { window: thisWindow, stage } })
        .then((company) => queries.setQueryData(keys.company(round), company))
        // Said again in a moment; what does not answer says so wherever something is done.
        .catch(() => {})
    here()
    const timer = setInterval(here, sayEvery)
    return () => clearInterval(timer)
  }, [round, stage, hasOthers])
  useEffect(() => {
    if (!hasOthers) return
    const leave = () => void ask(routes.leaveRound, { params: { round, window: thisWindow } }).catch(() => {})
    addEventListener('pagehide', leave)
    return () => {
      removeEventListener('pagehide', leave)
      leave()
    }
  }, [round, hasOthers])
}

/** Who else is in a round, and what becomes of the pen of its letter. */
export interface CompanyWork {
  /** Each of the others once, at the stage where they are. */
  others: { id: number; name: string; stages: StageId[] }[]
  /** Who of the others has the pen; null: it is free, or here. */
  writes: { id: number; name: string } | null
  /** Who asks for the pen that is here. */
  asks: { id: number; name: string } | null
  /** Whether it was asked for from here, and is still another's. */
  asked: boolean
  ask: () => void
  answer: (give: boolean) => void
}

const nobody: Company = { here: [], pen: null }

export function useCompany(round: number): CompanyWork {
  const me = useMe()?.account?.id ?? null
  const { here, pen } = useQuery({ ...query.company(round), enabled: me !== null }).data ?? nobody
  const heldFor = pen?.heldFor
  // When it should be free nobody says so: whoever has it may have written on.
  useEffect(() => {
    if (heldFor === undefined) return
    const timer = setTimeout(() => void stale(keys.company(round)), heldFor + lookAfter)
    return () => clearTimeout(timer)
  }, [heldFor, round])
  const take = (company: Company) => queries.setQueryData(keys.company(round), company)
  const asking = useChange(routes.askForPen, take)
  const answering = useChange(routes.answerAsking, take)
  const others = new Map<number, CompanyWork['others'][number]>()
  for (const { account, stage } of here) {
    if (account.id === me) continue
    const known = others.get(account.id) ?? { ...account, stages: [] }
    if (!known.stages.includes(stage)) known.stages.push(stage)
    others.set(account.id, known)
  }
  const theirs = pen !== null && pen.account.id !== me
  const asks = pen?.asked?.account ?? null
  return {
    others: [...others.values()],
    writes: theirs ? pen.account : null,
    asks: theirs || asks === null || asks.id === me ? null : asks,
    asked: theirs && asks?.id === me,
    ask: () => asking.mutate({ params: { round }, body: { window: thisWindow } }),
    answer: (give) => answering.mutate({ params: { round }, body: { window: thisWindow, give } }),
  }
}
