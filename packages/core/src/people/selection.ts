import { sameAddressKey } from './address.ts'
import { type Row, shown } from './cell.ts'
import type { Column } from './column.ts'
import type { RuleContext } from './comparisons.ts'
import { compileSelection, type Selection } from './rules.ts'
import { selection as say } from './words.ts'

/**
 * What is done where one address stands on several rows: a message for each row, one message with all its rows, or a
 * message for the first row only.
 */
export const sameAddressWays = ['each', 'joined', 'first'] as const
export type SameAddress = (typeof sameAddressWays)[number]

/** Everything by which the people of a round are chosen. */
export interface Choice {
  selection: Selection
  setAside: ReadonlySet<number>
  addressColumn: string | null
  /** Null while the writer has not been asked; it counts as a message for each row. */
  sameAddress: SameAddress | null
  /** Addresses that no round may write to, as {@link sameAddressKey} makes them. */
  doNotWrite: ReadonlySet<string>
  context: RuleContext
}

/** Why a row of the list is, or is not, in the round. `joined`: it goes with the message of an earlier row. */
export type Standing = 'in' | 'byRule' | 'setAside' | 'doNotWrite' | 'joined' | 'sameAddress'

/** The people of a round and how the count came about. */
export interface PeopleOfRound {
  /** One row for each message, in order. */
  chosen: Row[]
  standing: Map<number, Standing>
  /** For a row whose message is for several rows: all of them, itself first. */
  rowsOf: Map<number, Row[]>
  counts: Record<Exclude<Standing, 'in'> | 'list' | 'round', number>
  /** How many addresses get more than one message. */
  doubled: number
}

/** Applies rules, setting aside, the do-not-write list and the way for doubled addresses to the rows of a list, in order. */
export function choosePeople(rows: Row[], columns: Column[], choice: Choice): PeopleOfRound {
  const { setAside, addressColumn, sameAddress, doNotWrite } = choice
  const fits = compileSelection(choice.selection, columns, choice.context)
  const standing = new Map<number, Standing>()
  const chosen: Row[] = []
  const rowsOf = new Map<number, Row[]>()
  const counts = { list: rows.length, round: 0, byRule: 0, setAside: 0, doNotWrite: 0, joined: 0, sameAddress: 0 }
  const first = new Map<string, Row>()
  const doubled = new Set<string>()
  for (const row of rows) {
    const address = addressColumn === null ? '' : sameAddressKey(shown(row.cells[addressColumn]))
    const earlier = address === '' ? undefined : first.get(address)
    let state: Standing = 'in'
    if (setAside.has(row.id)) state = 'setAside'
    else if (!fits(row)) state = 'byRule'
    else if (address !== '' && doNotWrite.has(address)) state = 'doNotWrite'
    else if (earlier && sameAddress === 'first') state = 'sameAddress'
    else if (earlier && sameAddress === 'joined') {
      state = 'joined'
      const together = rowsOf.get(earlier.id)
      if (together) together.push(row)
      else rowsOf.set(earlier.id, [earlier, row])
    }
    standing.set(row.id, state)
    if (state === 'in') {
      chosen.push(row)
      counts.round++
      if (!earlier) first.set(address, row)
      else doubled.add(address)
    } else counts[state]++
  }
  return { chosen, standing, rowsOf, counts, doubled: doubled.size }
}

const standingWords: [keyof PeopleOfRound['counts'], string][] = [
  ['byRule', say.leftOutRule],
  ['setAside', say.setAside],
  ['doNotWrite', say.doNotWriteList],
  ['joined', say.joinedEarlierRowSame],
  ['sameAddress', say.leftOutBecauseAddress],
]

/** Says in a sentence how the number of people came about: "64 in the list, 58 in this round: 4 left out by rule, 2 set aside." */
export function countSentence(counts: PeopleOfRound['counts']): string {
  const n = (value: number) => value.toLocaleString('en-GB')
  const out = standingWords.flatMap(([name, words]) => (counts[name] > 0 ? [`${n(counts[name])} ${words}`] : []))
  const head = say.listRound(n(counts.list), n(counts.round))
  return out.length > 0 ? `${head}: ${out.join(', ')}.` : `${head}.`
}
