import { sameAddressKey } from './address.ts'
import { type Row, shown } from './cell.ts'
import type { Column } from './column.ts'
import { displayName } from './names.ts'
import { cellIn } from './packed.ts'
import { type Wish, WishRefused } from './wishes.ts'
import { doubles as say } from './words.ts'

/** Rows that seem to be of one person, the first of the list first, and why. */
export interface Doubles {
  rows: number[]
  why: string
}

/** The rows that share a key with others, by it, in the order of the first of each. */
function shared(rows: readonly Row[], keyOf: (row: Row) => string): [key: string, rows: Row[]][] {
  const first = new Map<string, number>()
  const sets = new Map<number, { key: string; rows: Row[] }>()
  for (const [i, row] of rows.entries()) {
    const key = keyOf(row)
    if (key === '') continue
    const before = first.get(key)
    if (before === undefined) first.set(key, i)
    else {
      const set = sets.get(before) ?? { key, rows: [rows[before]] }
      set.rows.push(row)
      sets.set(before, set)
    }
  }
  return [...sets].sort(([a], [b]) => a - b).map(([, { key, rows: of }]) => [key, of])
}

/**
 * Finds rows of one person: of the same address, or of the same name where one of them has no address and the others have one and
 * the same.
 * @param address the column of addresses, if there is one.
 * @param names the columns of names.
 */
export function findDoubles(rows: readonly Row[], address: string | null, names: string[]): Doubles[] {
  const addressOf = (row: Row) => (address ? sameAddressKey(shown(cellIn(row, address))) : '')
  const nameOf = (row: Row) => {
    const name = names.length > 0 ? displayName(row, names, null).toLowerCase() : ''
    return name.startsWith('row ') ? '' : name
  }
  const found: Doubles[] = []
  for (const [key, same] of shared(rows, addressOf))
    found.push({ rows: same.map((r) => r.id), why: say.sameAddress(key) })
  for (const [, same] of shared(rows, nameOf)) {
    const addresses = new Set(same.map(addressOf).filter((a) => a !== ''))
    if (addresses.size <= 1 && same.some((r) => addressOf(r) === ''))
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
    for (const other of others) gone.push(other.id)
  }
  return [...(cells.length > 0 ? [{ do: 'cells' as const, cells }] : []), { do: 'deleteRows', rows: gone }]
}
