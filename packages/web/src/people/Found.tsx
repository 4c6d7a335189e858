import { type List, type Reading, routes, type Table } from '@hand-post/contract'
import { kinds, languageName, workbookLanguages } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { useRef, useState } from 'react'
import { ask, faultWords } from '../api.ts'
import { Button, Labelled, Say } from '../shared/parts.tsx'
import { query, useProgress } from '../shared/queries.ts'
import { likeliestSheet } from './likeliestSheet.ts'
import { found as say } from './words.ts'

/** What the writer decided about the reading. */
type Options = {
  sheet: number
  headingsRow?: number
  headingRows?: 0 | 1 | 2
  lastRow?: number
  hidden?: 'in' | 'out'
  language?: string
  delimiter?: string
  encoding?: 'utf-8' | 'utf-16le' | 'utf-16be' | 'windows-1252'
  quote?: '"' | "'" | 'none'
  monthFirst?: string[]
}

const delimiterWords: [string, string][] = [
  [',', say.comma],
  [';', say.semicolon],
  ['\t', say.tab],
  ['|', say.bar],
]
const languagesByName = workbookLanguages
  .map((tag): [string, string] => [tag, languageName(tag)])
  .sort(([, a], [, b]) => a.localeCompare(b))
/** Where the headings stand and where the table ends are found anew. */
const asFound = { headingsRow: undefined, headingRows: undefined, lastRow: undefined }
const encodingWords: [NonNullable<Options['encoding']>, string][] = [
  ['utf-8', 'UTF-8'],
  ['windows-1252', 'Windows-1252'],
  ['utf-16le', 'UTF-16'],
  ['utf-16be', say.utf16OtherWay],
]

/** What was found in a file or in what was pasted, to be looked at and put right before it is stored. */
export function Found({
  reading,
  onDone,
  onBack,
}: {
  reading: Reading
  onDone: (list: List) => void
  onBack: () => void
}) {
  const [options, setOptions] = useState<Options>(() => ({ sheet: likeliestSheet(reading) }))
  const put = (next: Partial<Options>) => setOptions((before) => ({ ...before, ...next }))
  /** The column that is written to, by its heading, where the writer has said so; another reading may number it otherwise. */
  const [addressed, setAddressed] = useState<string | null>(null)
  const [name, setName] = useState(reading.fileName.replace(/\.\w{1,5}$/, ''))
  const [fault, setFault] = useState<string | null>(null)
  const [busy, setBusy] = useState(false)
  const stop = useRef<AbortController>(undefined)
  const progress = useProgress(null)
  const table = useQuery(
    query.table(reading.id, {
      ...options,
      monthFirst: options.monthFirst && JSON.stringify(options.monthFirst),
    } as never),
  )
  const store = async () => {
    setBusy(true)
    setFault(null)
    stop.current = new AbortController()
    try {
      onDone(
        await ask(routes.makeList, {
          body: {
            ...options,
            headingsRow: table.data?.headingsRow,
            headingRows: table.data?.headingRows,
            lastRow: table.data?.lastRow,
            reading: reading.id,
            name,
            addressColumn: table.data?.addressColumns.find((c) => c.name === addressed)?.id,
          },
          signal: stop.current.signal,
        }),
      )
    } catch (error) {
      if (!stop.current.signal.aborted) setFault(faultWords(error))
      setBusy(false)
    }
  }
  const found = table.data
  return (
    <div className="flex h-full flex-col">
      <header className="space-y-2 border-rule border-b px-5 py-3">
        <h2 className="text-xl">{say.whatFound(reading.fileName)}</h2>
        <div className="flex flex-wrap items-end gap-4">
          {reading.sheets.length > 1 && (
            <Labelled label={say.sheet}>
              <select
                className="input max-w-96"
                value={options.sheet}
                onChange={(e) => setOptions({ sheet: Number(e.target.value), language: options.language })}
              >
                {reading.sheets.map((s, i) => (
                  <option key={s.name} value={i}>
                    {s.name}, {say.nRows(s.rows)}
                    {s.hidden ? ', hidden' : ''}
                    {s.glimpse.length > 0 ? `: ${s.glimpse.slice(0, 3).join(', ')}` : ''}
                  </option>
                ))}
              </select>
            </Labelled>
          )}
          <Labelled label={say.nameList}>
            <input className="input w-64" value={name} maxLength={200} onChange={(e) => setName(e.target.value)} />
          </Labelled>
          {reading.language && (
            <Labelled label={say.datesFiguresAs}>
              <select
                className="input max-w-64"
                value={options.language ?? reading.language}
                onChange={(e) => put({ language: e.target.value })}
              >
                {languagesByName.map(([tag, words]) => (
                  <option key={tag} value={tag}>
                    {words}
                    {tag === reading.language ? ', found' : ''}
                  </option>
                ))}
              </select>
            </Labelled>
          )}
          {reading.delimiter && (
            <>
              <Labelled label={say.separator}>
                <select
                  className="input"
                  value={options.delimiter ?? reading.delimiter}
                  onChange={(e) => put({ ...asFound, delimiter: e.target.value })}
                >
                  {delimiterWords.map(([delimiter, words]) => (
                    <option key={delimiter} value={delimiter}>
                      {words}
                      {delimiter === reading.delimiter ? ', found' : ''}
                    </option>
                  ))}
                </select>
              </Labelled>
              <Labelled label={say.encoding}>
                <select
                  className="input"
                  value={options.encoding ?? reading.encoding ?? 'utf-8'}
                  onChange={(e) => put({ encoding: e.target.value as Options['encoding'] })}
                >
                  {encodingWords.map(([encoding, words]) => (
                    <option key={encoding} value={encoding}>
                      {words}
                      {encoding === reading.encoding ? ', found' : ''}
                    </option>
                  ))}
                </select>
              </Labelled>
              <Labelled label={say.quotationMark}>
                <select
                  className="input"
                  value={options.quote ?? reading.quote ?? '"'}
                  onChange={(e) => put({ quote: e.target.value as Options['quote'] })}
                >
                  <option value={'"'}>&quot;</option>
                  <option value="'">'</option>
                  <option value="none">{say.none}</option>
                </select>
              </Labelled>
            </>
          )}
        </div>
      </header>
      {table.error ? (
        <div className="p-5">
          <Say tone="stop">{faultWords(table.error)}</Say>
        </div>
      ) : !found ? (
        <p className="p-5 text-ink-2">{say.oneMoment}</p>
      ) : (
        <FoundTable found={found} options={options} put={put} addressed={addressed} setAddressed={setAddressed} />
      )}
      <footer className="flex flex-wrap items-center gap-2 border-rule border-t px-5 py-3">
        <Button kind="primary" disabled={!found || found.rowCount === 0 || busy} onClick={() => void store()}>
          {busy ? say.storing : found ? say.bring(found.rowCount) : say.bring2}
        </Button>
        {busy ? (
          <>
            <Button onClick={() => stop.current?.abort()}>{say.cancel}</Button>
            {progress && (
              <span role="status" className="text-[13px] text-ink-2">
                {say.ofIt(progress.words, progress.done, progress.of)}
              </span>
            )}
          </>
        ) : (
          <Button onClick={onBack}>{say.chooseAnotherFile}</Button>
        )}
        {fault && (
          <span role="alert" className="text-stop">
            {fault}
          </span>
        )}
      </footer>
    </div>
  )
}

