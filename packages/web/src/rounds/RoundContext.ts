import { type Round, routes } from '@hand-post/contract'
import { displayName, type Letter, type MergeOptions, type Row, shown } from '@hand-post/core'
import { hashKey, useQuery } from '@tanstack/react-query'
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState } from 'react'
import type { z } from 'zod'
import { ask, queries, stale, tellFault } from '../api.ts'
import { type TableWork, useTable } from '../people/useTable.ts'
import { keys, query } from '../shared/queries.ts'
import { renewFindings } from './renewFindings.ts'

type RoundChanges = z.input<typeof routes.changeRound.body>

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
  /** People's personal notes, by row id, written or not. */
  notes: ReadonlyMap<number, string>
  writeNote: (rowId: number, words: string) => void
  /** How messages are made besides letter and rows: the day that rules reckon from, the signature, the line for opting out. */
  making: MergeOptions
  rowsPending: boolean
  /** Ids of the rows that are in the round, in order. */
  chosen: number[]
  /** The letter as it stands on the screen, saved or not. */
  letter: Letter
  /** What is not yet written to the desk, or null. */
  saving: boolean
  setLetter: (letter: Letter) => void
  /** Puts another letter in place of the one that stands here; the editors take it over. */
  replaceLetter: (letter: Letter) => void
  /** The letter given from outside the editors goes up by one with each such change; they take it over then. */
  letterFromOutside: number
  /** The person whose message is shown, with derived cells. */
  person: Row | null
  choose: (rowId: number) => void
  step: (by: number) => void
  change: (changes: RoundChanges) => Promise<void>
  /** Waits until everything that was changed here is written: before something is made of the round as it stands. Rejects when it cannot be. */
  written: () => Promise<void>
  editCell: (rowId: number, columnId: string, text: string) => Promise<void>
  undoCell: () => void
  /** Goes to a stage; at the letter to the words, field or link that is to be found there. */
  goTo: (stage: string, find?: string) => void
}

export const RoundContext = createContext<RoundWork | null>(null)

/** The round that is open. */
export function useWork(): RoundWork {
  const work = useContext(RoundContext)
  if (!work) throw new Error('outside a round')
  return work
}

/** How a person of the round is called. */
export const callPerson = (round: Round, person: Row) => displayName(person, round.nameColumns, round.addressColumn)

/** Milliseconds of no typing after which the letter is written to the desk. */
const saveAfter = 400

/** A round with a change laid over it, as far as that can be told without the desk. */
function changed(
  round: Round,
  { listId: _list, letterHtml: _html, keepBefore: _keep, dispatch, tracking, sender, ...plain }: RoundChanges,
): Round {
  return {
    ...round,
    ...(plain as Partial<Round>),
    dispatch: { ...round.dispatch, ...dispatch },
    tracking: { ...round.tracking, ...tracking },
    sender: { ...round.sender, ...sender },
  }
}

const none: Row[] = []

/** The notes of a round: shown as they are typed, written to the desk when typing pauses. */
function useNoteWork(roundId: number) {
  const stored = useQuery(query.notes(roundId)).data
  const [typed, setTyped] = useState<ReadonlyMap<number, string>>(new Map())
  const waiting = useRef(new Map<number, { timer: number; write: () => Promise<void> }>())
  const writeNote = useCallback(
    (rowId: number, words: string) => {
      setTyped((all) => new Map(all).set(rowId, words))
      clearTimeout(waiting.current.get(rowId)?.timer)
      const write = async () => {
        waiting.current.delete(rowId)
        try {
          await ask(routes.writeNote, { params: { round: roundId, row: rowId }, body: { words } })
          // From here on what the desk keeps counts again: others may change it, or take another list.
          queries.setQueryData<{ row: number; words: string }[]>(keys.ofRound(roundId, 'notes'), (all) => [
            ...(all ?? []).filter((n) => n.row !== rowId),
            ...(words.trim() === '' ? [] : [{ row: rowId, words }]),
          ])
          setTyped((all) => (all.get(rowId) === words ? new Map([...all].filter(([row]) => row !== rowId)) : all))
        } catch (error) {
          // It stays here to be written, and nothing is made of the round before it is.
          if (!waiting.current.has(rowId)) waiting.current.set(rowId, { write, timer: 0 })
          tellFault(error)
        }
      }
      waiting.current.set(rowId, { write, timer: window.setTimeout(write, saveAfter) })
    },
    [roundId],
  )
  /** Writes the notes that were not written yet. Returns whether all of them are. */
  const notesWritten = useCallback(async (): Promise<boolean> => {
    for (const { timer, write } of [...waiting.current.values()]) {
      clearTimeout(timer)
      await write()
    }
    return waiting.current.size === 0
  }, [])
  useEffect(() => () => void notesWritten(), [notesWritten])
  const notes = useMemo(
    () => new Map([...(stored ?? []).map((n) => [n.row, n.words] as const), ...typed]),
    [stored, typed],
  )
  return { notes, writeNote, notesWritten }
}

