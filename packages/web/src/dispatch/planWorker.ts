import { type Pace, type PlanGiven, type PlannedRound, timetableOf, timetableSentence } from '@hand-post/core'

/** What is asked of the thread that plans: once what is given, and then one pace after another. */
export type PlanAsk = { given: PlanGiven } | { ask: number; pace: Pace; held: number }
export interface PlanAnswer {
  ask: number
  table: PlannedRound & { sentence: string }
}

let given: PlanGiven | null = null

addEventListener('message', ({ data }: MessageEvent<PlanAsk>) => {
  if ('given' in data) {
    given = data.given
    return
  }
  if (given === null) return
  const table = timetableOf(given, data.pace)
  const told = { ...table, limits: given.limits, pace: data.pace, held: data.held }
  const answer: PlanAnswer = { ask: data.ask, table: { ...table, sentence: timetableSentence(told, Date.now()) } }
  postMessage(answer)
})
