import { bareAddress } from './address.ts'
import { type Row, shown } from './cell.ts'
import { cellIn } from './packed.ts'

/** How a person of the round is called: their name, else their address, else the number of their row. */
export function displayName(row: Row, nameColumns: string[], addressColumn: string | null): string {
  return (
    personName(row, nameColumns) ||
    (addressColumn ? bareAddress(shown(cellIn(row, addressColumn))) : '') ||
    (row.number === undefined ? 'a row without a name' : `row ${row.number}`)
  )
}

/**
 * The name by which a person is called in the interface and, in the To header, beside the address.
 * @returns the value of the name columns joined by a space, or '' when none is filled.
 */
export function personName(row: Row, nameColumns: string[]): string {
  return nameColumns
    .map((id) => shown(cellIn(row, id)).trim())
    .filter(Boolean)
    .join(' ')
}
