import { workbookLanguages } from '@hand-post/core'
import { z } from 'zod'
import { id } from './ids.ts'
import { columnId, columnSchema, editedSchema, groupPlanSchema, listSchema } from './people.ts'
import { route } from './route.ts'

export const readingSchema = z.object({
  id: z.string(),
  fileName: z.string(),
  /** For text: what was detected. */
  delimiter: z.string().nullable(),
  encoding: z.string().nullable(),
  quote: z.string().nullable(),
  /** For a workbook: the language by which names and separators are written (BCP 47). */
  language: z.string().nullable(),
  sheets: z.array(
    z.object({
      name: z.string(),
      rows: z.number(),
      columns: z.number(),
      hidden: z.boolean(),
      /** Whether addresses stand in it. */
      hasAddresses: z.boolean(),
      /** The first cells of its fullest row, as a glimpse. */
      glimpse: z.array(z.string()),
    }),
  ),
})
export type Reading = z.infer<typeof readingSchema>

/** What a text says as JSON; the text itself, which fits nothing, when it says nothing. */
function fromJson(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}

/** How a file that was read is to be understood; what is left out is found. */
export const readingOptions = z.object({
  sheet: z.coerce.number().int().min(0).default(0),
  headingsRow: z.coerce.number().int().min(0).optional(),
  /** How many rows the headings take: none, one, or two of which the upper names groups. */
  headingRows: z.coerce
    .number()
    .pipe(z.union([z.literal(0), z.literal(1), z.literal(2)]))
    .optional(),
  /** Index of the last row of the table. */
  lastRow: z.coerce.number().int().min(0).optional(),
  /** Whether rows and columns that the workbook hides are brought in. */
  hidden: z.enum(['in', 'out']).optional(),
  delimiter: z.string().length(1).optional(),
  encoding: z.enum(['utf-8', 'utf-16le', 'utf-16be', 'windows-1252']).optional(),
  quote: z.enum(['"', "'", 'none']).optional(),
  /** For a workbook: the language of names and separators where its formats name none. */
  language: z.enum(workbookLanguages as [string, ...string[]]).optional(),
  /** Names of the columns whose dates are read month first, as JSON or an array. */
  monthFirst: z
    .preprocess((v) => (typeof v === 'string' ? fromJson(v) : v), z.array(z.string().max(300)).max(200))
    .optional(),
})

export const tableSchema = z.object({
  headingsRow: z.number(),
  headingRows: z.union([z.literal(0), z.literal(1), z.literal(2)]),
  /** A cell of the first row that reads as somebody's own and not as a heading; null where there is no doubt. */
  doubtfulHeading: z.string().nullable(),
  language: z.string().nullable(),
  lastRow: z.number(),
  columns: z.array(columnSchema),
  /** The sheet's first rows as they stand, for choosing the heading row. */
  firstRows: z.array(z.array(z.string())),
  /** Its last rows, for choosing where the table ends, with the index of the first of them. */
  lastRows: z.object({ from: z.number(), rows: z.array(z.array(z.string())) }),
  rowCount: z.number(),
  sheetRows: z.number(),
  addressColumn: z.string().nullable(),
  /** All columns of addresses, each with the first of them. */
  addressColumns: z.array(z.object({ id: columnId, name: z.string(), example: z.string() })),
  /** Rows and columns that the workbook hides, and rows that a filter of it leaves out; asked once whether they are wanted. */
  hidden: z.object({ rows: z.number(), filtered: z.number(), columns: z.number() }),
  /** Names of columns whose dates could be read either way round, with a cell for example. */
  undecided: z.array(z.object({ name: z.string(), example: z.string() })),
  said: z.array(z.string()),
})
export type Table = z.infer<typeof tableSchema>

/** Where a newer table for a list comes from: a file that was read, or the groups that the list was made from. */
const newerSchema = z.union([readingOptions.extend({ reading: z.string() }), z.object({ groups: groupPlanSchema })])

const change = z.object({ column: z.string(), from: z.string(), to: z.string() })
export const comparisonSchema = z.object({
  /** The column by which rows are matched, and the ones that could serve. */
  key: z.string(),
  possibleKeys: z.array(z.string()),
  added: z.array(z.object({ index: z.number(), person: z.string(), cells: z.array(z.string()) })),
  changed: z.array(z.object({ row: z.number(), person: z.string(), changes: z.array(change) })),
  gone: z.array(z.object({ row: z.number(), person: z.string() })),
  unchanged: z.number(),
  newColumns: z.array(columnSchema),
  missingColumns: z.array(z.string()),
  unmatched: z.array(z.string()),
  /** What was left out or is in doubt of the newer table. */
  said: z.array(z.string()),
})
export type ListComparison = z.infer<typeof comparisonSchema>

export const readingRoutes = {
  readFile: route({
    method: 'POST',
    path: '/api/readings',
    wants: 'writer',
    summary:
      'Give a table to be read: .csv, .tsv, .txt, .xlsx, .ods or .vcf, or pasted cells or addresses as text; nothing is stored as a list yet',
    query: z.object({ name: z.string().min(1).max(300), pasted: z.enum(['yes']).optional() }),
    takesFile: true,
    answer: readingSchema,
  }),
  readTable: route({
    method: 'GET',
    path: '/api/readings/:reading/table',
    wants: 'writer',
    summary: 'The table found in a sheet of a read file',
    params: z.object({ reading: z.string() }),
    query: readingOptions,
    answer: tableSchema,
  }),
  makeList: route({
    method: 'POST',
    path: '/api/lists',
    wants: 'writer',
    summary: 'Store the table of a read file as a list',
    body: readingOptions.extend({
      reading: z.string(),
      name: z.string().max(200).optional(),
      /** The column, by its id in the table found, whose addresses are written to; left out, the likeliest. */
      addressColumn: columnId.optional(),
    }),
    answer: listSchema,
  }),
  compareList: route({
    method: 'POST',
    path: '/api/lists/:list/compare',
    wants: 'writer',
    summary: 'What a newer table would change in a list: who is new, changed and gone. Nothing is changed',
    params: z.object({ list: id }),
    body: z.object({ newer: newerSchema, key: columnId.optional() }),
    answer: comparisonSchema,
  }),
  updateList: route({
    method: 'POST',
    path: '/api/lists/:list/update',
    wants: 'writer',
    changes: 'list',
    summary: 'Take over what is wanted of a newer table; can be undone as one change',
    params: z.object({ list: id }),
    body: z.object({
      newer: newerSchema,
      key: columnId,
      /** The version of the list that was compared; another one changes nothing. */
      version: z.number(),
      added: z.array(z.number().int()),
      changed: z.array(z.number().int()),
      gone: z.array(z.number().int()),
      newColumns: z.array(columnId),
    }),
    answer: editedSchema,
  }),
}
