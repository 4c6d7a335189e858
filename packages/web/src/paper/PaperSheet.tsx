import { addressOf, type PaperFormWanted, type PaperSettings, routes } from '@hand-post/contract'
import { envelopes, guessPostalColumns, type OnPaper, onPaperWays, postalLines, windowSides } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { ArrowDown, ArrowUp, Download, X } from 'lucide-react'
import { useEffect, useMemo, useState } from 'react'
import { stale, tellFault, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Button, Labelled, Say } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { isHere } from '../shared/rows.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { EnvelopePicture } from './EnvelopePicture.tsx'
import { envelopePicture, paperSheet as say } from './words.ts'

/** How many addresses are looked at in the envelope at most. */
const maxLookedAt = 200

/** Letters on paper: who gets one, what makes the address, and which envelope they fit. Of a posted round the envelope alone is open. */
export function PaperSheet({ onClose }: { onClose: () => void }) {
  const { round, change, table, onPaper } = useWork()
  const draft = round.postedAt === null
  const changeForm = useChange(routes.changePaperForm, () => stale(keys.round(round.id)))
  const set = (parts: Partial<PaperSettings>) => void change({ paper: parts })
  const setForm = (parts: Partial<PaperFormWanted>) =>
    draft ? set(parts) : changeForm.mutate({ params: { round: round.id }, body: parts })
  const posted = useQuery({ ...query.paperLetters(round.id), enabled: !draft }).data
  const here = table?.here
  useEffect(() => {
    if (draft && onPaper.length > 0) here?.(onPaper.slice(0, maxLookedAt)).catch(tellFault)
  }, [draft, here, onPaper])
  const addresses = useMemo(() => {
    if (!draft) return (posted ?? []).slice(0, maxLookedAt).map((letter) => letter.lines)
    const rows = new Map(table?.rows.map((row) => [row.id, row]))
    return onPaper.slice(0, maxLookedAt).flatMap((id) => {
      const row = rows.get(id)
      return row && isHere(row) && table ? [postalLines(table.derive(row), round.paper.columns)] : []
    })
  }, [draft, posted, table, onPaper, round.paper.columns])
  const many = draft ? onPaper.length : (posted?.length ?? 0)
  return (
    <Sheet title={say.title} wide onClose={onClose}>
      <div className="min-h-0 flex-1 space-y-5 overflow-auto px-5 py-4">
        {draft && <Who onChange={(who) => set({ who })} />}
        {draft && <AddressColumns onChange={(columns) => set({ columns })} />}
        <section aria-label={say.envelope}>
          <h3 className="mb-1 font-semibold font-title">{say.envelope}</h3>
          <div className="flex flex-wrap gap-5">
            <div className="min-w-72 flex-1">
              <p className="text-[13px] text-ink-2">{many === 0 ? say.nobody : say.seen}</p>
              <EnvelopePicture form={round.paper} addresses={addresses} />
            </div>
            <FormFields form={round.paper} onChange={setForm} />
          </div>
        </section>
        <p className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
          <a
            className="inline-flex items-center gap-1 text-post underline"
            href={addressOf(routes.paperTestPage, {
              query: { envelope: round.paper.envelope, window: round.paper.window },
            })}
            download
          >
            <Download aria-hidden size={14} /> {say.testPage}
          </a>
          <span className="text-[13px] text-ink-2">{say.testPageHint}</span>
        </p>
        {draft && many > 0 && (
          <p>
            <a
              className="inline-flex items-center gap-1 text-post underline"
              href={addressOf(routes.paperPdf, { params: { round: round.id }, query: {} })}
              download
            >
              <Download aria-hidden size={14} /> {say.asTheyAre(many)}
            </a>
          </p>
        )}
      </div>
    </Sheet>
  )
}

function Who({ onChange }: { onChange: (who: OnPaper) => void }) {
  const { round } = useWork()
  const people = useQuery(query.people(round.id)).data
  const words: Record<OnPaper, string> = {
    byHand: say.byHand(round.onPaperByHand.length),
    withoutAddress: say.withoutAddress(people?.withoutAddress ?? 0),
    everybody: say.everybody,
  }
  return (
    <fieldset>
      <legend className="mb-1 font-semibold font-title">{say.who}</legend>
      {onPaperWays.map((who) => (
        <label key={who} className="flex items-baseline gap-2 py-0.5">
          <input
            type="radio"
            name="who gets it on paper"
            checked={round.paper.who === who}
            onChange={() => onChange(who)}
          />
          {words[who]}
        </label>
      ))}
      <p className="mt-1 text-[13px] text-ink-2">{say.byHandHint}</p>
    </fieldset>
  )
}

