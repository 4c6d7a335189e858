import { type ListLine, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { FileUp } from 'lucide-react'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { toast } from 'sonner'
import { faultWords, stale, useChange } from '../api.ts'
import { NoneFound, useFind, useKeptScroll } from '../shared/find.tsx'
import { moment } from '../shared/moment.ts'
import { Button, Empty, Paper, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { BringIn } from './BringIn.tsx'
import { lists as say } from './words.ts'

const columnsShown = 6
const roundsShown = 3

/** All lists: what is in each, where it came from, and which rounds use it. */
export function Lists() {
  const lists = useQuery(query.lists())
  const [bringing, setBringing] = useState(false)
  const { field, find, fits } = useFind('lists')
  const scroll = useKeptScroll('lists')
  const go = useNavigate()
  if (lists.error) return <Empty title={say.notShown}>{faultWords(lists.error)}</Empty>
  if (!lists.data) return <Waiting />
  const all = lists.data
  const found = all.filter((list) => fits(list.name, list.source.fileName, ...list.columns.map((c) => c.name)))
  if (bringing)
    return (
      <section className="paper min-h-0 flex-1 overflow-auto">
        <BringIn onDone={(list) => void go(`/people/lists/${list.id}`)} onCancel={() => setBringing(false)} />
      </section>
    )
  return (
    <Paper
      title={say.title}
      className="min-h-0 overflow-auto"
      scroll={scroll}
      actions={
        <span className="flex flex-wrap items-center gap-2">
          {all.length > 1 && field}
          <Button kind="primary" onClick={() => setBringing(true)}>
            <FileUp aria-hidden size={16} /> {say.bringIn}
          </Button>
        </span>
      }
    >
      {all.length === 0 ? (
        <Empty title={say.none} shows={say.noneShows}>
          {say.noneMore}
        </Empty>
      ) : found.length === 0 ? (
        <NoneFound find={find} />
      ) : (
        <table className="w-full table-fixed text-left">
          <thead className="bg-sheet-2 text-[13px] text-ink-2">
            <tr>
              {(
                [
                  [say.list, '24%'],
                  [say.people, '9%'],
                  [say.columns, 'auto'],
                  [say.rounds, '19%'],
                  [say.broughtIn, '13%'],
                ] as const
              ).map(([name, width]) => (
                <th key={name} scope="col" className="px-3 py-1 font-normal first:pl-4" style={{ width }}>
                  {name}
                </th>
              ))}
              <th scope="col" className="w-40">
                <span className="sr-only">{say.actions}</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {found.map((list) => (
              <Line key={list.id} list={list} />
            ))}
          </tbody>
        </table>
      )}
    </Paper>
  )
}

function Line({ list }: { list: ListLine }) {
  const fresh = () => stale(keys.lists())
  const copy = useChange(routes.copyList, fresh)
  const remove = useChange(routes.deleteList, fresh)
  const { fileName, sheet, groups } = list.source
  const columns = list.columns.filter((c) => !c.hidden).map((c) => c.name)
  const cell = 'px-3 py-2 align-top first:pl-4'
  return (
    <tr className="border-rule border-t">
      <th scope="row" className={`${cell} font-normal`}>
        <Link to={`/people/lists/${list.id}`} className="font-bold text-post hover:underline">
          {list.name}
        </Link>
        <span className="block break-words text-[13px] text-ink-2">
          {fileName !== null ? say.from(fileName, sheet) : groups ? say.fromGroups : say.typed}
        </span>
      </th>
      <td className={`${cell} whitespace-nowrap tabular-nums`}>{say.rows(list.rowCount)}</td>
      <td className={`${cell} text-[14px] text-ink-2`}>
        {columns.slice(0, columnsShown).join(', ')}
        {columns.length > columnsShown && ` ${say.moreColumns(columns.length - columnsShown)}`}
      </td>
      <td className={`${cell} text-[14px]`}>
        {list.rounds.length === 0 && <span className="text-ink-2">{say.noRound}</span>}
        {list.rounds.slice(0, roundsShown).map((round) => (
          <Link key={round.id} to={`/rounds/${round.id}`} className="block text-post hover:underline">
            {round.title}
          </Link>
        ))}
        {list.rounds.length > roundsShown && (
          <span className="text-ink-2">{say.moreRounds(list.rounds.length - roundsShown)}</span>
        )}
      </td>
      <td className={`${cell} text-[14px] text-ink-2`}>{moment(list.createdAt)}</td>
      <td className="whitespace-nowrap py-1.5 pr-3 text-right align-top">
        <Button
          kind="quiet"
          aria-label={say.copyThe(list.name)}
          disabled={copy.isPending || list.rowCount === 0}
          onClick={() => copy.mutate({ params: { list: list.id }, body: { name: say.copyOf(list.name) } })}
        >
          {say.copy}
        </Button>
        <Button
          kind="quiet"
          aria-label={say.removeThe(list.name)}
          disabled={list.rounds.length > 0 || remove.isPending}
          title={list.rounds.length > 0 ? say.used : undefined}
          onClick={() => {
            remove.mutate({ params: { list: list.id } })
            toast(say.removed(list.name))
          }}
        >
          {say.remove}
        </Button>
      </td>
    </tr>
  )
}
