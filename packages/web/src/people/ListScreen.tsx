import { type List, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { FileUp, Users } from 'lucide-react'
import { type ReactNode, useState } from 'react'
import { Link, useParams } from 'react-router'
import { faultWords, stale, useChange } from '../api.ts'
import { Button, Empty, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { Sharing } from '../shared/Sharing.tsx'
import { useKept } from '../shared/useKept.ts'
import { Doubles } from './Doubles.tsx'
import { ListPanel } from './ListPanel.tsx'
import { UpdateList } from './UpdateList.tsx'
import { useTable } from './useTable.ts'
import { listScreen as say } from './words.ts'

/** One list by itself: its rows, and what can be done with it. */
export default function ListScreen({ startRound }: { startRound: (list: List) => ReactNode }) {
  const list = useQuery(query.list(Number(useParams().list)))
  const table = useTable(list.data ?? null)
  const [doing, setDoing] = useState<'update' | 'doubles' | null>(null)
  const rename = useChange(routes.renameList, () => stale(keys.anyList()))
  const name = useKept(
    list.data?.name ?? '',
    (name) => list.data && rename.mutate({ params: { list: list.data.id }, body: { name } }),
  )
  if (list.error) return <Empty title={say.listCannotShown}>{faultWords(list.error)}</Empty>
  if (!list.data || !table) return <Waiting />
  return (
    <div className="flex h-full min-h-0 flex-col p-4">
      <section aria-label={say.list} className="paper flex min-h-0 flex-1 flex-col overflow-hidden">
        {doing === 'update' ? (
          <UpdateList table={table} onDone={() => setDoing(null)} />
        ) : doing === 'doubles' ? (
          <Doubles list={list.data} onDone={() => setDoing(null)} />
        ) : (
          <>
            <header className="flex flex-wrap items-center gap-2 border-rule border-b px-4 py-2">
              <Link to="/people/lists" className="text-post underline">
                {say.lists}
              </Link>
              <span aria-hidden>/</span>
              <input
                aria-label={say.nameList}
                className="min-w-0 flex-1 rounded-paper bg-transparent px-1 font-bold font-title text-[17px] hover:bg-sheet-2"
                maxLength={200}
                {...name.line}
              />
              <span className="text-[13px] text-ink-2">
                {say.nRows(table.whole ? table.rows.length : list.data.rowCount)},{' '}
                {say.nColumns(list.data.columns.length)}
              </span>
              <Link to="rounds" className="text-[14px] text-post underline">
                {say.rounds}
              </Link>
              <Sharing kind="list" thing={list.data.id} name={list.data.name} />
              {startRound(list.data)}
              <Button onClick={() => setDoing('update')}>
                <FileUp aria-hidden size={16} /> {say.update}
              </Button>
              <Button onClick={() => setDoing('doubles')}>
                <Users aria-hidden size={16} /> {say.lookDoubles}
              </Button>
            </header>
            <ListPanel table={table} />
          </>
        )}
      </section>
    </div>
  )
}
