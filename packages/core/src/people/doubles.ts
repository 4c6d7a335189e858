import { sameAddressKey } from './address.ts'
import { type Row, shown } from './cell.ts'
import type { Column } from './column.ts'
import { displayName } from './names.ts'
import { type Wish, WishRefused } from './wishes.ts'
import { doubles as say } from './words.ts'

/** Rows that seem to be of one person, the first of the list first, and why. */
export interface Doubles {
  rows: number[]
  why: string
}

/** Values by a key, in the order in which they came. */
function grouped(rows: readonly Row[], keyOf: (row: Row) => string): Map<string, Row[]> {
  const sets = new Map<string, Row[]>()
  for (const row of rows) {
    const key = keyOf(row)
    if (key === '') continue
    const same = sets.get(key)
    if (same) same.push(row)
    else sets.set(key, [row])
  }
  return sets
}

/**
 * Finds rows of one person: of the same address, or of the same name where one of them has no address and the others have one and
 * the same.
 * @param address the column of addresses, if there is one.
 * @param names the columns of names.
 */
export function findDoubles(rows: readonly Row[], address: string | null, names: string[]): Doubles[] {
  const addressOf = (row: Row) => (address ? sameAddressKey(shown(row.cells[address])) : '')
  const nameOf = (row: Row) => {
    const name = names.length > 0 ? displayName(row, names, null).toLocaleLowerCase('en-GB') : ''
    return name.startsWith('row ') ? '' : name
  }
  const found: Doubles[] = []
  for (const [key, same] of grouped(rows, addressOf))
    if (same.length > 1) found.push({ rows: same.map((r) => r.id), why: say.sameAddress(key) })
  for (const same of grouped(rows, nameOf).values()) {
    const addresses = new Set(same.map(addressOf).filter((a) => a !== ''))
    if (same.length > 1 && addresses.size <= 1 && same.some((r) => addressOf(r) === ''))
      found.push({ rows: same.map((r) => r.id), why: say.sameNameOneHas })
  }
  return found
}

/**
 * The wishes by which rows of one person become one: the first of each set keeps what it has, takes from the others what it lacks,
 * and the others go.
 * @throws WishRefused when a row is gone.
 */
export function mergeWishes(columns: readonly Column[], rows: readonly Row[], sets: readonly number[][]): Wish[] {
  const byId = new Map(rows.map((row) => [row.id, row]))
  const cells: (Wish & { do: 'cells' })['cells'] = []
  const gone: number[] = []
  for (const set of sets) {
    const [kept, ...others] = set.map((id) => {
      const row = byId.get(id)
      if (!row) throw new WishRefused('gone', say.oneRowsGoneNothing, say.noSuchRow)
      return row
    })
    if (!kept) continue
    for (const column of columns) {
      if (column.recipe || shown(kept.cells[column.id]).trim() !== '') continue
      const filled = others.find((other) => shown(other.cells[column.id]).trim() !== '')
      if (filled) cells.push([kept.id, column.id, filled.cells[column.id]])
    }
    gone.push(...others.map((other) => other.id))
  }
  return [...(cells.length > 0 ? [{ do: 'cells' as const, cells }] : []), { do: 'deleteRows', rows: gone }]
}
