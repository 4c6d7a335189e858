import type { Cell, SheetCells, TableFound } from '@hand-post/core'
import * as people from '../src/people/readFile.ts'
import type { SheetRead } from '../src/people/workbook/sheet.ts'

// Tables as the program reads them, with all their rows at hand.

type Whole = Omit<people.FileRead, 'sheets'> & { sheets: (Omit<SheetRead, 'rows'> & { rows: SheetCells[] })[] }

const whole = (read: people.FileRead): Whole => ({
  ...read,
  sheets: read.sheets.map((sheet) => ({ ...sheet, rows: [...sheet.rows] })),
})

export const readTableFile = async (...given: Parameters<typeof people.readTableFile>): Promise<Whole> =>
  whole(await people.readTableFile(...given))
export const readPasted = (text: string): Whole => whole(people.readPasted(text))
/** The rows of a table that was found. */
export const rowsFound = (found: TableFound): Record<string, Cell>[] => [...found.rows()]
