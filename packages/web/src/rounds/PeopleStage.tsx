import { countSentence, type SameAddress, shown } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { FileUp } from 'lucide-react'
import { type ReactNode, useMemo, useState } from 'react'
import { BringIn } from '../people/BringIn.tsx'
import { UpdateList } from '../people/UpdateList.tsx'
import { Button, Say } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { usePerson, useWork } from './RoundContext.tsx'
import RowsTable from './RowsTable.tsx'
import { Rules, RulesOfPosted } from './Rules.tsx'
import { peopleStage as say } from './words.ts'

/** People: the list, who of it is in the round, and how that came about. */
export function PeopleStage({
  lateComers,
  paper,
  tools,
}: {
  lateComers?: ReactNode
  /** What there is to say of letters on paper; and what stands with the other buttons. */
  paper?: ReactNode
  tools?: ReactNode
}) {
  const { round, change, table } = useWork()
  const [doing, setDoing] = useState<'bringIn' | 'update' | null>(null)
  const lists = useQuery(query.lists()).data ?? []
  const posted = round.postedAt !== null
  if (doing === 'bringIn' || !round.list)
    return (
      <BringIn
        title={say.whoGetsLetter}
        lists={lists}
        onDone={(list) => void change({ listId: list.id }).then(() => setDoing(null))}
        onCancel={round.list ? () => setDoing(null) : undefined}
      />
    )
  if (doing === 'update' && table) return <UpdateList table={table} onDone={() => setDoing(null)} />
  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-center gap-2 border-rule border-b px-4 py-2">
        <div className="min-w-0 flex-1">
          <h2 className="truncate text-[17px]">{round.list.name}</h2>
          <p role="status" className="text-[13px] text-ink-2">
            {countSentence(round.counts)}
          </p>
        </div>
        <Button onClick={() => setDoing('update')}>
          <FileUp aria-hidden size={16} /> {say.update}
        </Button>
        {tools}
        {!posted && <Button onClick={() => setDoing('bringIn')}>{say.takeAnotherList}</Button>}
      </header>
      {posted ? (
        <>
          <RulesOfPosted />
          {lateComers}
        </>
      ) : (
        <Rules />
      )}
      <AddressQuestion />
      <NamesQuestion />
      <SameAddressQuestion />
      {paper}
      {round.list.source.said.length > 0 && !posted && (
        <details className="border-rule border-b bg-note-tint px-4 py-1.5 text-[13px] text-note">
          <summary>{say.fromBringing(round.list.source.said.length)}</summary>
          <ul className="list-disc pl-5">
            {round.list.source.said.map((s) => (
              <li key={s}>{s}</li>
            ))}
          </ul>
        </details>
      )}
      <Views />
    </div>
  )
}

const views = { all: say.allRows, in: say.round, paper: say.byPaperPost, out: say.leftOut } as const

/** The rows: all, those in the round, or those left out with the reason for each. */
function Views() {
  const { round } = useWork()
  const [view, setView] = useState<keyof typeof views>('all')
  const people = useQuery(query.people(round.id)).data
  const chosen = useMemo(() => new Set(people?.chosen), [people?.chosen])
  const onPaper = useMemo(() => new Set(people?.onPaper), [people?.onPaper])
  const { list, round: messages, onPaper: paper } = round.counts
  const counts = { all: list, in: messages, paper, out: list - messages - paper }
  const shownView = counts[view] === 0 ? 'all' : view
  const choice =
    counts.out + counts.paper > 0 ? (
      <select
        aria-label={say.rowsShow}
        className="input mr-1 min-h-8 w-36 py-0"
        value={shownView}
        onChange={(e) => setView(e.target.value as keyof typeof views)}
      >
        {(Object.keys(views) as (keyof typeof views)[])
          .filter((v) => v === 'all' || v === 'in' || counts[v] > 0)
          .map((v) => (
            <option key={v} value={v}>
              {views[v]}: {counts[v].toLocaleString('en-GB')}
            </option>
          ))}
      </select>
    ) : undefined
  const only = { all: null, in: chosen, paper: onPaper }
  if (shownView !== 'out') return <RowsTable tools only={only[shownView]} before={choice} />
  return (
    <>
      <div className="border-rule border-b bg-sheet-2 px-3 py-1">{choice}</div>
      <LeftOut />
    </>
  )
}

