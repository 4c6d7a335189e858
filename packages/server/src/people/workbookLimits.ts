import { eachTag } from '../files/xml.ts'

/** The most rows and columns that a sheet has (ECMA-376 Part 1, 18.3.1.73 and 18.18.7, as the programs that write them keep to). */
export const mostRows = 1_048_576
export const mostColumns = 16_384
/** The most filled cells that are read of a workbook, and how many merged ranges, covering how many rows together. */
const mostCells = 5_000_000
const mostMerged = 100_000
const mostMergedRows = 2_000_000
const say = (n: number) => n.toLocaleString('en-GB')
const tooFar = (what: string, n: number, most: number) =>
  `it numbers a ${what} ${say(n)}, and a sheet has ${say(most)} at most; the file is damaged.`
const tooMany = (n: number) => `it has more than ${say(n)} filled cells, more than a list can have.`

/** The largest number that readers could make of an attribute, whatever prefix it has; `standard` when it is not there. */
function numberOf(tag: string, attribute: string, standard: number): number {
  let found = standard
  for (const [, name, value] of tag.matchAll(/[\s"'](?:[\w-]{1,100}:)?([\w-]{1,100})\s?=\s?["']([^"']{0,100})/g))
    if (name === attribute) found = Math.max(found, Number(value) || 0, Number.parseInt(value, 10) || 0)
  return found
}

/** The column's number in a reference such as "AB12" (from 1), and the row's. */
function placeOf(reference: string): { column: number; row: number } {
  const [, letters = '', digits = ''] = /^\$?([A-Z]{0,20})\$?(\d{0,20})/.exec(reference) ?? []
  let column = 0
  for (const letter of letters) column = 26 * column + letter.charCodeAt(0) - 64
  return { column, row: Number(digits) }
}

/** Looks through a sheet of a .xlsx workbook (ECMA-376) before a reader sees it. Gives what forbids reading it, in words, or null. */
function sheetFault(xml: string, filled: { cells: number }): string | null {
  let row = 0
  let merged = 0
  let mergedRows = 0
  return eachTag(xml, (name, tag, closes) => {
    if (closes) return null
    if (name === 'row') {
      row = Math.max(row + 1, numberOf(tag, 'r', 0))
      return row > mostRows ? tooFar('row', row, mostRows) : null
    }
    if (name === 'c') {
      const reference = /\sr\s?=\s?["']([^"']{0,100})/.exec(tag)?.[1]
      const { column } = placeOf(reference ?? '')
      if (column > mostColumns) return tooFar('column', column, mostColumns)
      return ++filled.cells > mostCells ? tooMany(mostCells) : null
    }
    if (name === 'col') {
      const last = Math.max(numberOf(tag, 'max', 1), numberOf(tag, 'min', 1))
      return last > mostColumns ? tooFar('column', last, mostColumns) : null
    }
    if (name === 'mergeCell') {
      const [from, to] = (/\sref\s?=\s?["']([^"']{0,100})/.exec(tag)?.[1] ?? '').split(':').map(placeOf)
      mergedRows += Math.max(0, Math.min(to?.row ?? 0, mostRows) - (from?.row ?? 0))
      return ++merged > mostMerged || mergedRows > mostMergedRows
        ? 'it has more merged cells than a sheet has; the file is damaged.'
        : null
    }
    return null
  })
}

/** Looks through the content of an OpenDocument workbook (ISO 26300) as {@link sheetFault} does. */
function openDocumentFault(xml: string, filled: { cells: number }): string | null {
  let row = 0
  let repeated = 1
  let column = 0
  let merged = 0
  let mergedRows = 0
  return eachTag(xml, (name, tag, closes) => {
    // A reader here also takes the names of an older standard, in which rows bear their own number.
    if (tag.includes('è¡\x8cå\x8f·')) return 'it is of a kind that is not read here. Save it as .ods or .xlsx.'
    if (name === 'table' && !closes) row = 0
    else if (name === 'table-row') {
      column = 0
      if (closes) row += repeated
      else {
        repeated = Math.max(1, numberOf(tag, 'number-rows-repeated', 1))
        // Without anything in it, it ends here.
        if (tag.endsWith('/>')) row += repeated
      }
    } else if ((name === 'table-cell' || name === 'covered-table-cell') && !closes) {
      const times = Math.max(1, numberOf(tag, 'number-columns-repeated', 1))
      const empty = tag.endsWith('/>') && !/value-type/.test(tag)
      if (!empty && name === 'table-cell') {
        if (row + repeated > mostRows) return tooFar('row', row + repeated, mostRows)
        if (column + times > mostColumns) return tooFar('column', column + times, mostColumns)
        filled.cells += times * repeated
        if (filled.cells > mostCells) return tooMany(mostCells)
        const down = numberOf(tag, 'number-rows-spanned', 1)
        if (down > 1) {
          merged++
          mergedRows += Math.min(down, mostRows)
          if (merged > mostMerged || mergedRows > mostMergedRows)
            return 'it has more merged cells than a sheet has; the file is damaged.'
        }
      }
      column += times
    }
    return null
  })
}

/**
 * Looks through the parts of a workbook before a reader sees them: rows, columns and repeats that are numbered beyond what a sheet
 * has would have the reader work without an end.
 * @returns what forbids reading it, in words, or null.
 */
export function workbookFault(parts: ReadonlyMap<string, Buffer>): string | null {
  const filled = { cells: 0 }
  for (const [path, content] of parts) {
    const look = /^\/?xl\/(worksheets|macrosheets|dialogsheets|chartsheets)\//i.test(path)
      ? sheetFault
      : /(^|\/)content\.xml$/i.test(path)
        ? openDocumentFault
        : null
    const fault = look?.(content.toString('latin1'), filled) ?? null
    if (fault !== null) return fault
  }
  return null
}
