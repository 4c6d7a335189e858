import { routes } from '@hand-post/contract'
import { countSentence } from '@hand-post/core'
import { FileUp, Plus, Undo2 } from 'lucide-react'
import { useState } from 'react'
import { queries, useChange, useLists } from '../api.ts'
import { useWork } from '../rounds/RoundContext.ts'
import { Button, Empty, times } from '../shared/parts.tsx'
import { BringIn } from './BringIn.tsx'
import RowsTable from './RowsTable.tsx'
import { Rules } from './Rules.tsx'

/** People: the list, who of it is in the round, and how that came about. */
export default function PeopleStage() {
  const { round, change, rowsPending, undoCell, canUndo } = useWork()
  const [bringing, setBringing] = useState(false)
  const lists = useLists().data ?? []
  const addRow = useChange(routes.addRow, () => queries.invalidateQueries({ queryKey: ['rows', round.list?.id] }))
  const posted = round.postedAt !== null
  if (bringing || (!round.list && lists.length === 0))
    return (
      <BringIn
        onDone={(list) => void change({ listId: list.id }).then(() => setBringing(false))}
        onCancel={round.list || lists.length > 0 ? () => setBringing(false) : undefined}
      />
    )
  if (!round.list)
    return (
      <Empty
        title="Who gets this letter?"
        action={
          <Button kind="primary" onClick={() => setBringing(true)}>
            <FileUp aria-hidden size={16} /> Bring in a list
          </Button>
        }
      >
        Bring in a table of people (.csv or .xlsx), or take a list that is here already:
        <span className="mt-3 block space-y-1">
          {lists.slice(0, 8).map((list) => (
            <Button key={list.id} kind="quiet" onClick={() => void change({ listId: list.id })}>
              {list.name}, {times(list.rowCount, 'row')}
            </Button>
          ))}
        </span>
      </Empty>
    )
  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-center gap-2 border-rule border-b px-4 py-2">
        <div className="min-w-0 flex-1">
          <h2 className="truncate text-[17px]">{round.list.name}</h2>
          <p role="status" className="text-[13px] text-ink-2">
            {countSentence(round.counts)}
          </p>
        </div>
        {!posted && (
          <>
            <Button onClick={undoCell} disabled={!canUndo}>
              <Undo2 aria-hidden size={16} /> Undo
            </Button>
            <Button onClick={() => addRow.mutate({ params: { list: round.list!.id }, body: {} })}>
              <Plus aria-hidden size={16} /> Add a row
            </Button>
            <Button onClick={() => setBringing(true)}>
              <FileUp aria-hidden size={16} /> Bring in another list
            </Button>
          </>
        )}
      </header>
      {!posted && <Rules />}
      {round.list.source.said.length > 0 && !posted && (
        <details className="border-rule border-b bg-note-tint px-4 py-1.5 text-[13px] text-note">
          <summary>{times(round.list.source.said.length, 'remark')} from bringing it in</summary>
          <ul className="list-disc pl-5">
            {round.list.source.said.map((s) => (
              <li key={s}>{s}</li>
            ))}
          </ul>
        </details>
      )}
      {rowsPending ? <p className="p-6 text-ink-2">Fetching the rows…</p> : <RowsTable />}
    </div>
  )
}
