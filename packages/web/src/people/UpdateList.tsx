import { type ListComparison, type Reading, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { ArrowRight } from 'lucide-react'
import { useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, stale } from '../api.ts'
import { whileChanging } from '../shared/live.ts'
import { Button, Labelled, Say } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { FileOrPaste } from './FileOrPaste.tsx'
import { TakeFoot } from './TakeFoot.tsx'
import type { TableWork } from './useTable.ts'
import { updateList as say } from './words.ts'

/** Brings a newer table into a list: what is new, changed and gone is shown, chosen, and taken over as one change. */
export function UpdateList({ table, onDone }: { table: TableWork; onDone: () => void }) {
  const groups = table.list.source.groups
  const [reading, setReading] = useState<Reading | null>(null)
  const [fromGroups, setFromGroups] = useState(false)
  if (reading || fromGroups)
    return (
      <Compare
        table={table}
        newer={fromGroups ? { groups: groups! } : { reading: reading!.id }}
        words={fromGroups ? say.groupsAsTheyNow : `“${reading!.fileName}”`}
        onBack={() => {
          setReading(null)
          setFromGroups(false)
        }}
        onDone={onDone}
      />
    )
  return (
    <div className="mx-auto max-w-xl p-8">
      <h2 className="text-xl">{say.update(table.list.name)}</h2>
      <p className="mt-1 text-ink-2">{say.giveNewerTableRows}</p>
      {groups && (
        <div className="mt-4">
          <Button kind="primary" onClick={() => setFromGroups(true)}>
            {say.compareGroups}
          </Button>
        </div>
      )}
      <FileOrPaste onRead={setReading} />
      <Button kind="quiet" className="mt-3" onClick={onDone}>
        {say.notNow}
      </Button>
    </div>
  )
}

type Newer = { reading: string } | { groups: { group: number; minus: boolean }[] }

function Compare({
  table,
  newer,
  words,
  onBack,
  onDone,
}: {
  table: TableWork
  newer: Newer
  words: string
  onBack: () => void
  onDone: () => void
}) {
  const { list } = table
  const [key, setKey] = useState<string>()
  const found = useQuery(query.compare(list.id, list.version, { newer, key }))
  const faulty = found.error !== null
  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-end gap-4 border-rule border-b px-5 py-3">
        <h2 className="flex-1 text-xl">{say.beside(list.name, words)}</h2>
        <Labelled label={say.rowsMatched}>
          <select
            className="input"
            value={key ?? found.data?.key ?? ''}
            onChange={(e) => setKey(e.target.value || undefined)}
          >
            {faulty && <option value="">{say.surestColumn}</option>}
            {list.columns
              .filter((c) => !c.recipe)
              .map((c) => (
                <option key={c.id} value={c.id}>
                  {c.name}
                  {found.data?.possibleKeys[0] === c.id ? say.surest : ''}
                </option>
              ))}
          </select>
        </Labelled>
      </header>
      {found.error ? (
        <div className="space-y-3 p-5">
          <Say tone="stop">{faultWords(found.error)}</Say>
          <Button onClick={onBack}>{say.giveAnotherTable}</Button>
        </div>
      ) : !found.data ? (
        <p role="status" className="p-5 text-ink-2">
          {say.comparing}
        </p>
      ) : (
        <Choose
          key={`${found.data.key}:${list.version}`}
          table={table}
          newer={newer}
          found={found.data}
          onBack={onBack}
          onDone={onDone}
        />
      )}
    </div>
  )
}

