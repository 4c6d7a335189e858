import { type List, routes } from '@hand-post/contract'
import { shown } from '@hand-post/core'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { faultWords, stale, useChange } from '../api.ts'
import { Button, Empty, Say, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { someRowsQuery } from '../shared/rows.ts'
import { doubles as say } from './words.ts'

/** Rows that are likely the same person, and making one of them. */
export function Doubles({ list, onDone }: { list: List; onDone: () => void }) {
  const doubles = useQuery(query.doubles(list.id, list.version))
  const ids = doubles.data?.flatMap(({ rows }) => rows) ?? []
  const found = useQuery({ ...someRowsQuery(list.id, ids), enabled: ids.length > 0, placeholderData: keepPreviousData })
  const rows = doubles.data?.length === 0 ? [] : found.data
  const [kept, setKept] = useState<Record<number, number>>({})
  const merge = useChange(routes.mergeRows, async ({ merged }) => {
    toast(say.rowsMadeOneUndo(merged))
    await stale(keys.rows(list.id), keys.someRows(list.id))
    await stale(keys.anyList())
    await stale(keys.book())
  })
  const byId = new Map(rows?.map((row) => [row.id, row]))
  const columns = list.columns.filter((c) => !c.hidden && !c.recipe).slice(0, 6)
  const setsOf = (all: NonNullable<typeof doubles.data>) =>
    all.map(({ rows: set }, i) => {
      const first = kept[i] ?? set[0]
      return [first, ...set.filter((id) => id !== first)]
    })
  const fault = doubles.error ?? found.error
  if (fault) return <Say tone="stop">{faultWords(fault)}</Say>
  if (!doubles.data || !rows) return <Waiting>{say.looking}</Waiting>
  const all = doubles.data
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <header className="flex items-center gap-2 border-rule border-b px-4 py-2">
        <h2 className="flex-1 text-[17px]">
          {all.length === 0 ? say.noDoubles : say.severalRows(all.length, list.name)}
        </h2>
        {all.length > 1 && (
          <Button
            kind="primary"
            disabled={merge.isPending}
            onClick={() => merge.mutate({ params: { list: list.id }, body: { sets: setsOf(all) } })}
          >
            {say.makeOneEach}
          </Button>
        )}
        <Button onClick={onDone}>{say.backRows}</Button>
      </header>
      {all.length === 0 ? (
        <Empty title={say.everybodyStandsOnce}>{say.noTwoRowsHave}</Empty>
      ) : (
        <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
          {all.map(({ rows: set, why }, i) => (
            <fieldset key={set.join()} className="paper">
              <legend className="sr-only">{why}</legend>
              <div className="flex items-center gap-3 border-rule border-b bg-sheet-2 px-3 py-1 text-[14px]">
                <span className="flex-1">{say.theyHaveMarkedRow(why)}</span>
                <Button
                  disabled={merge.isPending}
                  onClick={() => merge.mutate({ params: { list: list.id }, body: { sets: [setsOf(all)[i]] } })}
                >
                  {say.makeOneThem}
                </Button>
              </div>
              {set.map((id) => (
                <label key={id} className="flex items-center gap-3 px-3 py-1 text-[14px]">
                  <input
                    type="radio"
                    name={`kept ${i}`}
                    checked={(kept[i] ?? set[0]) === id}
                    onChange={() => setKept({ ...kept, [i]: id })}
                  />
                  {columns.map((c) => (
                    <span key={c.id} className="min-w-0 flex-1 truncate" title={c.name}>
                      {shown(byId.get(id)?.cells[c.id]) || <span className="text-ink-2">{say.blank}</span>}
                    </span>
                  ))}
                </label>
              ))}
            </fieldset>
          ))}
        </div>
      )}
    </div>
  )
}
