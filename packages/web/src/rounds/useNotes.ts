import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { ask, queries, tellFault } from '../api.ts'
import { keys, query } from '../shared/queries.ts'

/** Milliseconds of no typing after which a note is written to the desk. */
const saveAfter = 400

/** The notes of a round: shown as they are typed, written to the desk when typing pauses. */
export function useNoteWork(roundId: number) {
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
