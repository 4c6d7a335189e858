import { happenedAtOnce, routes } from '@hand-post/contract'
import { useInfiniteQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { ask, faultWords } from '../api.ts'
import { moment } from '../shared/moment.ts'
import { Button, Empty, Say, Waiting } from '../shared/parts.tsx'
import { keys } from '../shared/queries.ts'
import { happened as say } from './words.ts'

/**
 * What happened, the newest first, and who did it: with a round, or everything.
 * @param account of one account alone.
 */
export function Happened({ round, account }: { round?: number; account?: number }) {
  const lines = useInfiniteQuery({
    queryKey: round === undefined ? keys.happened(account ?? null) : keys.ofRound(round, 'happened'),
    queryFn: ({ pageParam: from }) =>
      round === undefined
        ? ask(routes.happened, { query: { from, account } })
        : ask(routes.roundHappened, { params: { round }, query: { from } }),
    initialPageParam: 0,
    getNextPageParam: (last, all) => (last.length < happenedAtOnce ? undefined : all.length * happenedAtOnce),
    refetchOnMount: 'always',
  })
  if (lines.error) return <Say tone="stop">{faultWords(lines.error)}</Say>
  if (!lines.data) return <Waiting />
  const all = lines.data.pages.flat()
  if (all.length === 0) return <Empty title={say.none}>{say.noneMore}</Empty>
  // Where nobody signs in there is nobody to be named, and no room for it.
  const named = all.some(({ by }) => by !== null)
  return (
    <div>
      <table className="w-full text-[14px]">
        <thead className="text-left text-[13px]">
          <tr className="border-rule border-b">
            <th className="px-3 py-1.5">{say.when}</th>
            {named && <th className="px-3 py-1.5">{say.who}</th>}
            <th className="px-3 py-1.5">{say.what}</th>
          </tr>
        </thead>
        <tbody>
          {all.map((line, i) => (
            <tr key={i} className="border-rule border-b align-baseline last:border-0">
              <td className="whitespace-nowrap px-3 py-1.5 text-ink-2">{moment(line.at)}</td>
              {named && (
                <td className="whitespace-nowrap px-3 py-1.5">{line.by ?? (line.itself ? say.itself : '–')}</td>
              )}
              <td className="px-3 py-1.5 [overflow-wrap:anywhere]">
                {line.words}
                {line.round !== null && line.round.id !== round && (
                  <span className="block text-[13px] text-ink-2">
                    {line.round.title === null ? (
                      say.roundGone
                    ) : (
                      <Link to={`/rounds/${line.round.id}`} className="text-post underline">
                        {line.round.title}
                      </Link>
                    )}
                  </span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {lines.hasNextPage && (
        <div className="px-3 py-2">
          <Button disabled={lines.isFetchingNextPage} onClick={() => void lines.fetchNextPage()}>
            {say.more}
          </Button>
        </div>
      )}
    </div>
  )
}