/** Brings together what a round's stages share. */
export function useRoundWork(round: Round, goTo: RoundWork['goTo']): RoundWork {
  const stored = useTable(round.list)
  // What is found of who was changed is renewed at once, before the whole proof is.
  const table = useMemo<TableWork | null>(
    () =>
      stored && {
        ...stored,
        edit: async (words, ...wishes) => {
          const done = await stored.edit(words, ...wishes)
          const changed = wishes.flatMap((wish) => (wish.do === 'cells' ? wish.cells.map(([row]) => row) : []))
          if (done && round.postedAt === null) void renewFindings(round.id, [...new Set(changed)])
          return done
        },
      },
    [stored, round.id, round.postedAt],
  )
  const rows = table?.rows ?? none
  const people = useQuery(query.people(round.id))
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

  const { notes, writeNote, notesWritten } = useNoteWork(round.id)
  const mailbox = useQuery(query.mailboxes()).data?.find((m) => m.id === round.mailboxId)
  const making = useMemo<MergeOptions>(
    () => ({
      today: new Intl.DateTimeFormat('en-CA', { dateStyle: 'short', timeZone: mailbox?.timeZone }).format(Date.now()),
      signature: mailbox?.signature,
      optOut: round.tracking.optOut,
    }),
    [mailbox?.timeZone, mailbox?.signature, round.tracking.optOut],
  )

  const [letter, setLocal] = useState(round.letter)
  const [letterFromOutside, setOutside] = useState(0)
  const unsaved = useRef<Letter | null>(null)
  /** Another letter has taken the place of what was there: that is kept as a version. */
  const replaced = useRef(false)
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
            body: { letter: next, ...(replaced.current ? { keepBefore: true } : {}) },
          })
          seen.current = Math.max(seen.current, saved.version)
          replaced.current = false
          queries.setQueryData(keys.round(round.id), saved)
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
  const replaceLetter = useCallback(
    (next: Letter) => {
      replaced.current = true
      setLetter(next)
      setOutside((n) => n + 1)
    },
    [setLetter],
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
  /** How many of them the desk did not take. */
  const failed = useRef(0)
  const change = useCallback(
    (parts: RoundChanges) => {
      setUnwritten((all) => [...all, parts])
      changes.current = changes.current.then(async () => {
        try {
          await save()
          const { said: _, ...written } = await ask(routes.changeRound, { params: { round: round.id }, body: parts })
          queries.setQueryData(keys.round(round.id), written)
          await stale(keys.round(round.id))
        } catch (error) {
          failed.current++
          tellFault(error)
        }
        setUnwritten((all) => all.filter((one) => one !== parts))
      })
      return changes.current
    },
    [round.id, save],
  )
  const written = useCallback(async () => {
    const failedBefore = failed.current
    await save()
    const notesAre = await notesWritten()
    await changes.current
    if (unsaved.current !== null || !notesAre || failed.current > failedBefore)
      throw new Error('What you changed last could not be written to the desk, so nothing was made of it.')
  }, [save, notesWritten])
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
    notes,
    writeNote,
    making,
    rowsPending: table?.pending ?? false,
    chosen,
    letter,
    saving,
    setLetter,
    replaceLetter,
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
