import { type Round, routes } from '@hand-post/contract'
import { useCallback, useMemo, useRef, useState } from 'react'
import type { z } from 'zod'
import { ask, queries, stale, tellFault } from '../api.ts'
import { keys } from '../shared/queries.ts'
export type RoundChanges = z.input<typeof routes.changeRound.body>

/** A round with a change laid over it, as far as that can be told without the desk. */
function changed(
  round: Round,
  { listId: _list, letterHtml: _html, keepBefore: _keep, dispatch, paper, tracking, sender, ...plain }: RoundChanges,
): Round {
  return {
    ...round,
    ...(plain as Partial<Round>),
    dispatch: { ...round.dispatch, ...dispatch },
    paper: { ...round.paper, ...paper },
    tracking: { ...round.tracking, ...tracking },
    sender: { ...round.sender, ...sender },
  }
}

/**
 * Changes of a round: shown at once, and written one after another in the order in which they were made. Until the desk has taken one it
 * lies over whatever the desk says meanwhile.
 * @param save writes the letter first, so that what is changed is changed of the letter as it stands.
 */
export function useChanges(round: Round, save: () => Promise<boolean>) {
  const [unwritten, setUnwritten] = useState<RoundChanges[]>([])
  const queue = useRef(Promise.resolve())
  /** How many of them the desk did not take. */
  const failed = useRef(0)
  const change = useCallback(
    (parts: RoundChanges) => {
      setUnwritten((all) => [...all, parts])
      queue.current = queue.current.then(async () => {
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
      return queue.current
    },
    [round.id, save],
  )
  /** Waits until all are written that were made until now. Says whether the desk took them. */
  const changesWritten = useCallback(async () => {
    const failedBefore = failed.current
    await queue.current
    return failed.current === failedBefore
  }, [])
  const withChanges = useMemo(() => unwritten.reduce(changed, round), [unwritten, round])
  return { withChanges, change, changesWritten }
}
