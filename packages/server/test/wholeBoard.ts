import { type BoardLine, type CallInput, type HeardLetter, type Route, routes } from '@hand-post/contract'
import type { z } from 'zod'

type Ask = <R extends Route>(route: R, input: CallInput<R>) => Promise<z.output<R['answer']>>

/** A round's board with all that it can show: its counts, what it draws, and each letter with what came back about it. */
export async function wholeBoard(ask: Ask, round: number) {
  const params = { round }
  const board = await ask(routes.board, { params })
  const { overTime, byHour, returned, compared } = await ask(routes.boardCharts, { params })
  const lines: BoardLine[] = []
  for (;;) {
    const part = await ask(routes.boardLines, { params, query: { from: lines.length, count: 1000 } })
    lines.push(...part.lines)
    if (lines.length >= part.letters) break
  }
  const people: HeardLetter[] = []
  const heard = new Map<number, HeardLetter[]>()
  for (const { rowId, messageId } of lines) {
    const theirs = heard.get(rowId) ?? (await ask(routes.heardFrom, { params: { round, row: rowId } })).letters
    heard.set(rowId, theirs)
    people.push(theirs.find((letter) => letter.messageId === messageId)!)
  }
  return { ...board, overTime, byHour, returned, compared, people }
}
