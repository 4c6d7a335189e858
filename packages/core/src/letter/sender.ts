import { addressesIn, addressFault } from '../people/address.ts'
import { type Row, shown } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { cellIn } from '../people/packed.ts'
import { parseTemplate } from './field.ts'

/** The addresses that one person's message takes from a line of addresses, and what in it is none. */
export interface AddressesFound {
  addresses: string[]
  /** Values that are no address, as they stand. */
  wrong: string[]
}

/** To whom a round's messages go besides the person, and where answers go: each entry as {@link compileAddresses} takes it. */
export interface Copies {
  cc: string[]
  bcc: string[]
  replyTo: string[]
}

/** One person's copies. */
export interface CopiesOf extends Copies {
  /** What in them is no address, as it stands. */
  wrong: string[]
  /** Copies that would go to whom the message goes to anyway; they are left out. */
  left: string[]
}

/**
 * Compiles the copies of a round.
 * @returns what finds them for a row. Whoever is addressed already gets no second copy.
 */
export function compileCopies(
  copies: Copies,
  columns: Column[],
): { of: (row: Row, address: string) => CopiesOf; unknown: string[]; columnIds: string[]; entries: string[] } {
  const [cc, bcc, replyTo] = [copies.cc, copies.bcc, copies.replyTo].map((entries) =>
    compileAddresses(entries, columns),
  )
  const entries = [...copies.cc, ...copies.bcc, ...copies.replyTo]
  return {
    entries,
    unknown: [...new Set([cc, bcc, replyTo].flatMap((part) => part.unknown))],
    columnIds: [...new Set([cc, bcc, replyTo].flatMap((part) => part.columnIds))],
    of(row, address) {
      // Most rounds have none, and it is asked for each of their people.
      if (entries.length === 0) return { cc: [], bcc: [], replyTo: [], wrong: [], left: [] }
      const found = [cc, bcc, replyTo].map((part) => part.of(row))
      const had = new Set([address.toLowerCase()])
      const left: string[] = []
      const fresh = (addresses: string[]) =>
        addresses.filter((a) => {
          const key = a.toLowerCase()
          if (key === address.toLowerCase()) left.push(a)
          return !had.has(key) && had.add(key)
        })
      return {
        cc: fresh(found[0].addresses),
        bcc: fresh(found[1].addresses),
        replyTo: found[2].addresses,
        wrong: found.flatMap((part) => part.wrong),
        left,
      }
    },
  }
}

/**
 * Compiles addresses for Cc, Bcc or Reply-To: each entry is an address, or typed fields whose cells hold one or several.
 * @returns what finds them for a row, each once, and the names of fields without a column.
 */
export function compileAddresses(
  entries: string[],
  columns: Column[],
): { of: (row: Row) => AddressesFound; unknown: string[]; columnIds: string[] } {
  const folded = new Map(columns.map((c) => [c.name.trim().toLowerCase(), c]))
  const unknown: string[] = []
  const columnIds: string[] = []
  const writers = entries.map((entry) => {
    const parts = parseTemplate(entry).map((segment) => {
      if (typeof segment === 'string') return segment
      const column = columns.find((c) => c.name === segment.column) ?? folded.get(segment.column.trim().toLowerCase())
      if (!column) {
        unknown.push(segment.column)
        return () => ''
      }
      columnIds.push(column.id)
      return (row: Row) => shown(cellIn(row, column.id)).trim() || (segment.standIn ?? '')
    })
    return (row: Row) => parts.map((part) => (typeof part === 'string' ? part : part(row))).join('')
  })
  return {
    unknown,
    columnIds,
    of(row) {
      const found = new Map<string, string>()
      const wrong: string[] = []
      for (const write of writers)
        for (const address of addressesIn(write(row)))
          if (addressFault(address) !== null) wrong.push(address)
          else found.set(address.toLowerCase(), address)
      return { addresses: [...found.values()], wrong }
    },
  }
}
