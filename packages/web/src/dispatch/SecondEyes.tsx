import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { Eye } from 'lucide-react'
import { stale, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { useMay, useMe } from '../shared/me.ts'
import { Button, Say } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { secondEyes as say } from './words.ts'

/** How a second pair of eyes stands for the round; undefined where it is not known yet, or nobody signs in. */
function useSecondEyes() {
  const { round } = useWork()
  const signsIn = useMe()?.account != null
  return useQuery({ ...query.secondEyes(round.id), enabled: signsIn }).data
}

/** Whether whoever is signed in is kept from posting by it. */
export function useKeptBySecondEyes(): boolean {
  const eyes = useSecondEyes()
  return eyes !== undefined && eyes.by !== null && (eyes.own || eyes.unread > 0)
}

/** A second pair of eyes: having it wanted, and what is still to be done for it. Nothing where nobody signs in. */
export function SecondEyes() {
  const { round, goTo } = useWork()
  const may = useMay()
  const eyes = useSecondEyes()
  const change = useChange(routes.wantSecondEyes, () => stale(keys.round(round.id)))
  if (!eyes) return null
  const want = (wanted: boolean) => change.mutate({ params: { round: round.id }, body: { wanted } })
  if (eyes.by === null)
    return (
      <div className="mt-3 flex flex-wrap items-center gap-2 text-[14px]">
        <Button disabled={change.isPending} onClick={() => want(true)}>
          <Eye aria-hidden size={16} /> {say.want}
        </Button>
        <span className="text-ink-2">{say.means}</span>
      </div>
    )
  const kept = !may.post || eyes.own || eyes.unread > 0
  return (
    <div className="mt-3">
      <Say tone={kept ? 'ask' : 'good'}>
        <p>
          <b>{say.wanted[eyes.by]}</b>{' '}
          {may.post
            ? say.stands(eyes.lastChanged?.name ?? null, eyes.own, eyes.unread, eyes.of)
            : say.others(eyes.lastChanged?.name ?? null)}
        </p>
        {eyes.changedSince.length > 0 && may.post && !eyes.own && <p>{say.changedSince(eyes.changedSince)}</p>}
        <p className="mt-1 flex flex-wrap gap-2">
          {may.post && !eyes.own && eyes.unread > 0 && <Button onClick={() => goTo('proof')}>{say.read}</Button>}
          {eyes.by === 'round' && may.keep && (
            <Button disabled={change.isPending} onClick={() => want(false)}>
              {say.notWanted}
            </Button>
          )}
        </p>
      </Say>
    </div>
  )
}
