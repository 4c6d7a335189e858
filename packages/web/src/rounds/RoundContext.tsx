import type { Round } from '@hand-post/contract'
import { dayOf, displayName, type MergeOptions, type Row, shown } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useRef, useState } from 'react'
import { Told, tellFault } from '../api.ts'
import { type TableWork, useTable } from '../people/useTable.ts'
import { query } from '../shared/queries.ts'
import { isHere } from '../shared/rows.ts'
import { renewFindings } from './renewFindings.ts'
import { type RoundChanges, useChanges } from './useChanges.ts'
import { useHasOthers } from './useCompany.ts'
import { type LetterWork, useLetterWork } from './useLetter.ts'
import { useNoteWork } from './useNotes.ts'
import { roundContext as say } from './words.ts'

/** What every stage of a round works with. A keystroke in the letter does not reach it: that is {@link useLetter}. */
export interface RoundWork {
  round: Round
  /** The round's list as a table; null while there is no list. */
  table: TableWork | null
  /** Rows of the list as sorted, without derived cells, some with their places only; empty while there is no list. */
  rows: Row[]
  /** How messages are made besides letter and rows: the day that rules reckon from, the signature, the line for opting out. */
  making: MergeOptions
  /** Ids of the rows that get a message, in order. */
  chosen: number[]
  /** Ids of the rows that get the letter on paper, in order. */
  onPaper: number[]
  /** Both, in the order of the list. */
  everybody: number[]
  change: (changes: RoundChanges) => Promise<void>
  /** Waits until everything that was changed here is written: before something is made of the round as it stands. Rejects when it cannot be. */
  written: () => Promise<void>
  editCell: (rowId: number, columnId: string, text: string) => Promise<void>
  undoCell: () => void
  /** Goes to a stage; at the letter to the words, field or link that is to be found there. */
  goTo: (stage: string, find?: string) => void
}

/** Whose message is shown. */
export interface PersonWork {
  /** With derived cells. */
  person: Row | null
  /** Where their message is for several rows: all of them, with derived cells. */
  together: Row[] | undefined
  choose: (rowId: number) => void
  step: (by: number) => void
}

/** People's personal notes, by row id, written or not. */
export interface NotesWork {
  notes: ReadonlyMap<number, string>
  writeNote: (rowId: number, words: string) => void
}

const RoundContext = createContext<RoundWork | null>(null)
const PersonContext = createContext<PersonWork | null>(null)
const LetterContext = createContext<LetterWork | null>(null)
const NotesContext = createContext<NotesWork | null>(null)

function within<Work>(work: Work | null): Work {
  if (work === null) throw new Error('outside a round')
  return work
}
/** The round that is open. */
export const useWork = (): RoundWork => within(useContext(RoundContext))
/** The person of it whose message is shown. */
export const usePerson = (): PersonWork => within(useContext(PersonContext))
/** Its letter as it is being written. */
export const useLetter = (): LetterWork => within(useContext(LetterContext))
/** Its personal notes as they are being written. */
export const useNotes = (): NotesWork => within(useContext(NotesContext))

/** Whether a round's letter, enclosures and notes may be changed: it is not posted, or what waits of it is being amended. */
export const isOpen = ({ postedAt, amendingSince }: Pick<Round, 'postedAt' | 'amendingSince'>) =>
  postedAt === null || amendingSince !== null

/** How a person of the round is called. */
export const callPerson = (round: Round, person: Row) => displayName(person, round.nameColumns, round.addressColumn)

const none: Row[] = []
const noGroups: number[][] = []
/** How many people before and after somebody are fetched with them: whoever is stepped to next is then there at once. */
const neighbours = 25

/**
 * Somebody of a round, once all rows that their message is made of are here. Until then whoever was here before stays: nobody's message is
 * shown by halves.
 * @param at where their row stands.
 * @param groups the ids of rows that have one message, the row that it goes to first.
 * @param among whom one steps through.
 */
function useWhenHere(
  table: TableWork | null,
  row: Row | null,
  at: number,
  groups: readonly number[][],
  among: readonly number[],
): Pick<PersonWork, 'person' | 'together'> {
  const { rows, here, derive } = table ?? { rows: none, here: null, derive: (row: Row) => row }
  const firstNumber = table?.list.source.firstRow ?? 1
  const group = useMemo(() => groups.find(([first]) => first === row?.id), [groups, row?.id])
  const madeOf = useMemo(() => {
    if (row === null || group === undefined) return row === null ? [] : [row]
    const wanted = new Set(group)
    return rows.filter(({ id }) => wanted.has(id))
  }, [rows, row, group])
  const lacking = !madeOf.every(isHere)
  useEffect(() => {
    if (!lacking || !here || row === null) return
    const place = among.indexOf(row.id)
    const around = place < 0 ? [] : among.slice(Math.max(0, place - neighbours), place + neighbours)
    here([...madeOf.map(({ id }) => id), ...around]).catch(tellFault)
  }, [lacking, here, row, madeOf, among])
  const made = useMemo(() => {
    if (lacking) return null
    const byId = new Map(group ? madeOf.map((one) => [one.id, one]) : [])
    return {
      person: row && { ...derive(row), number: firstNumber + at },
      together: group?.flatMap((id) => byId.get(id) ?? []).map(derive),
    }
  }, [lacking, row, at, group, madeOf, derive, firstNumber])
  const before = useRef<Pick<PersonWork, 'person' | 'together'>>({ person: null, together: undefined })
  useEffect(() => {
    if (made) before.current = made
  }, [made])
  return made ?? before.current
}