function LeftOut() {
  const { round } = useWork()
  const { choose } = usePerson()
  const out = useQuery(query.leftOut(round.id))
  return (
    <ul aria-label={say.leftOutWhy} className="min-h-0 flex-1 overflow-auto text-[14px]">
      {out.data?.slice(0, 2000).map(({ row, person, why }) => (
        <li key={row} className="flex gap-3 border-rule border-b px-4 py-1.5">
          <button
            type="button"
            className="w-48 shrink-0 truncate text-left hover:underline"
            onClick={() => choose(row)}
          >
            {person}
          </button>
          <span className="text-ink-2">{why}</span>
        </li>
      ))}
      {(out.data?.length ?? 0) > 2000 && <li className="px-4 py-2 text-ink-2">{say.more(out.data!.length)}</li>}
    </ul>
  )
}

export const wayWords: Record<SameAddress, string> = {
  joined: say.oneMessageAllRows,
  each: say.messageEachRow,
  first: say.onlyFirstRow,
}

/** Asked once: which of several columns of addresses is written to. The answer is kept with the list. */
function AddressQuestion() {
  const { round, rows, table, change } = useWork()
  if (round.perhapsAddresses === null || !round.list) return null
  const first = rows[0] && table?.derive(rows[0])
  return (
    <div className="flex flex-wrap items-center gap-1 border-rule border-b bg-ask-tint px-4 py-1.5 text-[14px]">
      <span className="mr-1">{say.columnsHoldAddressesWhich(round.perhapsAddresses.length)}</span>
      {round.list.columns
        .filter((c) => round.perhapsAddresses!.includes(c.id))
        .map((c) => {
          const example = first ? shown(first.cells[c.id]).trim().slice(0, 40) : ''
          const now = c.id === round.addressColumn
          return (
            <Button key={c.id} onClick={() => void change({ addressColumn: c.id })}>
              {c.name}
              <span className="text-ink-2">
                {example !== '' && ` (${example})`}
                {now && say.usedUntilYouSay}
              </span>
            </Button>
          )
        })}
    </div>
  )
}

/** Asked once: which column has the names that stand beside the addresses. The answer is kept with the list. */
function NamesQuestion() {
  const { round, rows, table, change } = useWork()
  if (round.perhapsNames === null || !round.list) return null
  const texts = round.list.columns.filter((c) => c.kind === 'text' && !c.hidden)
  if (texts.length === 0) return null
  const first = rows[0] && table?.derive(rows[0])
  const likely = texts.find((c) => round.perhapsNames?.includes(c.id))
  const ordered = likely ? [likely, ...texts.filter((c) => c !== likely)] : texts
  const example = (id: string) => (first ? shown(first.cells[id]).slice(0, 30) : '')
  const take = (nameColumns: string[]) => void change({ nameColumns })
  return (
    <div className="flex flex-wrap items-center gap-1 border-rule border-b bg-ask-tint px-4 py-1.5 text-[14px]">
      <span className="mr-1">{say.whichColumnHasPeople}</span>
      {ordered.slice(0, 3).map((c) => (
        <Button key={c.id} onClick={() => take([c.id])} title={example(c.id) && say.firstRowHas(example(c.id))}>
          {c.name}
          {example(c.id) && <span className="text-ink-2"> ({example(c.id)})</span>}
        </Button>
      ))}
      {ordered.length > 3 && (
        <select
          aria-label={say.anotherColumn2}
          className="input w-40"
          value=""
          onChange={(e) => take([e.target.value])}
        >
          <option value="">{say.anotherColumn}</option>
          {ordered.slice(3).map((c) => (
            <option key={c.id} value={c.id}>
              {c.name}
            </option>
          ))}
        </select>
      )}
      <Button onClick={() => take([])}>{say.noneAddressAlone}</Button>
    </div>
  )
}

/** Asked once: what is done where one address stands on several rows. */
function SameAddressQuestion() {
  const { round, change } = useWork()
  const people = useQuery(query.people(round.id)).data
  if (round.postedAt !== null || !people) return null
  const asked = round.sameAddress
  if (asked === null && people.doubled === 0) return null
  if (asked !== null && people.doubled + people.together.length + people.sameAddress.length === 0) return null
  const choose = (
    <span className="inline-flex flex-wrap gap-1">
      {(Object.keys(wayWords) as SameAddress[]).map((way) => (
        <Button
          key={way}
          aria-pressed={asked === way}
          kind={asked === way ? 'primary' : 'plain'}
          onClick={() => void change({ sameAddress: way })}
        >
          {wayWords[way]}
        </Button>
      ))}
    </span>
  )
  return (
    <div className="border-rule border-b px-3 py-1.5">
      <Say tone={asked === null ? 'ask' : 'note'}>
        <span className="mr-2">
          {asked === null ? say.severalRowsWhatShould(people.doubled) : say.whereAddressStandsSeveral}
        </span>
        {choose}
        {asked === 'joined' && <span className="mt-1 block text-[13px]">{say.letterCanShowRows}</span>}
      </Say>
    </div>
  )
}
