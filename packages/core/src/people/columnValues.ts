import { type Row, sameTextKey, shown } from './cell.ts'
import { cellIn } from './packed.ts'

/** A value that stands in a column, and in how many rows. */
export interface CountedValue {
  value: string
  rows: number
}

/** The values of a column that were looked for, and how many there are. */
export interface ColumnValues {
  /** Those that most rows have first, then by the alphabet. */
  values: CountedValue[]
  /** How many different ones fit what was looked for, `values` among them. */
  different: number
  /** In how many rows nothing stands, whatever was looked for. */
  blank: number
}

/**
 * The different values of a column with the number of rows that have each. Capitals and small letters, and spaces around, count as the
 * same, as in rules; a value is written as the first row that has it writes it.
 * @param find only values that contain this; '' gives all.
 * @param most the most values that are given.
 */
export function columnValues(rows: readonly Row[], columnId: string, find: string, most: number): ColumnValues {
  const byKey = new Map<string, CountedValue>()
  let blank = 0
  for (const row of rows) {
    const value = shown(cellIn(row, columnId)).trim()
    if (value === '') {
      blank++
      continue
    }
    const key = sameTextKey(value)
    const known = byKey.get(key)
    if (known) known.rows++
    else byKey.set(key, { value, rows: 1 })
  }
  const wanted = sameTextKey(find)
  const fitting = [...byKey].flatMap(([key, value]) => (key.includes(wanted) ? [value] : []))
  const { compare } = new Intl.Collator('en-GB', { numeric: true })
  fitting.sort((a, b) => b.rows - a.rows || compare(a.value, b.value))
  return { values: fitting.slice(0, most), different: fitting.length, blank }
}
