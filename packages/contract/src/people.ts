import { comparisonNames, kinds } from '@hand-post/core'
import { z } from 'zod'
import { route } from './route.ts'

export const id = z.coerce.number().int().positive()
const columnId = z.string().regex(/^c\d+$/)

export const columnSchema = z.object({
  id: columnId,
  name: z.string().min(1).max(200),
  kind: z.enum(kinds),
  dayFirst: z.boolean().optional(),
})
export const cellSchema = z.union([
  z.string(),
  z.object({ shown: z.string(), value: z.union([z.string(), z.number(), z.boolean()]) }),
])
export const rowSchema = z.object({
  id: z.number().int(),
  position: z.number().int(),
  cells: z.record(z.string(), cellSchema),
})

export const listSchema = z.object({
  id: z.number(),
  name: z.string(),
  columns: z.array(columnSchema),
  rowCount: z.number(),
  /** Goes up with every change. */
  version: z.number(),
  /** Where it came from, and sentences about what was skipped or renamed on the way in. */
  source: z.object({ fileName: z.string().nullable(), sheet: z.string().nullable(), said: z.array(z.string()) }),
  createdAt: z.number(),
})
export type List = z.infer<typeof listSchema>

export const readingSchema = z.object({
  id: z.string(),
  fileName: z.string(),
  /** For CSV: what was detected. */
  delimiter: z.string().nullable(),
  encoding: z.string().nullable(),
  sheets: z.array(z.object({ name: z.string(), rows: z.number(), columns: z.number(), hidden: z.boolean() })),
})
export type Reading = z.infer<typeof readingSchema>

export const tableSchema = z.object({
  headingsRow: z.number(),
  columns: z.array(columnSchema),
  /** The sheet's first rows as they stand, for choosing the heading row. */
  firstRows: z.array(z.array(z.string())),
  rowCount: z.number(),
  addressColumn: z.string().nullable(),
  said: z.array(z.string()),
})
export type Table = z.infer<typeof tableSchema>

export const selectionSchema = z.object({
  match: z.enum(['all', 'any']),
  rules: z
    .array(z.object({ column: columnId, comparison: z.enum(comparisonNames), value: z.string().max(500) }))
    .max(50),
})

export const peopleRoutes = {
  readFile: route({
    method: 'POST',
    path: '/api/readings',
    summary: 'Give a .csv or .xlsx file to be read; nothing is stored as a list yet',
    query: z.object({ name: z.string().min(1).max(300) }),
    takesFile: true,
    answer: readingSchema,
  }),
  readTable: route({
    method: 'GET',
    path: '/api/readings/:reading/table',
    summary: 'The table found in a sheet of a read file',
    params: z.object({ reading: z.string() }),
    query: z.object({
      sheet: z.coerce.number().int().min(0).default(0),
      headingsRow: z.coerce.number().int().min(0).optional(),
    }),
    answer: tableSchema,
  }),
  makeList: route({
    method: 'POST',
    path: '/api/lists',
    summary: 'Store the table of a read file as a list',
    body: z.object({
      reading: z.string(),
      sheet: z.number().int().min(0).default(0),
      headingsRow: z.number().int().min(0).optional(),
      name: z.string().max(200).optional(),
    }),
    answer: listSchema,
  }),
  lists: route({ method: 'GET', path: '/api/lists', summary: 'All lists', answer: z.array(listSchema) }),
  list: route({
    method: 'GET',
    path: '/api/lists/:list',
    summary: 'One list',
    params: z.object({ list: id }),
    answer: listSchema,
  }),
  rows: route({
    method: 'GET',
    path: '/api/lists/:list/rows',
    summary: 'Rows of a list, in order',
    params: z.object({ list: id }),
    query: z.object({
      from: z.coerce.number().int().min(0).default(0),
      count: z.coerce.number().int().min(1).max(5000).default(500),
    }),
    answer: z.object({ version: z.number(), rows: z.array(rowSchema) }),
  }),
  changeColumn: route({
    method: 'PATCH',
    path: '/api/lists/:list/columns/:column',
    summary: 'Rename a column (its fields in letters not yet posted follow), or change its kind or day order',
    params: z.object({ list: id, column: columnId }),
    body: z.object({
      name: z.string().trim().min(1).max(200).optional(),
      kind: z.enum(kinds).optional(),
      dayFirst: z.boolean().optional(),
    }),
    answer: listSchema,
  }),
  changeCell: route({
    method: 'PUT',
    path: '/api/lists/:list/rows/:row/cells/:column',
    summary: 'Change one cell',
    params: z.object({ list: id, row: id, column: columnId }),
    body: z.object({ text: z.string().max(100_000) }),
    answer: rowSchema,
  }),
  addRow: route({
    method: 'POST',
    path: '/api/lists/:list/rows',
    summary: 'Add a row at the end',
    params: z.object({ list: id }),
    body: z.object({ cells: z.record(columnId, z.string()).default({}) }),
    answer: rowSchema,
  }),
}
