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

/** Who of a round gets the letter on paper: whoever is chosen by hand, and beside them those without an address, or everybody. */
export const onPaperWays = ['byHand', 'withoutAddress', 'everybody'] as const
export type OnPaper = (typeof onPaperWays)[number]

/** Everything by which the people of a round are chosen. */
export interface Choice {
  selection: Selection
  setAside: ReadonlySet<number>
  addressColumn: string | null
  /** Null while the writer has not been asked; it counts as a message for each row. */
  sameAddress: SameAddress | null
  /** Addresses that no round may write to, as {@link sameAddressKey} makes them. */
  doNotWrite: ReadonlySet<string>
  /** Who gets the letter on paper, and the rows that were chosen for it by hand. */
  onPaper: { who: OnPaper; byHand: ReadonlySet<number> }
  /** Of a chaser: the rows that it may go to. Null, or lacking, is all of the list. */
  among?: ReadonlySet<number> | null
  context: RuleContext
}

/**
 * Why a row of the list gets, or does not get, a message of the round. `onPaper`: it gets its letter by paper post; `joined`: it goes
 * with the message of an earlier row; `notChased`: it has no letter to chase, or what the chaser is for is done.
 */
export type Standing = 'in' | 'onPaper' | 'byRule' | 'setAside' | 'doNotWrite' | 'joined' | 'sameAddress' | 'notChased'

/** The people of a round and how the count came about. */
export interface PeopleOfRound {
  /** One row for each message, in order. */
  chosen: Row[]
  /** Who gets the letter on paper, in order: one letter for each row. */
  onPaper: Row[]
  standing: Map<number, Standing>
  /** For a row whose message is for several rows: all of them, itself first. */
  rowsOf: Map<number, Row[]>
  counts: Record<Exclude<Standing, 'in'> | 'list' | 'round', number>
  /** How many addresses get more than one message. */
  doubled: number
  /** Rows that are in the round without an address, whether their letters go on paper or not. */
  withoutAddress: number
}

/** Applies rules, setting aside, the do-not-write list and the way for doubled addresses to the rows of a list, in order. */
export function choosePeople(rows: Row[], columns: Column[], choice: Choice): PeopleOfRound {
  const { setAside, addressColumn, sameAddress, doNotWrite, onPaper: paper } = choice
  const fits = compileSelection(choice.selection, columns, choice.context)
  const standing = new Map<number, Standing>()
  const chosen: Row[] = []
  const onPaper: Row[] = []
  const rowsOf = new Map<number, Row[]>()
  const counts = {
    list: rows.length,
    round: 0,
    onPaper: 0,
    byRule: 0,
    setAside: 0,
    doNotWrite: 0,
    joined: 0,
    sameAddress: 0,
    notChased: 0,
  }
  const first = new Map<string, Row>()
  const doubled = new Set<string>()
  let withoutAddress = 0
  for (const row of rows) {
    const address = addressColumn === null ? '' : sameAddressKey(shown(row.cells[addressColumn]))
    const earlier = address === '' ? undefined : first.get(address)
    const goesOnPaper =
      paper.who === 'everybody' ||
      paper.byHand.has(row.id) ||
      (paper.who === 'withoutAddress' && addressColumn !== null && address === '')
    let state: Standing = 'in'
    if (choice.among && !choice.among.has(row.id)) state = 'notChased'
    else if (setAside.has(row.id)) state = 'setAside'
    else if (!fits(row)) state = 'byRule'
    // Who is not to be written to is not written to on paper either.
    else if (address !== '' && doNotWrite.has(address)) state = 'doNotWrite'
    else if (goesOnPaper) state = 'onPaper'
    else if (earlier && sameAddress === 'first') state = 'sameAddress'
    else if (earlier && sameAddress === 'joined') {
      state = 'joined'
      const together = rowsOf.get(earlier.id)
      if (together) together.push(row)
      else rowsOf.set(earlier.id, [earlier, row])
    }
    standing.set(row.id, state)
    if (addressColumn !== null && address === '' && (state === 'in' || state === 'onPaper')) withoutAddress++
    if (state === 'onPaper') onPaper.push(row)
    if (state === 'in') {
      chosen.push(row)
      counts.round++
      if (!earlier) first.set(address, row)
      else doubled.add(address)
    } else counts[state]++
  }
  return { chosen, onPaper, standing, rowsOf, counts, doubled: doubled.size, withoutAddress }
}

const standingWords: [keyof PeopleOfRound['counts'], string][] = [
  ['notChased', say.notChased],
  ['byRule', say.leftOutRule],
  ['setAside', say.setAside],
  ['doNotWrite', say.doNotWriteList],
  ['joined', say.joinedEarlierRowSame],
  ['sameAddress', say.leftOutBecauseAddress],
]

/**
 * Why a row gets no message of its own, in a sentence.
 * @param reason with which the writer set it aside; '' where there is none.
 */
export function standingSentence(standing: Exclude<Standing, 'in' | 'onPaper'>, reason: string): string {
  return standing === 'setAside' && reason !== '' ? say.setAsideBecause(reason) : say.standing[standing]
}

/** Says in a sentence how the number of people came about: "64 in the list, 58 in this round: 4 left out by rule, 2 set aside." */
export function countSentence(counts: PeopleOfRound['counts']): string {
  const n = (value: number) => value.toLocaleString('en-GB')
  const out = standingWords.flatMap(([name, words]) => (counts[name] > 0 ? [`${n(counts[name])} ${words}`] : []))
  const head = say.listRound(n(counts.list), n(counts.round), counts.onPaper === 0 ? null : n(counts.onPaper))
  return out.length > 0 ? `${head}: ${out.join(', ')}.` : `${head}.`
}
