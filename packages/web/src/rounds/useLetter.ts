import { ProblemError, penIsAnothers, type Round, routes } from '@hand-post/contract'
import type { Letter } from '@hand-post/core'
import { hashKey } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { ask, isRefused, queries, stale, tellFault } from '../api.ts'
import { keys } from '../shared/queries.ts'
import { thisWindow } from '../shared/thisWindow.ts'
import { tellLasting } from '../shared/told.ts'

/** Milliseconds of no typing after which the letter is written to the desk, and after which it is tried again when that failed. */
const saveAfter = 400
const tryAgainAfter = 5000
/** Where others read along: for how long (ms) at most they wait for what is typed in one go. */
const othersWait = 1000

/** The letter as it stands on the screen. */
export interface LetterWork {
  letter: Letter
  setLetter: (letter: Letter) => void
  /** Puts another letter in place of the one that stands here; the editors take it over. */
  replaceLetter: (letter: Letter) => void
  /** The letter given from outside the editors goes up by one with each such change; they take it over then. */
  letterFromOutside: number
  /** Whether it was somebody else who changed it then: undoing here leaves that alone. */
  byOthers: boolean
  /** How it stands with writing it to the desk: `failed` when the last try was, and something is still to be written. */
  saving: 'saved' | 'saving' | 'failed'
}

/**
 * Keeps the letter of a round: shows it as it is typed, and writes it to the desk when typing pauses.
 * @param shared whether others may have the round open: they see at once that somebody writes, and read along.
 * @returns the letter, and `save`, which writes what is not written yet and says whether all of it is.
 */
export function useLetterWork(round: Round, shared = false): { work: LetterWork; save: () => Promise<boolean> } {
  const [letter, setLocal] = useState(round.letter)
  const [outside, setOutside] = useState({ times: 0, byOthers: false })
  const unsaved = useRef<Letter | null>(null)
  /** Another letter has taken the place of what was there: that is kept as a version. */
  const replaced = useRef(false)
  const timer = useRef<number>(undefined)
  const [saving, setSaving] = useState<LetterWork['saving']>('saved')

  // The version of the round whose letter has been taken over here, or was written from here.
  const seen = useRef(round.version)
  /** The version of the letter that is written on here. */
  const writtenOn = useRef(round.letterVersion)
  const lastWritten = useRef(Number.NEGATIVE_INFINITY)

  /** Takes over what others have made of the letter. */
  const takeOver = useCallback((now: Round, here: Letter | null) => {
    seen.current = now.version
    writtenOn.current = now.letterVersion
    // Compared without regard to the order of keys, which the database does not keep.
    if (here !== null && hashKey([now.letter]) === hashKey([here])) return
    setLocal(now.letter)
    setOutside(({ times }) => ({ times: times + 1, byOthers: true }))
  }, [])

  // Writes of the letter follow one another; what waits when one ends goes with the next.
  const writing = useRef<Promise<void> | null>(null)
  const write = useCallback((): Promise<void> => {
    clearTimeout(timer.current)
    if (unsaved.current === null && writing.current === null) return Promise.resolve()
    writing.current ??= (async () => {
      let refused: ProblemError | null = null
      while (unsaved.current !== null) {
        const next = unsaved.current
        unsaved.current = null
        lastWritten.current = performance.now()
        try {
          const { said: _, ...saved } = await ask(routes.changeRound, {
            params: { round: round.id },
            body: {
              letter: next,
              window: thisWindow,
              writtenOn: writtenOn.current,
              ...(replaced.current ? { keepBefore: true } : {}),
            },
          })
          seen.current = Math.max(seen.current, saved.version)
          writtenOn.current = saved.letterVersion
          replaced.current = false
          queries.setQueryData(keys.round(round.id), saved)
        } catch (error) {
          // Kept by the desk among the versions; what was typed meanwhile is to be kept there too.
          if (error instanceof ProblemError && error.problem.title === penIsAnothers) {
            refused = error
            continue
          }
          unsaved.current ??= next
          tellFault(error)
          // Tried again by itself: whoever has stopped writing must not lose it with the window. What was refused would be again.
          if (!isRefused(error)) timer.current = window.setTimeout(() => void write(), tryAgainAfter)
          break
        }
      }
      if (refused !== null) {
        replaced.current = false
        tellLasting(refused.message)
        await ask(routes.round, { params: { round: round.id } }).then((now) => {
          if (unsaved.current !== null) return
          queries.setQueryData(keys.round(round.id), now)
          takeOver(now, null)
        }, tellFault)
        void stale(keys.round(round.id))
      }
      writing.current = null
      setSaving(unsaved.current === null ? 'saved' : 'failed')
    })()
    return writing.current
  }, [round.id, takeOver])

  const setLetter = useCallback(
    (next: Letter) => {
      setLocal(next)
      unsaved.current = next
      setSaving('saving')
      clearTimeout(timer.current)
      const untilOthers = lastWritten.current + othersWait - performance.now()
      const wait = shared ? Math.max(0, Math.min(saveAfter, untilOthers)) : saveAfter
      timer.current = window.setTimeout(() => void write(), wait)
    },
    [write, shared],
  )
  const replaceLetter = useCallback(
    (next: Letter) => {
      replaced.current = true
      setLetter(next)
      setOutside(({ times }) => ({ times: times + 1, byOthers: false }))
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
    takeOver(round, letter)
  }, [round, letter, takeOver])

  const work = useMemo(
    () => ({
      letter,
      setLetter,
      replaceLetter,
      letterFromOutside: outside.times,
      byOthers: outside.byOthers,
      saving,
    }),
    [letter, setLetter, replaceLetter, outside, saving],
  )
  const save = useCallback(async () => {
    await write()
    return unsaved.current === null
  }, [write])
  return { work, save }
}
