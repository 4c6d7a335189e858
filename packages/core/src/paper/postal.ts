import { type Row, shown } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { cellIn } from '../people/packed.ts'

/** A column of the postal address: it begins a line, or goes on in the line of the column before it. */
export interface PostalColumn {
  column: string
  sameLine: boolean
}

/**
 * A person's postal address as it stands in the window, a text for each line. Blank cells take no line; a cell of several lines makes
 * as many. Columns that are gone from the list count as blank.
 * @example postalLines({ cells: { n: 'Ada', s: '1 Quay' } }, [{ column: 'n', sameLine: false }, { column: 's', sameLine: false }]) // ['Ada', '1 Quay']
 */
export function postalLines(row: Pick<Row, 'cells'>, columns: readonly PostalColumn[]): string[] {
  const lines: string[] = []
  // What goes on in a line whose beginning is blank begins it.
  let open = false
  for (const { column, sameLine } of columns) {
    if (!sameLine) open = false
    const [first, ...further] = shown(cellIn(row, column))
      .split(/[\r\n\v\f\u0085\u2028\u2029]+/)
      .map((line) => line.replace(/\s+/g, ' ').trim())
      .filter((line) => line !== '')
    if (first === undefined) continue
    if (open) lines[lines.length - 1] += ` ${first}`
    else lines.push(first)
    lines.push(...further)
    open = true
  }
  return lines
}

/** How columns of postal addresses are called, in the order of their lines. Common practice, no source. */
const names: [rank: number, name: RegExp][] = [
  [10, /^(company|organi[sz]ation|firm|firma|society|business|employer)( name)?$/],
  [
    20,
    /^(address|postal address|mailing address|post address|home address|anschrift|adresse|dirección|indirizzo|adres)$/,
  ],
  [21, /^(address|address line|line|street|adresse|addr)[ _-]?1$/],
  [21, /^(street|street address|road|straße|strasse|rue|calle|via|straat|gade|gata)$/],
  [22, /^(address|address line|line|street|adresse|addr)[ _-]?2$/],
  [23, /^(address|address line|line|street|adresse|addr)[ _-]?3$/],
  [40, /^(village|district|locality)$/],
  [41, /^(town|city|town(\/| or )city|post town|ort|stadt|ville|ciudad|città|plaats|by|stad)$/],
  [42, /^(county|state|province|region)$/],
  [43, /^(post ?code|postal code|zip|zip code|plz|code postal|código postal|cap|postnummer)$/],
  [60, /^(country|land|pays|país|paese)$/],
]

/** Where in a postal address a column of this name stands, as a number that rises downwards; null when it has no place there. */
function postalRank(name: string): number | null {
  const plain = name.trim().toLowerCase()
  return names.find(([, known]) => known.test(plain))?.[0] ?? null
}

/**
 * Which columns make the postal address, as their names tell: whom it goes to, then street, town, postcode and country. Empty where
 * no name tells of a street or a town. It is a guess, to be looked at.
 */
export function guessPostalColumns(columns: readonly Column[], nameColumns: readonly string[]): PostalColumn[] {
  const found = columns
    .filter((c) => c.kind !== 'address' && !nameColumns.includes(c.id))
    .map((c) => ({ column: c.id, rank: postalRank(c.name) }))
    .filter((c): c is { column: string; rank: number } => c.rank !== null)
    .sort((a, b) => a.rank - b.rank)
  // A company alone, or a country, is no address.
  if (!found.some(({ rank }) => rank >= 20 && rank < 60)) return []
  return [
    ...nameColumns.map((column, i) => ({ column, sameLine: i > 0 })),
    ...found.map(({ column }) => ({ column, sameLine: false })),
  ]
}
