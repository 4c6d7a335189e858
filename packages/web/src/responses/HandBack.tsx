import { addressOf, routes, sheetFormats } from '@hand-post/contract'
import { type OutcomeColumn, outcomeColumns, outcomeHeadings } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { ArrowDown, ArrowUp, Download } from 'lucide-react'
import { useState } from 'react'
import { faultWords, stale, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Button, Say, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { handBack as say } from './words.ts'

type Format = (typeof sheetFormats)[number]

/** The list handed back with what came of each row: which columns, in which order, in which workbook. */
export function HandBack({ onClose }: { onClose: () => void }) {
  const { round } = useWork()
  const about = useQuery(query.outcomeSheet(round.id))
  return (
    <Sheet title={say.title} onClose={onClose}>
      {about.error ? (
        <div className="p-5">
          <Say tone="stop">{faultWords(about.error)}</Say>
        </div>
      ) : about.data ? (
        <Choosing key={round.id} about={about.data} />
      ) : (
        <Waiting />
      )}
    </Sheet>
  )
}

function Choosing({ about }: { about: { original: string | null; said: string[]; columns: OutcomeColumn[] } }) {
  const { round } = useWork()
  const [columns, setColumns] = useState(about.columns)
  const [as, setAs] = useState<Format>(about.original === null ? 'xlsx' : 'original')
  const remember = useChange(routes.rememberOutcomeColumns, () => stale(keys.ofRound(round.id, 'outcome-sheet')))
  const put = (next: OutcomeColumn[]) => {
    setColumns(next)
    if (next.length > 0) remember.mutate({ params: { round: round.id }, body: { columns: next } })
  }
  const turn = (name: OutcomeColumn, on: boolean) =>
    put(on ? [...columns, name] : columns.filter((one) => one !== name))
  const move = (at: number, by: 1 | -1) => {
    const next = [...columns]
    const [one] = next.splice(at, 1)
    next.splice(at + by, 0, one)
    put(next)
  }
  const formats = sheetFormats.filter((one) => one !== 'original' || about.original !== null)
  const others = outcomeColumns.filter((name) => !columns.includes(name))
  return (
    <>
      <div className="min-h-0 flex-1 space-y-4 overflow-auto px-5 py-4">
        <fieldset className="space-y-1">
          <legend className="font-bold text-[13px]">{say.as}</legend>
          {formats.map((one) => (
            <div key={one}>
              <label className="flex items-baseline gap-2">
                <input
                  type="radio"
                  name="as"
                  className="size-4 shrink-0 translate-y-0.5 accent-post"
                  checked={as === one}
                  onChange={() => setAs(one)}
                />
                {one === 'original' ? say.original(about.original!) : say.formats[one]}
              </label>
              {one === 'original' && <p className="pl-6 text-[13px] text-ink-2">{say.originalHint}</p>}
            </div>
          ))}
        </fieldset>
        {(as === 'original' || about.original === null) && about.said.length > 0 && (
          <Say tone="ask">
            <ul className="list-disc space-y-1 pl-5">
              {about.said.map((words) => (
                <li key={words}>{words}</li>
              ))}
            </ul>
          </Say>
        )}
        <section aria-label={say.columns}>
          <h3 className="font-bold text-[13px]">{say.columns}</h3>
          <p className="text-[13px] text-ink-2">{say.columnsHint}</p>
          <ol className="mt-1 border border-rule">
            {columns.map((name, at) => (
              <li key={name} className="flex items-center gap-2 border-rule border-b px-2 last:border-b-0">
                <label className="flex min-h-8 flex-1 items-center gap-2">
                  <input type="checkbox" className="size-4 accent-post" checked onChange={() => turn(name, false)} />
                  {outcomeHeadings[name]}
                </label>
                <Button
                  kind="quiet"
                  aria-label={say.earlier(outcomeHeadings[name])}
                  disabled={at === 0}
                  onClick={() => move(at, -1)}
                >
                  <ArrowUp aria-hidden size={16} />
                </Button>
                <Button
                  kind="quiet"
                  aria-label={say.later(outcomeHeadings[name])}
                  disabled={at === columns.length - 1}
                  onClick={() => move(at, 1)}
                >
                  <ArrowDown aria-hidden size={16} />
                </Button>
              </li>
            ))}
          </ol>
          {columns.length === 0 && <Say tone="ask">{say.noColumns}</Say>}
          {others.length > 0 && (
            <ul aria-label={say.more} className="mt-2 grid grid-cols-2 gap-x-4">
              {others.map((name) => (
                <li key={name}>
                  <label className="flex min-h-7 items-center gap-2">
                    <input
                      type="checkbox"
                      className="size-4 accent-post"
                      checked={false}
                      onChange={() => turn(name, true)}
                    />
                    {outcomeHeadings[name]}
                  </label>
                </li>
              ))}
            </ul>
          )}
        </section>
      </div>
      <footer className="border-rule border-t px-5 py-3">
        {columns.length > 0 && (
          <a
            href={addressOf(routes.outcomeSheet, {
              params: { round: round.id },
              query: { as, columns: columns.join(',') },
            })}
            download
            className="inline-flex min-h-9 items-center gap-1.5 rounded-paper bg-post px-4 py-1 font-bold text-sheet"
          >
            <Download aria-hidden size={16} /> {say.download}
          </a>
        )}
      </footer>
    </>
  )
}
