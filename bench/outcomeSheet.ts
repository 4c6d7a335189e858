import { createRequire } from 'node:module'
import type * as Xlsx from '@e965/xlsx'
import type { AddedCell } from '../packages/server/src/people/workbook/addColumns.ts'
import { intoWorkbook } from '../packages/server/src/responses/outcomeSheet.ts'
import { print, quickest, sized } from './measure.ts'

// The outcomes of 50,000 rows put into the workbook that they came from, against what a library for workbooks takes to read and write it.
const SheetJs = createRequire(import.meta.url)('@e965/xlsx') as typeof Xlsx
const rows = sized(50_000)
const book = SheetJs.utils.book_new()
SheetJs.utils.book_append_sheet(
  book,
  SheetJs.utils.aoa_to_sheet([
    ['Name', 'Email', 'Berth', 'Fee', 'Due', 'Group'],
    ...Array.from({ length: rows }, (_, i) => [
      `Person ${i}`,
      `person${i}@village.example`,
      `A${i % 90}`,
      100 + i / 4,
      46_000 + (i % 300),
      'Pontoon A',
    ]),
  ]),
  'People',
)
const bytes: Buffer = SheetJs.write(book, { type: 'buffer', bookType: 'xlsx', compression: true })

const wall = Date.UTC(2026, 10, 5, 10)
const cells = (i: number): AddedCell[] => [
  { text: i % 3 ? 'opened' : 'replied' },
  { wall },
  { wall: wall + i * 60_000 },
  i % 3 ? null : { wall: wall + i * 90_000 },
  i % 3 ? null : { text: 'Thank you, that suits me well. I shall come by on Thursday.' },
  { number: i % 3 },
]
const added = {
  sheet: 0,
  headingsAt: 1,
  headings: ['Outcome', 'Sent', 'Opened', 'Answered', 'Their words', 'Times chased'],
  rows: new Map(Array.from({ length: rows }, (_, i) => [i + 2, cells(i)])),
}
const { People: read } = SheetJs.read(await intoWorkbook(bytes, 'people.xlsx', added)).Sheets
if (read[`L${rows + 1}`]?.v !== (rows - 1) % 3) throw new Error('The outcomes are not in it.')
const [ours, bare] = await quickest(
  5,
  () => intoWorkbook(bytes, 'people.xlsx', added),
  () => SheetJs.write(SheetJs.read(bytes), { type: 'buffer', bookType: 'xlsx', compression: true }),
)
print({
  name: `Outcomes of ${rows.toLocaleString('en-GB')} rows put into their workbook`,
  ours,
  baseline: bare,
  unit: 'ms',
  asked: 'at most 1.3 times reading and writing it by the library alone',
  kept: ours <= bare * 1.3,
})