function Choose({
  table,
  newer,
  found,
  onBack,
  onDone,
}: {
  table: TableWork
  newer: Newer
  found: ListComparison
  onBack: () => void
  onDone: () => void
}) {
  const { list } = table
  const [added, setAdded] = useState(() => new Set(found.added.map((a) => a.index)))
  const [changed, setChanged] = useState(() => new Set(found.changed.map((c) => c.row)))
  // Nobody goes unless it is said so.
  const [gone, setGone] = useState(() => new Set<number>())
  const [newColumns, setNewColumns] = useState(() => new Set<string>())
  const [fault, setFault] = useState<string | null>(null)
  const [busy, setBusy] = useState(false)
  const n = added.size + changed.size + gone.size + newColumns.size
  const apply = async () => {
    setBusy(true)
    setFault(null)
    try {
      await whileChanging(list.id, () =>
        ask(routes.updateList, {
          params: { list: list.id },
          body: {
            newer,
            key: found.key,
            version: list.version,
            added: [...added],
            changed: [...changed],
            gone: [...gone],
            newColumns: [...newColumns],
          },
        }),
      )
      await stale(keys.rows(list.id))
      void stale(keys.anyRound())
      void stale(keys.anyList())
      toast(say.listUpdated, { action: { label: say.undo, onClick: () => void table.undo() } })
      onDone()
    } catch (error) {
      setFault(faultWords(error))
      setBusy(false)
    }
  }
  return (
    <>
      <div className="min-h-0 flex-1 space-y-4 overflow-auto p-5">
        <p role="status">
          <b>{say.newChangedGone(found.added.length, found.changed.length, found.gone.length)}</b>
          {say.asTheyWere(found.unchanged)}
        </p>
        {found.unmatched.length > 0 && (
          <Say tone="ask">
            {found.unmatched.slice(0, 5).map((words) => (
              <p key={words}>{words}</p>
            ))}
            {found.unmatched.length > 5 && <p>{say.more(found.unmatched.length)}</p>}
          </Say>
        )}
        {found.said.map((words) => (
          <Say key={words} tone="note">
            {words}
          </Say>
        ))}
        {found.missingColumns.length > 0 && (
          <Say tone="note">{say.newerTableHasNo(found.missingColumns.map((name) => `“${name}”`).join(', '))}</Say>
        )}
        <Part
          title={say.newColumns}
          words={say.take}
          lines={found.newColumns.map((c) => ({ id: c.id, person: c.name, more: '' }))}
          chosen={newColumns}
          put={setNewColumns}
        />
        <Part
          title={say.newIt}
          words={say.take2}
          lines={found.added.map((a) => ({ id: a.index, person: a.person, more: a.cells.filter(Boolean).join(', ') }))}
          chosen={added}
          put={setAdded}
        />
        <Part
          title={say.changed}
          words={say.takeOver}
          lines={found.changed.map((c) => ({ id: c.row, person: c.person, more: c.changes }))}
          chosen={changed}
          put={setChanged}
        />
        <Part
          title={say.goneFromNewerTable}
          words={say.takeOutList}
          lines={found.gone.map((g) => ({ id: g.row, person: g.person, more: '' }))}
          chosen={gone}
          put={setGone}
        />
      </div>
      <TakeFoot
        act={
          <Button kind="primary" disabled={n === 0 || busy} onClick={() => void apply()}>
            {busy ? say.takingOver : n === 0 ? say.nothingChosen : say.takeOverWhatChosen}
          </Button>
        }
        another={say.giveAnotherTable}
        busy={busy}
        fault={fault}
        onBack={onBack}
        onDone={onDone}
      />
    </>
  )
}

/** At most so many lines are drawn; those beyond are chosen or not together with all. */
const maxLines = 500

function Part<Id extends string | number>({
  title,
  words,
  lines,
  chosen,
  put,
}: {
  title: string
  words: string
  lines: { id: Id; person: string; more: string | { column: string; from: string; to: string }[] }[]
  chosen: Set<Id>
  put: (next: Set<Id>) => void
}) {
  if (lines.length === 0) return null
  return (
    <fieldset className="paper">
      <legend className="sr-only">{title}</legend>
      <div className="flex items-center gap-2 border-rule border-b bg-sheet-2 px-3 py-1.5">
        <b className="flex-1">
          {title}: {lines.length.toLocaleString('en-GB')}
        </b>
        <label className="flex items-center gap-1.5 text-[14px]">
          <input
            type="checkbox"
            checked={chosen.size === lines.length}
            onChange={(e) => put(new Set(e.target.checked ? lines.map((l) => l.id) : []))}
          />
          {say.all(words)}
        </label>
      </div>
      <ul className="max-h-72 overflow-auto text-[14px]">
        {lines.slice(0, maxLines).map(({ id, person, more }) => (
          <li key={id} className="border-rule border-b last:border-0">
            <label className="flex gap-3 px-3 py-1">
              <input
                type="checkbox"
                checked={chosen.has(id)}
                onChange={(e) => {
                  const next = new Set(chosen)
                  if (e.target.checked) next.add(id)
                  else next.delete(id)
                  put(next)
                }}
              />
              <span className="w-40 shrink-0 truncate">{person}</span>
              <span className="min-w-0 text-ink-2">
                {typeof more === 'string'
                  ? more
                  : more.map((c) => (
                      <span key={c.column} className="mr-3 inline-flex items-center gap-1">
                        {c.column}: <s>{c.from || 'blank'}</s>
                        <ArrowRight role="img" aria-label={say.becomes} size={13} />
                        <b className="font-normal text-ink">{c.to || 'blank'}</b>
                      </span>
                    ))}
              </span>
            </label>
          </li>
        ))}
        {lines.length > maxLines && <li className="px-3 py-1 text-ink-2">{say.more2(lines.length, maxLines)}</li>}
      </ul>
    </fieldset>
  )
}
