import { type Round, routes } from '@hand-post/contract'
import { type Letter, type Row, shown } from '@hand-post/core'
import { hashKey } from '@tanstack/react-query'
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState } from 'react'
import type { z } from 'zod'
import { ask, queries, tellFault, useRoundPeople } from '../api.ts'
import { type TableWork, useTable } from '../people/useTable.ts'

export type RoundChanges = z.input<typeof routes.changeRound.body>

/** What every stage of a round works with. */
export interface RoundWork {
  round: Round
  /** The round's list as a table; null while there is no list. */
  table: TableWork | null
  /** Rows of the list as sorted, without derived cells; empty while there is no list. */
  rows: Row[]
  /** For a row whose message is for several: all of them, with derived cells. */
  together: Map<number, Row[]>
  /** Whether the rows are still on their way. */
  rowsPending: boolean
  /** Ids of the rows that are in the round, in order. */
  chosen: number[]
  /** The letter as it stands on the screen, saved or not. */
  letter: Letter
  /** What is not yet written to the desk, or null. */
  saving: boolean
  setLetter: (letter: Letter) => void
  /** The letter given from outside the editors goes up by one with each such change; they take it over then. */
  letterFromOutside: number
  /** The person whose message is shown, with derived cells. */
  person: Row | null
  choose: (rowId: number) => void
  step: (by: number) => void
  change: (changes: RoundChanges) => Promise<void>
  /** Waits until everything that was changed here is written: before something is made of the round as it stands. */
  written: () => Promise<void>
  editCell: (rowId: number, columnId: string, text: string) => Promise<void>
  undoCell: () => void
  goTo: (stage: string) => void
}

export const RoundContext = createContext<RoundWork | null>(null)

/** The round that is open. */
export function useWork(): RoundWork {
  const work = useContext(RoundContext)
  if (!work) throw new Error('outside a round')
  return work
}

/** Milliseconds of no typing after which the letter is written to the desk. */
const saveAfter = 400

/** A round with a change laid over it, as far as that can be told without the desk. */
function changed(
  round: Round,
  { listId: _list, letterHtml: _html, dispatch, tracking, ...plain }: RoundChanges,
): Round {
  return {
    ...round,
    ...(plain as Partial<Round>),
    dispatch: { ...round.dispatch, ...dispatch },
    tracking: { ...round.tracking, ...tracking },
  }
}

const none: Row[] = []

/** Brings together what a round's stages share. */
export function useRoundWork(round: Round, goTo: (stage: string) => void): RoundWork {
  const table = useTable(round.list)
  const rows = table?.rows ?? none
  const people = useRoundPeople(round.id)
  const chosen = useMemo(() => people.data?.chosen ?? [], [people.data])
  const [personId, choose] = useState<number | null>(null)
  const person = useMemo(() => {
    const stored = rows.find((r) => r.id === personId) ?? rows.find((r) => r.id === chosen[0]) ?? rows[0]
    return stored && table ? table.derive(stored) : null
  }, [rows, chosen, personId, table])
  const together = useMemo(() => {
    const byId = new Map(people.data?.together.length ? rows.map((row) => [row.id, row]) : [])
    return new Map(
      (people.data?.together ?? []).map((ids): [number, Row[]] => [
        ids[0],
        ids.flatMap((id) => (byId.has(id) && table ? [table.derive(byId.get(id)!)] : [])),
      ]),
    )
  }, [people.data, rows, table])

  const [letter, setLocal] = useState(round.letter)
  const [letterFromOutside, setOutside] = useState(0)
  const unsaved = useRef<Letter | null>(null)
  const timer = useRef<number>(undefined)
  const [saving, setSaving] = useState(false)

  // The version of the round whose letter has been taken over here, or was written from here.
  const seen = useRef(round.version)

  // Writes of the letter follow one another; what waits when one ends goes with the next.
  const writing = useRef<Promise<void> | null>(null)
  const save = useCallback((): Promise<void> => {
    clearTimeout(timer.current)
    if (unsaved.current === null && writing.current === null) return Promise.resolve()
    writing.current ??= (async () => {
      while (unsaved.current !== null) {
        const next = unsaved.current
        unsaved.current = null
        try {
          const { said: _, ...saved } = await ask(routes.changeRound, {
            params: { round: round.id },
            body: { letter: next },
          })
          seen.current = Math.max(seen.current, saved.version)
          queries.setQueryData(['round', round.id], saved)
        } catch (error) {
          unsaved.current ??= next
          tellFault(error)
          break
        }
      }
      writing.current = null
      setSaving(unsaved.current !== null)
    })()
    return writing.current
  }, [round.id])

  const setLetter = useCallback(
    (next: Letter) => {
      setLocal(next)
      unsaved.current = next
      setSaving(true)
      clearTimeout(timer.current)
      timer.current = window.setTimeout(() => void save(), saveAfter)
    },
    [save],
  )
  useEffect(() => {
    const leave = () => void save()
    addEventListener('pagehide', leave)
    return () => {
      removeEventListener('pagehide', leave)
      leave()
    }
  }, [save])

  // A letter changed elsewhere (a renamed column, a mend of the proof, another window) is taken over, unless something is
  // being typed or written here: then what stands here is newer.
  useEffect(() => {
    if (round.version <= seen.current || unsaved.current !== null || writing.current !== null) return
    seen.current = round.version
    // Compared without regard to the order of keys, which the database does not keep.
    if (hashKey([round.letter]) === hashKey([letter])) return
    setLocal(round.letter)
    setOutside((n) => n + 1)
  }, [round.version, round.letter, letter])

  const step = useCallback(
    (by: number) => {
      const at = person ? chosen.indexOf(person.id) : -1
      const next = chosen[Math.min(Math.max(at + by, 0), chosen.length - 1)]
      if (next !== undefined) choose(next)
    },
    [chosen, person],
  )

  // Changes are shown at once, and written one after another in the order in which they were made. Until the desk has taken
  // one it lies over whatever the desk says meanwhile.
  const [unwritten, setUnwritten] = useState<RoundChanges[]>([])
  const changes = useRef(Promise.resolve())
  const change = useCallback(
    (parts: RoundChanges) => {
      setUnwritten((all) => [...all, parts])
      changes.current = changes.current.then(async () => {
        try {
          await save()
          const { said: _, ...written } = await ask(routes.changeRound, { params: { round: round.id }, body: parts })
          queries.setQueryData(['round', round.id], written)
          await queries.invalidateQueries({ queryKey: ['round', round.id] })
        } catch (error) {
          tellFault(error)
        }
        setUnwritten((all) => all.filter((one) => one !== parts))
      })
      return changes.current
    },
    [round.id, save],
  )
  const written = useCallback(async () => {
    await save()
    await changes.current
  }, [save])
  const withChanges = useMemo(() => unwritten.reduce(changed, round), [unwritten, round])

  const editCell = useCallback(
    async (rowId: number, columnId: string, text: string) => {
      const cell = rows.find((r) => r.id === rowId)?.cells[columnId]
      if (shown(cell) !== text.trim())
        await table?.edit('Change a cell', { do: 'cells', cells: [[rowId, columnId, text.trim()]] })
    },
    [rows, table],
  )
  const undoCell = useCallback(() => void table?.undo(), [table])

  return {
    round: withChanges,
    table,
    rows,
    together,
    rowsPending: table?.pending ?? false,
    chosen,
    letter,
    saving,
    setLetter,
    letterFromOutside,
    person,
    choose,
    step,
    change,
    written,
    editCell,
    undoCell,
    goTo,
  }
}
