import type { BringBack, TrayLine, TrayShow } from '@hand-post/contract'
import { type Pile, pileNames, piles } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from 'react'
import { useSearchParams } from 'react-router'
import { faultWords, queries } from '../api.ts'
import { NoneFound, useFind } from '../shared/find.tsx'
import { Button, Empty, Paper, Waiting, Ways } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { Key } from './Key.tsx'
import { Reminders } from './Reminders.tsx'
import { canBeAnswered, type Opened, TrayEntry } from './TrayEntry.tsx'
import { TrayList } from './TrayList.tsx'
import { trayActions, undoInTray } from './trayActions.ts'
import { inTray as say } from './words.ts'

type Order = keyof typeof say.orders
/** As many entries as the desk gives at once. */
const maxShown = 5000

/** Entries in an order; what was brought back stands on top in each of them. */
function ordered(lines: TrayLine[], order: Order): TrayLine[] {
  const place = (line: TrayLine) => piles.indexOf(line.pile)
  const by: Record<Order, (a: TrayLine, b: TrayLine) => number> = {
    pile: (a, b) => place(a) - place(b) || b.at - a.at,
    day: (a, b) => b.at - a.at,
    round: (a, b) => a.round.localeCompare(b.round, 'en-GB') || b.at - a.at,
  }
  const back = (line: TrayLine) => Number(line.state !== 'back')
  return [...lines].sort((a, b) => back(a) - back(b) || by[order](a, b) || b.id - a.id)
}

/** The in-tray: what came back and wants a person, over all rounds, made to be gone through by keyboard. */
export default function InTray() {
  const [show, setShow] = useState<TrayShow>('open')
  const [order, setOrder] = useState<Order>('pile')
  const [pile, setPile] = useState<Pile | null>(null)
  const tray = useQuery(query.inTray(show))
  const { field, find, fits } = useFind('entries')
  const all = tray.data?.lines
  const found = useMemo(
    () =>
      ordered(
        (all ?? []).filter((l) => fits(l.person, l.round, l.subject, l.words, l.from, l.word)),
        order,
      ),
    [all, order, fits],
  )
  const lines = useMemo(() => (pile === null ? found : found.filter((l) => l.pile === pile)), [found, pile])
  const counts = tray.data?.counts
  const back = (all ?? []).filter((l) => l.state === 'back').length
  return (
    <div className="mx-auto flex h-full max-w-[100rem] flex-col gap-2 p-4 max-md:p-3">
      <header className="flex flex-wrap items-end justify-between gap-x-3 gap-y-2">
        <div>
          <h1 className="text-2xl">{say.tray}</h1>
          <p role="status" className="text-ink-2">
            {counts &&
              (counts.open === 0 ? say.nothingWantsYouJust : say.look(counts.open, show === 'open' ? back : 0))}
          </p>
        </div>
        <span className="flex flex-wrap items-center gap-2 text-[14px]">
          {field}
          <select
            aria-label={say.order}
            className="input w-auto"
            value={order}
            onChange={(e) => setOrder(e.target.value as Order)}
          >
            {(Object.keys(say.orders) as Order[]).map((one) => (
              <option key={one} value={one}>
                {say.orders[one]}
              </option>
            ))}
          </select>
          <Ways
            legend={say.which}
            ways={{
              open: say.open(counts?.open ?? 0),
              putBy: say.putBy(counts?.putBy ?? 0),
              done: say.done(counts?.done ?? 0),
            }}
            way={show}
            onChoose={setShow}
          />
        </span>
      </header>
      {tray.data && <Reminders reminders={show === 'done' ? [] : tray.data.reminders} />}
      {tray.error ? (
        <Empty title={say.cannotShown}>{faultWords(tray.error)}</Empty>
      ) : !tray.data || !all ? (
        <Waiting />
      ) : all.length === 0 ? (
        <Paper>
          <Empty title={say.empty[show]} shows={say.shows}>
            {say.emptyMore[show]}
          </Empty>
        </Paper>
      ) : (
        <>
          <Piles found={found} pile={pile} setPile={setPile} />
          {lines.length === 0 ? (
            <Paper>
              <NoneFound find={find || (pile ? pileNames[pile] : '')} />
            </Paper>
          ) : (
            <Workplace key={show} lines={lines} now={tray.data.now} all={all.length} />
          )}
        </>
      )}
    </div>
  )
}

/** How many lie in each pile; a click shows one alone. */
function Piles({
  found,
  pile,
  setPile,
}: {
  found: TrayLine[]
  pile: Pile | null
  setPile: (pile: Pile | null) => void
}) {
  const counts = new Map<Pile, number>()
  for (const line of found) counts.set(line.pile, (counts.get(line.pile) ?? 0) + 1)
  const one = (name: Pile | null, words: string, n: number) => (
    <button
      key={words}
      type="button"
      aria-pressed={pile === name}
      onClick={() => setPile(name)}
      className={clsx(
        'rounded-paper border border-rule px-2 py-0.5',
        pile === name ? 'bg-post-tint font-bold' : 'bg-sheet hover:bg-sheet-2',
      )}
    >
      {words} {n.toLocaleString('en-GB')}
    </button>
  )
  return (
    <fieldset className="flex flex-wrap gap-1.5 text-[14px]">
      <legend className="sr-only">{say.piles}</legend>
      {one(null, say.all, found.length)}
      {piles
        .filter((name) => counts.has(name) || name === pile)
        .map((name) => one(name, pileNames[name], counts.get(name) ?? 0))}
    </fieldset>
  )
}

