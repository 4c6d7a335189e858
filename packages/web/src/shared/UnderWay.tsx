import { routes, type Work, workWants } from '@hand-post/contract'
import { workNames } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { useChange } from '../api.ts'
import { useMe } from './me.ts'
import { Button, Paper } from './parts.tsx'
import { query } from './queries.ts'
import { making, underWay as say } from './words.ts'

/** What takes long just now, in whichever window and process it was begun, with the way to stop it; nothing where there is nothing. */
export function UnderWay() {
  const works = useQuery(query.works()).data ?? []
  if (works.length === 0) return null
  return (
    <Paper title={say.title}>
      <Works works={works} named />
    </Paper>
  )
}

/** What colleagues have under way of a round. What one has begun oneself stands at its stage. */
export function UnderWayOfOthers({ round }: { round: number }) {
  const me = useMe()?.account?.id
  const works = useQuery(query.works()).data ?? []
  // Until it is known who one is, whatever shows might be one's own.
  const others = works.filter(
    (work) => work.round?.id === round && me !== undefined && work.by !== null && work.by.id !== me,
  )
  if (others.length === 0) return null
  return (
    <section aria-label={say.ofOthers} className="paper mx-3 mb-2">
      <Works works={others} named={false} />
    </section>
  )
}

/** `named`: whether it is said what each is of. */
function Works({ works, named }: { works: Work[]; named: boolean }) {
  return (
    <ul>
      {works.map((work) => (
        <Line key={work.id} work={work} named={named} />
      ))}
    </ul>
  )
}

function Line({
  work: { id, what, round, list, by, running, progress, stoppedBy, tooLate },
  named,
}: {
  work: Work
  named: boolean
}) {
  const roles = useMe()?.roles
  const stop = useChange(routes.stopWork)
  const mayStop = roles?.includes(workWants(what)) ?? true
  const name = round?.name ?? list?.name
  return (
    <li className="flex flex-wrap items-center gap-x-3 gap-y-1 border-rule border-b px-4 py-2 last:border-0">
      <p className="min-w-56 flex-1">
        <b>{workNames[what]}</b>
        {named && round !== null && (
          <>
            {' '}
            <Link className="underline" to={`/rounds/${round.id}`}>
              {say.of(round.name)}
            </Link>
          </>
        )}
        {round === null && list !== null && ` ${say.of(list.name)}`}
        <span className="block text-[13px] text-ink-2">{say.since(by?.name ?? '', running)}</span>
      </p>
      <p role="status" className="min-w-52 flex-1 text-[14px]">
        {tooLate
          ? say.tooLate
          : stoppedBy !== null
            ? say.stopping(stoppedBy)
            : progress
              ? making.progress(progress.words, progress.done, progress.of)
              : say.underWay}
        {!tooLate && (
          <progress
            aria-label={say.howFar(workNames[what], name ?? '')}
            className="mt-1 block h-2 w-full"
            value={progress?.done}
            max={Math.max(1, progress?.of ?? 1)}
          />
        )}
      </p>
      {mayStop && !tooLate && (
        <Button disabled={stoppedBy !== null || stop.isPending} onClick={() => stop.mutate({ params: { work: id } })}>
          {making.stop}
        </Button>
      )}
    </li>
  )
}
