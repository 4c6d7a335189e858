import type { Timetable } from '@hand-post/contract'
import { type Pace, type PlanGiven, reasons } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useLayoutEffect, useRef, useState } from 'react'
import { Told } from '../api.ts'
import { query } from '../shared/queries.ts'
import type { PlanAnswer, PlanAsk } from './planWorker.ts'
import { usePlan as say } from './words.ts'

/**
 * The timetable of what waits of a round as it would be at a pace: computed here, in a thread of its own, so that it is drawn anew at
 * once whatever is tried out. Until the first is there it is undefined; then the one before stays until the next is.
 */
export function usePlan(roundId: number, pace: Pace, enabled = true): { table?: Timetable; error: Error | null } {
  const given = useQuery({ ...query.planGiven(roundId), enabled })
  const thread = useRef<{ worker: Worker; given: PlanGiven | null; asked: number } | null>(null)
  const [table, setTable] = useState<Timetable>()
  const [failed, setFailed] = useState<Error | null>(null)
  useEffect(
    () => () => {
      thread.current?.worker.terminate()
      thread.current = null
    },
    [],
  )
  const wanted = JSON.stringify(pace)
  const data = given.data
  // Before it is painted: the thread plans meanwhile.
  useLayoutEffect(() => {
    if (!data) return
    const pace = JSON.parse(wanted) as Timetable['pace']
    thread.current ??= {
      worker: new Worker(new URL('./planWorker.ts', import.meta.url), { type: 'module' }),
      given: null,
      asked: 0,
    }
    const one = thread.current
    const send = (message: PlanAsk) => one.worker.postMessage(message)
    if (one.given !== data) send({ given: data })
    one.given = data
    const asked = ++one.asked
    send({ ask: asked, pace })
    one.worker.onerror = (event) => {
      // A thread that failed is not asked again.
      event.preventDefault()
      one.worker.terminate()
      if (thread.current === one) thread.current = null
      setFailed(new Told(say.notComputed))
    }
    one.worker.onmessage = ({ data: answer }: MessageEvent<PlanAnswer>) => {
      if (answer.ask !== one.asked) return
      setFailed(null)
      const { at, recipients, rowId, by, table } = answer
      const departures = Array.from(at, (moment, i) => ({
        at: moment,
        recipients: recipients[i],
        rowId: rowId[i],
        gone: false,
        by: reasons[by[i]],
      }))
      setTable({ ...table, departures, limits: data.limits, pace })
    }
  }, [data, wanted])
  return { table, error: given.error ?? failed }
}
