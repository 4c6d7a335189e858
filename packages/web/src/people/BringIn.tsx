import { type List, type Reading, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { FileUp } from 'lucide-react'
import { useRef, useState } from 'react'
import { ask, faultWords } from '../api.ts'
import { DropArea } from '../shared/DropArea.tsx'
import { Button, Labelled, Say, times } from '../shared/parts.tsx'
import { kindWords } from './kindWords.ts'

/** Brings in a list from a file: choose it, look at what was found, store it. */
export function BringIn({ onDone, onCancel }: { onDone: (list: List) => void; onCancel?: () => void }) {
  const [reading, setReading] = useState<Reading | null>(null)
  const [fault, setFault] = useState<string | null>(null)
  const [busy, setBusy] = useState<string | null>(null)
  const stop = useRef<AbortController>(undefined)
  const take = async (file: File | undefined) => {
    if (!file) return
    setFault(null)
    setBusy(`Reading “${file.name}”…`)
    stop.current = new AbortController()
    try {
      setReading(await ask(routes.readFile, { query: { name: file.name }, file, signal: stop.current.signal }))
    } catch (error) {
      if (!stop.current.signal.aborted) setFault(faultWords(error))
    }
    setBusy(null)
  }
  if (reading) return <Found reading={reading} onDone={onDone} onBack={() => setReading(null)} />
  return (
    <div className="mx-auto max-w-xl p-8">
      <h2 className="text-xl">Bring in a list</h2>
      <p className="mt-1 text-ink-2">
        A table with one row for each person and one heading over each column, as .csv or .xlsx. One column must hold
        the addresses.
      </p>
      <DropArea
        label="File with the list"
        accept=".csv,.tsv,.txt,.xlsx,.xlsm"
        onFiles={(files) => void take(files[0])}
        className="mt-4 rounded-paper border-2 border-dashed p-10 text-center"
        looks={['border-rule', 'border-post bg-post-tint']}
      >
        {(choose) => (
          <>
            <FileUp aria-hidden className="mx-auto text-ink-2" size={28} />
            <p className="my-2">Drop the file here, or</p>
            <Button kind="primary" onClick={choose} disabled={busy !== null}>
              Choose a file
            </Button>
          </>
        )}
      </DropArea>
      {busy && (
        <p role="status" className="mt-3 flex items-center justify-between">
          {busy} <Button onClick={() => stop.current?.abort()}>Cancel</Button>
        </p>
      )}
      {fault && (
        <div role="alert" className="mt-3">
          <Say tone="stop">{fault}</Say>
        </div>
      )}
      {onCancel && (
        <Button kind="quiet" className="mt-3" onClick={onCancel}>
          Not now
        </Button>
      )}
    </div>
  )
}

function Found({ reading, onDone, onBack }: { reading: Reading; onDone: (list: List) => void; onBack: () => void }) {
  const [sheet, setSheet] = useState(() =>
    Math.max(
      0,
      reading.sheets.findIndex((s) => !s.hidden && s.rows > 1),
    ),
  )
  const [heading, setHeading] = useState<number>()
  const [name, setName] = useState(reading.fileName.replace(/\.\w{1,5}$/, ''))
  const [busy, setBusy] = useState(false)
  const [fault, setFault] = useState<string | null>(null)
  const table = useQuery({
    queryKey: ['reading', reading.id, sheet, heading],
    queryFn: () => ask(routes.readTable, { params: { reading: reading.id }, query: { sheet, headingsRow: heading } }),
    placeholderData: (before) => before,
  })
  const store = async () => {
    setBusy(true)
    setFault(null)
    try {
      onDone(
        await ask(routes.makeList, {
          body: { reading: reading.id, sheet, headingsRow: table.data?.headingsRow, name },
        }),
      )
    } catch (error) {
      setFault(faultWords(error))
      setBusy(false)
    }
  }
  const found = table.data
  return (
    <div className="flex h-full flex-col">
      <header className="space-y-2 border-rule border-b px-5 py-3">
        <h2 className="text-xl">What was found in “{reading.fileName}”</h2>
        <div className="flex flex-wrap gap-4">
          {reading.sheets.length > 1 && (
            <Labelled label="Sheet">
              <select
                className="input"
                value={sheet}
                onChange={(e) => {
                  setSheet(Number(e.target.value))
                  setHeading(undefined)
                }}
              >
                {reading.sheets.map((s, i) => (
                  <option key={s.name} value={i}>
                    {s.name}, {times(s.rows, 'row')}
                    {s.hidden ? ', hidden' : ''}
                  </option>
                ))}
              </select>
            </Labelled>
          )}
          <Labelled label="Name of the list">
            <input className="input w-64" value={name} maxLength={200} onChange={(e) => setName(e.target.value)} />
          </Labelled>
        </div>
        {reading.delimiter && (
          <p className="text-[13px] text-ink-2">
            Columns are parted by{' '}
            {({ ',': 'a comma', ';': 'a semicolon', '\t': 'a tab', '|': 'a bar' } as Record<string, string>)[
              reading.delimiter
            ] ?? `“${reading.delimiter}”`}
            ; the text is in {reading.encoding}.
          </p>
        )}
      </header>
      {table.error ? (
        <div className="p-5">
          <Say tone="stop">{faultWords(table.error)}</Say>
        </div>
      ) : !found ? (
        <p className="p-5 text-ink-2">One moment…</p>
      ) : (
        <div className="min-h-0 flex-1 space-y-3 overflow-auto p-5">
          <p>
            <b>{times(found.rowCount, 'row')}</b> with {times(found.columns.length, 'column')}. The headings stand in{' '}
            <b>row {found.headingsRow + 1}</b>. If that is wrong, click the row that has them.
          </p>
          {found.addressColumn === null && (
            <Say tone="ask">
              No column looks like addresses. Look whether the heading row is right; you can still choose the column
              afterwards.
            </Say>
          )}
          {found.said.map((s) => (
            <Say key={s} tone="note">
              {s}
            </Say>
          ))}
          <section aria-label="First rows" tabIndex={0} className="overflow-x-auto rounded-paper border border-rule">
            <table className="text-[14px]">
              <tbody>
                {found.firstRows.map((row, r) => (
                  <tr
                    key={r}
                    className={clsx(
                      'border-rule border-b',
                      r === found.headingsRow ? 'bg-post-tint font-bold' : r < found.headingsRow && 'text-ink-2',
                    )}
                  >
                    <th scope="row" className="border-rule border-r px-1 font-normal">
                      <button
                        type="button"
                        className="w-full rounded-paper px-2 py-0.5 text-[13px] hover:bg-post-tint"
                        aria-pressed={r === found.headingsRow}
                        aria-label={`Row ${r + 1} holds the headings`}
                        onClick={() => setHeading(r)}
                      >
                        {r === found.headingsRow ? 'headings' : r + 1}
                      </button>
                    </th>
                    {row.map((text, c) => (
                      <td key={c} className="max-w-48 truncate px-2 py-1">
                        {text}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
          <p className="text-[13px] text-ink-2">
            {found.columns.map((c) => `${c.name}: ${kindWords[c.kind]}`).join(' · ')}
          </p>
        </div>
      )}
      <footer className="flex items-center gap-2 border-rule border-t px-5 py-3">
        <Button kind="primary" disabled={!found || found.rowCount === 0 || busy} onClick={() => void store()}>
          {busy ? 'Storing…' : found ? `Bring in ${times(found.rowCount, 'row')}` : 'Bring in'}
        </Button>
        <Button onClick={onBack} disabled={busy}>
          Choose another file
        </Button>
        {fault && (
          <span role="alert" className="text-stop">
            {fault}
          </span>
        )}
      </footer>
    </div>
  )
}