/** The columns of the postal address, line by line. */
function AddressColumns({ onChange }: { onChange: (columns: PaperSettings['columns']) => void }) {
  const { round } = useWork()
  const [guessed, setGuessed] = useState<boolean | null>(null)
  const all = round.list?.columns ?? []
  const { columns } = round.paper
  const options = all.map((c) => (
    <option key={c.id} value={c.id}>
      {c.name}
    </option>
  ))
  const put = (next: PaperSettings['columns']) => {
    setGuessed(null)
    // What stands first begins its line.
    onChange(next.map((one, i) => (i === 0 ? { ...one, sameLine: false } : one)))
  }
  const swap = (i: number, j: number) => {
    const next = [...columns]
    ;[next[i], next[j]] = [next[j], next[i]]
    put(next)
  }
  const guess = () => {
    const found = guessPostalColumns(all, round.nameColumns)
    if (found.length > 0) onChange(found)
    setGuessed(found.length > 0)
  }
  return (
    <section aria-label={say.address}>
      <h3 className="mb-1 font-semibold font-title">{say.address}</h3>
      <p className="mb-2 text-[13px] text-ink-2">{say.addressHint}</p>
      <ol className="space-y-1">
        {columns.map(({ column, sameLine }, i) => (
          <li key={`${i} ${column}`} className="flex flex-wrap items-center gap-1">
            <select
              aria-label={say.line(i)}
              className="input w-56"
              value={column}
              onChange={(e) => put(columns.map((one, j) => (j === i ? { ...one, column: e.target.value } : one)))}
            >
              {options}
            </select>
            <Button kind="quiet" aria-label={say.up(i)} disabled={i === 0} onClick={() => swap(i, i - 1)}>
              <ArrowUp aria-hidden size={15} />
            </Button>
            <Button
              kind="quiet"
              aria-label={say.down(i)}
              disabled={i === columns.length - 1}
              onClick={() => swap(i, i + 1)}
            >
              <ArrowDown aria-hidden size={15} />
            </Button>
            <Button kind="quiet" aria-label={say.remove(i)} onClick={() => put(columns.filter((_, j) => j !== i))}>
              <X aria-hidden size={15} />
            </Button>
            {i > 0 && (
              <label className="flex items-center gap-1.5 text-[14px]">
                <input
                  type="checkbox"
                  checked={sameLine}
                  onChange={() => put(columns.map((one, j) => (j === i ? { ...one, sameLine: !sameLine } : one)))}
                />
                {say.sameLine}
              </label>
            )}
          </li>
        ))}
      </ol>
      <div className="mt-1 flex flex-wrap items-center gap-2">
        <select
          aria-label={say.add}
          className="input w-56"
          value=""
          onChange={(e) => put([...columns, { column: e.target.value, sameLine: false }])}
        >
          <option value="">{say.add}</option>
          {options}
        </select>
        {columns.length === 0 && <Button onClick={guess}>{say.guess}</Button>}
      </div>
      {guessed !== null && (
        <div className="mt-2">
          <Say tone="ask">{guessed ? say.guessed : say.cannotGuess}</Say>
        </div>
      )}
    </section>
  )
}

function FormFields({
  form,
  onChange,
}: {
  form: PaperFormWanted
  onChange: (parts: Partial<PaperFormWanted>) => void
}) {
  const tick = (name: 'foldMarks' | 'dated' | 'twoSided') => (
    <label className="flex items-baseline gap-2">
      <input type="checkbox" checked={form[name]} onChange={() => onChange({ [name]: !form[name] })} />
      {say[name]}
    </label>
  )
  return (
    <div className="w-64 space-y-2">
      <Labelled label={say.size}>
        <select
          className="input w-full"
          value={form.envelope}
          onChange={(e) => onChange({ envelope: e.target.value as PaperFormWanted['envelope'] })}
        >
          {envelopes.map((one) => (
            <option key={one} value={one}>
              {envelopePicture.sizes[one]}
            </option>
          ))}
        </select>
      </Labelled>
      <Labelled label={say.side}>
        <select
          className="input w-full"
          value={form.window}
          onChange={(e) => onChange({ window: e.target.value as PaperFormWanted['window'] })}
        >
          {windowSides.map((side) => (
            <option key={side} value={side}>
              {envelopePicture.sides[side]}
            </option>
          ))}
        </select>
      </Labelled>
      {tick('foldMarks')}
      {tick('dated')}
      {tick('twoSided')}
    </div>
  )
}
