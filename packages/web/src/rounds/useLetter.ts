import { type Round, routes } from '@hand-post/contract'
import type { Letter } from '@hand-post/core'
import { hashKey } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { ask, isRefused, queries, tellFault } from '../api.ts'
import { keys } from '../shared/queries.ts'

/** Milliseconds of no typing after which the letter is written to the desk, and after which it is tried again when that failed. */
const saveAfter = 400
const tryAgainAfter = 5000

/** The letter as it stands on the screen. */
export interface LetterWork {
  letter: Letter
  setLetter: (letter: Letter) => void
  /** Puts another letter in place of the one that stands here; the editors take it over. */
  replaceLetter: (letter: Letter) => void
  /** The letter given from outside the editors goes up by one with each such change; they take it over then. */
  letterFromOutside: number
  /** How it stands with writing it to the desk: `failed` when the last try was, and something is still to be written. */
  saving: 'saved' | 'saving' | 'failed'
}

/**
 * Keeps the letter of a round: shows it as it is typed, and writes it to the desk when typing pauses.
 * @returns the letter, and `save`, which writes what is not written yet and says whether all of it is.
 */
export function useLetterWork(round: Round): { work: LetterWork; save: () => Promise<boolean> } {
  const [letter, setLocal] = useState(round.letter)
  const [letterFromOutside, setOutside] = useState(0)
  const unsaved = useRef<Letter | null>(null)
  /** Another letter has taken the place of what was there: that is kept as a version. */
  const replaced = useRef(false)
  const timer = useRef<number>(undefined)
  const [saving, setSaving] = useState<LetterWork['saving']>('saved')

  // The version of the round whose letter has been taken over here, or was written from here.
  const seen = useRef(round.version)

  // Writes of the letter follow one another; what waits when one ends goes with the next.
  const writing = useRef<Promise<void> | null>(null)
  const write = useCallback((): Promise<void> => {
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
          // Tried again by itself: whoever has stopped writing must not lose it with the window. What was refused would be again.
          if (!isRefused(error)) timer.current = window.setTimeout(() => void write(), tryAgainAfter)
          break
        }
      }
      writing.current = null
      setSaving(unsaved.current === null ? 'saved' : 'failed')
    })()
    return writing.current
  }, [round.id])

  const setLetter = useCallback(
    (next: Letter) => {
      setLocal(next)
      unsaved.current = next
      setSaving('saving')
      clearTimeout(timer.current)
      timer.current = window.setTimeout(() => void write(), saveAfter)
    },
    [write],
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
    const leave = () => void write()
    addEventListener('pagehide', leave)
    return () => {
      removeEventListener('pagehide', leave)
      leave()
    }
  }, [write])

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

  const work = useMemo(
    () => ({ letter, setLetter, replaceLetter, letterFromOutside, saving }),
    [letter, setLetter, replaceLetter, letterFromOutside, saving],
  )
  const save = useCallback(async () => {
    await write()
    return unsaved.current === null
  }, [write])
  return { work, save }
}
