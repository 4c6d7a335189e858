import { type Cell, type CellFormat, compileCellFormat, isoDuration, isoOfSerial, type Sheet } from '@hand-post/core'

/** One sheet as it stands in the file. */
export interface SheetRead {
  name: string
  hidden: boolean
  rows: Sheet
  /** Indexes of rows and columns that the workbook hides, and of the rows that a filter of it leaves out. */
  hiddenRows: number[]
  hiddenColumns: number[]
  filteredRows: number[]
  /** Cells that are merged in a heading or over several columns: from which column to which, by row. */
  merges: { row: number; from: number; to: number }[]
  /** Number formats that are not understood, by column, each with what a cell shows here. */
  unclear: { column: number; format: string; sample: string }[]
  /** Errors of formulas, by column: how many, and the first. */
  errors: { column: number; count: number; sample: string }[]
  said: string[]
}

/** A cell that is merged over others, as it stands in a workbook: from which row and column, to which. */
export interface Merge {
  top: number
  left: number
  bottom: number
  right: number
}

/** The formats of a workbook, each compiled once. */
export class Formats {
  private readonly known = new Map<string, CellFormat>()
  constructor(readonly language: string) {}
  of(code: string): CellFormat {
    let found = this.known.get(code)
    if (!found) {
      found = compileCellFormat(code, this.language)
      this.known.set(code, found)
    }
    return found
  }
}

/** Puts the cells of one sheet together, and keeps what is to be said of them. */
export class SheetMaker {
  readonly rows: (Cell | undefined)[][] = []
  readonly hiddenRows: number[] = []
  readonly filteredRows: number[] = []
  readonly hiddenColumns: number[] = []
  readonly merges: Merge[] = []
  private readonly unclear = new Map<number, { column: number; format: string; sample: string }>()
  private readonly errors = new Map<number, { column: number; count: number; sample: string }>()

  put(row: number, column: number, cell: Cell | undefined): void {
    if (cell === undefined) return
    while (this.rows.length <= row) this.rows.push([])
    this.rows[row][column] = cell
  }

  /** A text as its format shows it: by the fourth section or by the @ in it; of other formats it takes nothing. */
  words(column: number, text: string, format: CellFormat, code: string): string | undefined {
    if (code === '@' || !/@|(?:;[^;]{0,300}){3}/.test(code)) return text
    const seen = format.show(text)
    this.noteUnclear(column, format, code, seen)
    return seen || undefined
  }

  private noteUnclear(column: number, format: CellFormat, code: string, sample: string): void {
    if (format.unclear !== null && !this.unclear.has(column)) this.unclear.set(column, { column, format: code, sample })
  }

  /** A number as its format shows it. `serial` is the same number counted in the 1900 system. */
  number(column: number, value: number, serial: number, format: CellFormat, code: string): Cell | undefined {
    const isDay = format.means === 'date' || format.means === 'dateTime'
    const text = format.show(isDay ? serial : value)
    this.noteUnclear(column, format, code, text)
    // A format may show nothing at all of a value (";;;"): then the cell is blank, as it is to whoever looks at it.
    if (text === '') return undefined
    switch (format.means) {
      case 'date':
      case 'dateTime':
        return { shown: text, value: isoOfSerial(serial) }
      case 'time': {
        // A time of day is a part of one; with whole days beside it, it is a day of which the time is shown.
        const iso = isoOfSerial(value >= 0 && value < 1 ? value : serial)
        return { shown: text, value: value >= 0 && value < 1 ? (iso.split('T')[1] ?? '00:00') : iso }
      }
      case 'duration':
        return { shown: text, value: isoDuration(value * 86_400) }
      default:
        return text === String(value) ? text : { shown: text, value }
    }
  }

  error(column: number, text: string): Cell {
    const found = this.errors.get(column) ?? { column, count: 0, sample: text }
    found.count++
    this.errors.set(column, found)
    return text
  }

  /** The sheet, with its merged cells filled downwards. */
  done(name: string, hidden: boolean): SheetRead {
    const { rows } = this
    const said: string[] = []
    // A cell merged downwards means its value for every row that it covers.
    let mergedDown = 0
    const merges: SheetRead['merges'] = []
    for (const { top, left, bottom, right } of this.merges) {
      if (right > left) merges.push({ row: top, from: left, to: right })
      const value = rows[top]?.[left]
      if (bottom === top || value === undefined) continue
      mergedDown++
      for (let r = top + 1; r <= bottom && r < rows.length; r++) rows[r][left] ??= value
    }
    for (let r = 0; r < rows.length; r++)
      // Cells that were never written are blank ones.
      for (let c = 0; c < rows[r].length; c++) if (!(c in rows[r])) rows[r][c] = undefined
    while (rows.length > 0 && rows.at(-1)!.every((cell) => cell === undefined)) rows.pop()
    if (mergedDown > 0)
      said.push(
        `${mergedDown} ${mergedDown === 1 ? 'cell is' : 'cells are'} merged over several rows; each of the rows was given the value.`,
      )
    const within = (all: number[]) => all.filter((n) => n < rows.length)
    const width = rows.reduce((most, row) => Math.max(most, row.length), 0)
    return {
      name,
      hidden,
      rows,
      hiddenRows: within(this.hiddenRows),
      filteredRows: within(this.filteredRows),
      hiddenColumns: this.hiddenColumns.filter((n) => n < width),
      merges,
      unclear: [...this.unclear.values()],
      errors: [...this.errors.values()].sort((a, b) => a.column - b.column),
      said,
    }
  }
}
