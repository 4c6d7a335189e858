import { type Pace, type PlanGiven, type PlannedRound, reasons, timetableOf, timetableSentence } from '@hand-post/core'

/** What is asked of the thread that plans: once what is given, and then one pace after another. */
export type PlanAsk = { given: PlanGiven } | { ask: number; pace: Pace }
/** Its answer. The letters are told in columns, which are handed over and not copied one by one. */
export interface PlanAnswer {
  ask: number
  table: Omit<PlannedRound, 'departures'> & { sentence: string }
  at: Float64Array
  recipients: Float64Array
  rowId: Float64Array
  /** Their places among the reasons. */
  by: Uint8Array
}

let given: PlanGiven | null = null

addEventListener('message', ({ data }: MessageEvent<PlanAsk>) => {
  if ('given' in data) {
    given = data.given
    return
  }
  if (given === null) return
  const { departures, ...table } = timetableOf(given, data.pace)
  const told = { ...table, departures, limits: given.limits, pace: data.pace, held: 0, unplanned: 0 }
  const answer: PlanAnswer = {
    ask: data.ask,
    table: { ...table, sentence: timetableSentence(told, Date.now()) },
    at: Float64Array.from(departures, (d) => d.at),
    recipients: Float64Array.from(departures, (d) => d.recipients),
    rowId: Float64Array.from(departures, (d) => d.rowId),
    by: Uint8Array.from(departures, (d) => reasons.indexOf(d.by ?? 'now')),
  }
  postMessage(answer, { transfer: [answer.at, answer.recipients, answer.rowId, answer.by].map((all) => all.buffer) })
})