/** What of a sheet the workbook keeps out of sight, in words; nothing where it shows all. */
function hiddenIn({ rows, filtered, columns }: Table['hidden']): string {
  const hidden = [rows > 0 && say.nRows(rows), columns > 0 && say.nColumns(columns)].filter(Boolean).join(' and ')
  const left = filtered > 0 && say.nRows(filtered)
  if (hidden && left) return say.workbookHidesFilterLeaves(hidden, left)
  if (hidden) return say.workbookHides(hidden)
  return left ? say.filterWorkbookLeavesOut(left) : ''
}

function FoundTable({
  found,
  options,
  put,
  addressed,
  setAddressed,
}: {
  found: Table
  options: Options
  put: (next: Partial<Options>) => void
  addressed: string | null
  setAddressed: (heading: string) => void
}) {
  const monthFirst = options.monthFirst ?? []
  const hiddenWords = hiddenIn(found.hidden)
  const headEnd = found.headingsRow + found.headingRows - 1
  const isHeading = (r: number) => r >= found.headingsRow && r <= headEnd
  const between = found.lastRows.from - found.firstRows.length
  const line = (row: string[], r: number) => (
    <tr
      key={r}
      className={clsx(
        'border-rule border-b',
        isHeading(r) ? 'bg-post-tint font-bold' : (r < found.headingsRow || r > found.lastRow) && 'text-ink-2 italic',
      )}
    >
      <th scope="row" className="whitespace-nowrap border-rule border-r px-1 text-left font-normal not-italic">
        <button
          type="button"
          className="rounded-paper px-2 py-0.5 text-[13px] hover:bg-post-tint"
          aria-pressed={isHeading(r)}
          aria-label={say.rowHoldsHeadings(r)}
          title={say.rowHoldsHeadings(r)}
          onClick={() => put({ headingsRow: r, headingRows: 1 })}
        >
          {isHeading(r) ? say.headings : r + 1}
        </button>
        {r > headEnd && r >= found.sheetRows - 12 && (
          <button
            type="button"
            className={clsx(
              'rounded-paper px-1 py-0.5 text-[13px] hover:bg-post-tint',
              r === found.lastRow && 'font-bold',
            )}
            aria-pressed={r === found.lastRow}
            aria-label={say.rowLast(r)}
            title={say.rowLast(r)}
            onClick={() => put({ lastRow: r })}
          >
            {say.last}
          </button>
        )}
      </th>
      {row.map((text, c) => (
        <td key={c} className="max-w-48 truncate px-2 py-1">
          {text}
        </td>
      ))}
    </tr>
  )
  return (
    <div className="min-h-0 flex-1 space-y-3 overflow-auto p-5">
      <p>
        <b>{say.nRows(found.rowCount)}</b> {say.with(found.columns.length)}{' '}
        <label>
          {say.tableHas}{' '}
          <select
            aria-label={say.headings2}
            className="input min-h-8 py-0"
            value={found.headingRows}
            onChange={(e) => put({ headingsRow: found.headingsRow, headingRows: Number(e.target.value) as 0 | 1 | 2 })}
          >
            <option value={1}>{say.oneRowHeadings}</option>
            <option value={2}>{say.twoRowsHeadingsGroups}</option>
            <option value={0}>{say.noHeadings}</option>
          </select>
        </label>{' '}
        {found.headingRows === 0 ? (
          say.beginsRow(found.headingsRow)
        ) : (
          <>
            {say.inIt} <b>{found.headingRows === 1 ? say.row(headEnd) : say.rows(found.headingsRow, headEnd)}</b>
            {say.ifWrongClickRow}
          </>
        )}
      </p>
      {found.doubtfulHeading !== null && (
        <Say tone="ask">
          {say.rowReadsAsSomebody(found.headingsRow, found.doubtfulHeading)}
          <span className="ml-2 inline-flex gap-1">
            <Button onClick={() => put({ headingsRow: found.headingsRow, headingRows: 1 })}>{say.yesHeading}</Button>
            <Button kind="primary" onClick={() => put({ headingsRow: found.headingsRow, headingRows: 0 })}>
              {say.noThereNoHeadings}
            </Button>
          </span>
        </Say>
      )}
      {hiddenWords !== '' && (
        <Say tone="ask">
          {say.theyWanted(hiddenWords)}
          <span className="ml-2 inline-flex gap-1">
            {(['in', 'out'] as const).map((way) => (
              <Button
                key={way}
                aria-pressed={(options.hidden ?? 'in') === way}
                kind={(options.hidden ?? 'in') === way ? 'primary' : 'plain'}
                onClick={() => put({ hidden: way })}
              >
                {way === 'in' ? say.bringThem : say.leaveThemOut}
              </Button>
            ))}
          </span>
        </Say>
      )}
      {found.undecided.map(({ name, example }) => (
        <Say key={name} tone="ask">
          {say.datesCouldReadEither(name, example)}
          <span className="ml-2 inline-flex gap-1">
            {(['day', 'month'] as const).map((first) => {
              const on = monthFirst.includes(name) === (first === 'month')
              return (
                <Button
                  key={first}
                  aria-pressed={on}
                  kind={on ? 'primary' : 'plain'}
                  onClick={() =>
                    put({
                      monthFirst: first === 'month' ? [...monthFirst, name] : monthFirst.filter((n) => n !== name),
                    })
                  }
                >
                  {first === 'day' ? say.dayFirst : say.monthFirst}
                </Button>
              )
            })}
          </span>
        </Say>
      ))}
      {found.addressColumns.length > 1 && (
        <Say tone="ask">
          {say.columnsHoldAddressesWhich(found.addressColumns.length)}
          <span className="mt-1 flex flex-wrap gap-1">
            {found.addressColumns.map(({ id, name, example }) => {
              const on = addressed === null ? id === found.addressColumn : name === addressed
              return (
                <Button
                  key={id}
                  aria-pressed={on}
                  kind={on ? 'primary' : 'plain'}
                  className="max-w-80"
                  onClick={() => setAddressed(name)}
                >
                  <span className="truncate">
                    {name}
                    {example !== '' && ` (${example})`}
                  </span>
                </Button>
              )
            })}
          </span>
        </Say>
      )}
      {found.addressColumn === null && <Say tone="ask">{say.noColumnLooksLike}</Say>}
      {found.said.map((s) => (
        <Say key={s} tone="note">
          {s}
        </Say>
      ))}
      <section aria-label={say.firstRows} tabIndex={0} className="overflow-x-auto rounded-paper border border-rule">
        <table className="text-[14px]">
          <tbody>
            {found.firstRows.map(line)}
            {between > 0 && (
              <tr className="border-rule border-b text-ink-2">
                <td className="px-2 py-1 text-[13px]" colSpan={99}>
                  {say.nMoreRows(between)}
                </td>
              </tr>
            )}
            {found.lastRows.rows.map((row, i) =>
              found.lastRows.from + i < found.firstRows.length ? null : line(row, found.lastRows.from + i),
            )}
          </tbody>
        </table>
      </section>
      <p className="text-[13px] text-ink-2">
        {found.columns.map((c) => `${c.name}: ${kinds[c.kind].words}`).join(' · ')}
      </p>
    </div>
  )
}
