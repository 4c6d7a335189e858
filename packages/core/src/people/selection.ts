import { sameAddressKey } from './address.ts'
import { type Row, shown } from './cell.ts'
import type { Column } from './column.ts'
import type { RuleContext } from './comparisons.ts'
import { cellIn } from './packed.ts'
import { compileSelectionOf, type Selection } from './rules.ts'
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
export type Standing = (typeof names)[number]

const names = ['in', 'onPaper', 'byRule', 'setAside', 'doNotWrite', 'joined', 'sameAddress', 'notChased'] as const

/** The people of a round and how the count came about. */
export interface PeopleOfRound {
  /** One row for each message, in order. */
  chosen: Row[]
  /** Who gets the letter on paper, in order: one letter for each row. */
  onPaper: Row[]
  standing: Standings
  /** For a row whose message is for several rows: all of them, itself first. */
  rowsOf: Map<number, Row[]>
  counts: Record<Exclude<Standing, 'in'> | 'list' | 'round', number>
  /** How many addresses get more than one message. */
  doubled: number
  /** Rows that are in the round without an address, whether their letters go on paper or not. */
  withoutAddress: number
}

const numberOf = Object.fromEntries(names.map((name, i) => [name, i + 1])) as Record<Standing, number>

/** How each row of a list stands, by its id: an octet for each, for there may be a million. */
export class Standings {
  /** Of each id, by its number in {@link names} from 1; 0 is of none. */
  private readonly by: Uint8Array
  /** How many rows there are. */
  readonly size: number

  /** @param rows those that are to have a standing; each has none until it is set. */
  constructor(rows: readonly Row[]) {
    let most = 0
    for (const { id } of rows) if (id > most) most = id
    this.by = new Uint8Array(1 + most)
    this.size = rows.length
  }

  set(id: number, standing: Standing): void {
    this.by[id] = numberOf[standing]
  }

  /** How a row stands; undefined where the list has no such row. */
  get(id: number): Standing | undefined {
    return names[this.by[id] - 1]
  }
}

/** The addresses of a list's rows by number, so that those of a million rows can be compared at once. */
interface Addresses {
  /** Of each row, by its place, the number of its address, from 1; 0 where it has none. */
  of: Uint32Array
  /** How many different ones there are. */
  different: number
  /** 1 for each number that is not to be written to. */
  refused: Uint8Array
}
/** The addresses of rows that people were chosen of last: they are the same at the next rule. */
const addressesBefore = new WeakMap<readonly Row[], { key: string; addresses: Addresses }>()

function addressesOf(rows: readonly Row[], column: string | null, doNotWrite: ReadonlySet<string>): Addresses {
  const key = JSON.stringify([column, ...doNotWrite])
  const before = addressesBefore.get(rows)
  if (before?.key === key) return before.addresses
  const of = new Uint32Array(rows.length)
  const numbers = new Map<string, number>()
  if (column !== null)
    for (const [i, row] of rows.entries()) {
      const address = sameAddressKey(shown(cellIn(row, column)))
      if (address === '') continue
      of[i] = numbers.get(address) ?? numbers.size + 1
      numbers.set(address, of[i])
    }
  const refused = new Uint8Array(numbers.size + 1)
  for (const address of doNotWrite) {
    const number = numbers.get(address)
    if (number !== undefined) refused[number] = 1
  }
  const addresses = { of, different: numbers.size, refused }
  addressesBefore.set(rows, { key, addresses })
  return addresses
}

/** Applies rules, setting aside, the do-not-write list and the way for doubled addresses to the rows of a list, in order. */
export function choosePeople(rows: Row[], columns: Column[], choice: Choice): PeopleOfRound {
  const { setAside, addressColumn, sameAddress, doNotWrite, onPaper: paper } = choice
  const fits = compileSelectionOf(rows, choice.selection, columns, choice.context)
  const standing = new Standings(rows)
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
  const addresses = addressesOf(rows, addressColumn, doNotWrite)
  /** Of each address, by its number, the place of the first row that has it in the round, from 1. */
  const first = new Uint32Array(addresses.different + 1)
  const isDoubled = new Uint8Array(addresses.different + 1)
  let doubled = 0
  let withoutAddress = 0
  // Nobody is looked for where nobody is: with a million rows each look is a tenth of the whole.
  const [anyAside, anyByHand] = [setAside.size > 0, paper.byHand.size > 0]
  for (let i = 0; i < rows.length; i++) {
    const row = rows[i]
    const address = addresses.of[i]
    const earlier = address === 0 || first[address] === 0 ? undefined : rows[first[address] - 1]
    const goesOnPaper =
      paper.who === 'everybody' ||
      (anyByHand && paper.byHand.has(row.id)) ||
      (paper.who === 'withoutAddress' && addressColumn !== null && address === 0)
    let state: Standing = 'in'
    if (choice.among && !choice.among.has(row.id)) state = 'notChased'
    else if (anyAside && setAside.has(row.id)) state = 'setAside'
    else if (!fits(row, i)) state = 'byRule'
    // Who is not to be written to is not written to on paper either.
    else if (addresses.refused[address] === 1) state = 'doNotWrite'
    else if (goesOnPaper) state = 'onPaper'
    else if (earlier && sameAddress === 'first') state = 'sameAddress'
    else if (earlier && sameAddress === 'joined') {
      state = 'joined'
      const together = rowsOf.get(earlier.id)
      if (together) together.push(row)
      else rowsOf.set(earlier.id, [earlier, row])
    }
    standing.set(row.id, state)
    if (addressColumn !== null && address === 0 && (state === 'in' || state === 'onPaper')) withoutAddress++
    if (state === 'onPaper') onPaper.push(row)
    if (state === 'in') {
      chosen.push(row)
      counts.round++
      if (!earlier) first[address] = i + 1
      else if (isDoubled[address] === 0) {
        isDoubled[address] = 1
        doubled++
      }
    } else counts[state]++
  }
  return { chosen, onPaper, standing, rowsOf, counts, doubled, withoutAddress }
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
