import { isChosen, type Selection } from './rules.ts'
import type { Column, Row } from './table.ts'

/** Why a row of the list is, or is not, in the round. */
export type Standing = 'in' | 'byRule' | 'setAside'

/** The people of a round and how the count came about. */
export interface PeopleOfRound {
  chosen: Row[]
  standing: Map<number, Standing>
  counts: { list: number; round: number; byRule: number; setAside: number }
}

/** Applies the rules and the setting aside by hand to the rows of a list. A row that both leave out counts as set aside. */
export function choosePeople(
  rows: Row[],
  columns: Column[],
  selection: Selection,
  setAside: ReadonlySet<number>,
): PeopleOfRound {
  const byId = new Map(columns.map((c) => [c.id, c]))
  const standing = new Map<number, Standing>()
  const chosen: Row[] = []
  const counts = { list: rows.length, round: 0, byRule: 0, setAside: 0 }
  for (const row of rows) {
    const state: Standing = setAside.has(row.id) ? 'setAside' : isChosen(row, selection, byId) ? 'in' : 'byRule'
    standing.set(row.id, state)
    if (state === 'in') {
      chosen.push(row)
      counts.round++
    } else counts[state]++
  }
  return { chosen, standing, counts }
}

/** Says in a sentence how the number of people came about: "64 in the list, 58 in this round: 4 left out by rule, 2 set aside." */
export function countSentence(counts: PeopleOfRound['counts']): string {
  const n = (value: number) => value.toLocaleString('en-GB')
  const out = [
    counts.byRule > 0 ? `${n(counts.byRule)} left out by rule` : '',
    counts.setAside > 0 ? `${n(counts.setAside)} set aside` : '',
  ].filter(Boolean)
  const head = `${n(counts.list)} in the list, ${n(counts.round)} in this round`
  return out.length > 0 ? `${head}: ${out.join(', ')}.` : `${head}.`
}