/** A row of the round's list, by its id; null where it is gone, and while it is on its way. */
export function useRow(rowId: number | null): Row | null {
  const { rows, table } = useWork()
  const row = rowId === null ? undefined : rows.find(({ id }) => id === rowId)
  const comes = row !== undefined && !isHere(row)
  const here = table?.here
  useEffect(() => {
    if (comes && here && rowId !== null) here([rowId]).catch(tellFault)
  }, [comes, here, rowId])
  return row && !comes ? row : null
}

/** A round that is open: gives what stands within it what all stages work with. */
export function OpenRound({ round, goTo, children }: { round: Round; goTo: RoundWork['goTo']; children: ReactNode }) {
  const stored = useTable(round.list)
  // What is found of who was changed is renewed at once, before the whole proof is.
  const table = useMemo<TableWork | null>(
    () =>
      stored && {
        ...stored,
        edit: async (words, ...wishes) => {
          const done = await stored.edit(words, ...wishes)
          const changed = wishes.flatMap((wish) => (wish.do === 'cells' ? wish.cells.map(([row]) => row) : []))
          if (done && isOpen(round)) void renewFindings(round.id, [...new Set(changed)])
          return done
        },
      },
    [stored, round],
  )
  const rows = table?.rows ?? none
  const people = useQuery(query.people(round.id)).data
  const chosen = useMemo(() => people?.chosen ?? [], [people])
  const onPaper = useMemo(() => people?.onPaper ?? [], [people])
  const everybody = useMemo(() => {
    if (onPaper.length === 0) return chosen
    const all = new Set([...chosen, ...onPaper])
    return rows.flatMap((row) => (all.has(row.id) ? [row.id] : []))
  }, [chosen, onPaper, rows])
  const [personId, choose] = useState<number | null>(null)
  const at = useMemo(
    () => [personId, everybody[0]].map((id) => rows.findIndex((r) => r.id === id)).find((i) => i >= 0) ?? 0,
    [rows, everybody, personId],
  )
  const { person, together } = useWhenHere(table, rows[at] ?? null, at, people?.together ?? noGroups, everybody)
  const step = useCallback(
    (by: number) => {
      const at = person ? everybody.indexOf(person.id) : -1
      const next = everybody[Math.min(Math.max(at + by, 0), everybody.length - 1)]
      if (next !== undefined) choose(next)
    },
    [everybody, person],
  )
  const personWork = useMemo(() => ({ person, together, choose, step }), [person, together, step])

  const mailbox = useQuery(query.mailboxes()).data?.find((m) => m.id === round.mailboxId)
  const making = useMemo<MergeOptions>(
    () => ({
      today: dayOf(Date.now(), mailbox?.timeZone),
      signature: mailbox?.signature,
      optOut: round.tracking.optOut,
    }),
    [mailbox?.timeZone, mailbox?.signature, round.tracking.optOut],
  )

  const { notes, writeNote, notesWritten } = useNoteWork(round.id)
  const notesWork = useMemo(() => ({ notes, writeNote }), [notes, writeNote])
  const { work: letterWork, save } = useLetterWork(round, useHasOthers())
  const { withChanges, change, changesWritten } = useChanges(round, save)
  const written = useCallback(async () => {
    const all = [await save(), await notesWritten(), await changesWritten()]
    if (all.includes(false)) throw new Told(say.whatYouChangedLast)
  }, [save, notesWritten, changesWritten])

  const editCell = useCallback(
    async (rowId: number, columnId: string, text: string) => {
      const [row] = (await table?.here([rowId])) ?? []
      if (row && shown(row.cells[columnId]) !== text.trim())
        await table?.edit(say.changeCell, { do: 'cells', cells: [[rowId, columnId, text.trim()]] })
    },
    [table],
  )
  const undoCell = useCallback(() => void table?.undo(), [table])
  const work = useMemo(
    () => ({
      round: withChanges,
      table,
      rows,
      making,
      chosen,
      onPaper,
      everybody,
      change,
      written,
      editCell,
      undoCell,
      goTo,
    }),
    [withChanges, table, rows, making, chosen, onPaper, everybody, change, written, editCell, undoCell, goTo],
  )
  return (
    <RoundContext value={work}>
      <PersonContext value={personWork}>
        <NotesContext value={notesWork}>
          <LetterContext value={letterWork}>{children}</LetterContext>
        </NotesContext>
      </PersonContext>
    </RoundContext>
  )
}