/** The entries beside the one in hand, with the keys by which they are gone through. */
function Workplace({ lines, now, all }: { lines: TrayLine[]; now: number; all: number }) {
  const [search] = useSearchParams()
  const [taken, setTaken] = useState<number | null>(Number(search.get('entry')) || null)
  const [selected, setSelected] = useState<ReadonlySet<number>>(new Set())
  const [opened, setOpened] = useState<Opened>(null)
  const box = useRef<HTMLDivElement>(null)
  /** Where the one in hand stood: when it is gone, the one that moved up there is next. */
  const place = useRef(0)
  const at = lines.findIndex((line) => line.id === taken)
  const here = at >= 0 ? at : Math.min(place.current, lines.length - 1)
  const line = lines[here]
  place.current = here
  const some = lines.filter((l) => selected.has(l.id))
  // The next is there before it is asked for.
  useEffect(() => {
    for (const next of [lines[here + 1], lines[here + 2], lines[here - 1]])
      if (next) void queries.prefetchQuery(query.trayEntry(next.id))
  }, [lines, here])
  useEffect(() => box.current?.querySelector<HTMLElement>('[data-tray-list]')?.focus({ preventScroll: true }), [])

  const those = () => (some.length > 0 ? some : [line])
  /** What is done with takes itself out; the one below moves up into its place. */
  const after = () => {
    setSelected(new Set())
    setTaken(null)
    box.current?.querySelector<HTMLElement>('[data-tray-list]')?.focus({ preventScroll: true })
  }
  const doneWith = (done: boolean) => {
    void trayActions.done(those(), done)
    after()
  }
  const putBy = (back: BringBack) => {
    void trayActions.bringBack(those(), back)
    after()
  }
  const give = (roundId: number, rows: number[], word: string | null) => {
    void trayActions.give(roundId, rows, word)
    box.current?.querySelector<HTMLElement>('[data-tray-list]')?.focus({ preventScroll: true })
  }
  const select = (id: number, range: boolean) =>
    setSelected((before) => {
      const next = new Set(before)
      const to = lines.findIndex((l) => l.id === id)
      if (range) for (const l of lines.slice(Math.min(here, to), Math.max(here, to) + 1)) next.add(l.id)
      else if (next.has(id)) next.delete(id)
      else next.add(id)
      return next
    })
  const go = (to: number) => setTaken(lines[Math.max(0, Math.min(lines.length - 1, to))].id)
  const keys: Record<string, () => void> = {
    ArrowDown: () => go(here + 1),
    ArrowUp: () => go(here - 1),
    PageDown: () => go(here + 8),
    PageUp: () => go(here - 8),
    Home: () => go(0),
    End: () => go(lines.length - 1),
    ' ': () => select(line.id, false),
    Escape: () => setSelected(new Set()),
    d: () => doneWith(!those().every((l) => l.state === 'done')),
    b: () => setOpened('bringBack'),
    o: () => setOpened('word'),
    a: () => {
      if (canBeAnswered(line)) setOpened('answer')
    },
    t: () => {
      if (line.of === 'perhaps' || line.of === 'other') void trayActions.whose(line, 'person')
    },
    n: () => {
      if (line.of !== 'perhaps') return
      void trayActions.whose(line, 'no')
      after()
    },
    u: () => void undoInTray(),
  }
  // Keys are read while the focus is in the list: nowhere else does a letter do anything.
  const onKeyDown = (e: KeyboardEvent) => {
    if (!(e.target instanceof HTMLElement) || !e.target.closest('[data-tray-list]')) return
    if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'a') {
      e.preventDefault()
      return setSelected(new Set(lines.map((l) => l.id)))
    }
    if (e.ctrlKey || e.metaKey || e.altKey) return
    const act = keys[e.key.length === 1 ? e.key.toLowerCase() : e.key]
    if (!act) return
    e.preventDefault()
    act()
  }
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: keys of the list within it
    <div ref={box} className="flex min-h-0 flex-1 gap-3" onKeyDown={onKeyDown}>
      <div className={clsx('paper flex w-[22rem] shrink-0 flex-col max-md:w-full', taken !== null && 'max-md:hidden')}>
        <TrayList lines={lines} inHand={line.id} selected={selected} onTake={setTaken} onSelect={select} />
        <p className="flex flex-wrap items-center gap-x-2 border-rule border-t px-2 py-1 text-[13px] text-ink-2">
          {lines.length > 1 && (
            <Button
              kind="quiet"
              onClick={() => setSelected(some.length > 0 ? new Set() : new Set(lines.map((l) => l.id)))}
            >
              {some.length > 0 ? say.selectNone : say.selectAll(lines.length)}
            </Button>
          )}
          <span className="max-md:hidden">
            <Key>{say.space}</Key> {say.selects} <Key>U</Key> {say.takesBack}
          </span>
        </p>
        {all >= maxShown && <p className="border-rule border-t px-3 py-1 text-[13px] text-ink-2">{say.more(all)}</p>}
      </div>
      <TrayEntry
        key={line.id}
        line={line}
        selected={some}
        now={now}
        actions={{ ...trayActions, doneWith, putBy, give }}
        opened={opened}
        setOpened={setOpened}
        onLeave={() => setTaken(null)}
        hidden={taken === null}
      />
    </div>
  )
}
