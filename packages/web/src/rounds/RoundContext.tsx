import type { Round } from '@hand-post/contract'
import { dayOf, displayName, type MergeOptions, type Row, shown } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from 'react'
import { Told } from '../api.ts'
import { type TableWork, useTable } from '../people/useTable.ts'
import { query } from '../shared/queries.ts'
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
  /** Rows of the list as sorted, without derived cells; empty while there is no list. */
  rows: Row[]
  /** For a row whose message is for several: all of them, with derived cells. */
  together: Map<number, Row[]>
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
  const together = useMemo(() => {
    const byId = new Map(people?.together.length ? rows.map((row) => [row.id, row]) : [])
    return new Map(
      (people?.together ?? []).map((ids): [number, Row[]] => [
        ids[0],
        ids.flatMap((id) => (byId.has(id) && table ? [table.derive(byId.get(id)!)] : [])),
      ]),
    )
  }, [people, rows, table])

  const [personId, choose] = useState<number | null>(null)
  const person = useMemo(() => {
    const at = [personId, everybody[0]].map((id) => rows.findIndex((r) => r.id === id)).find((i) => i >= 0) ?? 0
    const found = rows[at]
    return found && table ? { ...table.derive(found), number: (table.list.source.firstRow ?? 1) + at } : null
  }, [rows, everybody, personId, table])
  const step = useCallback(
    (by: number) => {
      const at = person ? everybody.indexOf(person.id) : -1
      const next = everybody[Math.min(Math.max(at + by, 0), everybody.length - 1)]
      if (next !== undefined) choose(next)
    },
    [everybody, person],
  )
  const personWork = useMemo(() => ({ person, choose, step }), [person, step])

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
      const cell = rows.find((r) => r.id === rowId)?.cells[columnId]
      if (shown(cell) !== text.trim())
        await table?.edit(say.changeCell, { do: 'cells', cells: [[rowId, columnId, text.trim()]] })
    },
    [rows, table],
  )
  const undoCell = useCallback(() => void table?.undo(), [table])
  const work = useMemo(
    () => ({
      round: withChanges,
      table,
      rows,
      together,
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
    [withChanges, table, rows, together, making, chosen, onPaper, everybody, change, written, editCell, undoCell, goTo],
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
