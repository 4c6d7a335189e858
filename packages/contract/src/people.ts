import { columnIdSchema, kindNames, recipeSchema, selectionSchema } from '@hand-post/core'
import { z } from 'zod'
import { id, largestId } from './ids.ts'
import { route, type Thing } from './route.ts'

export const columnId = columnIdSchema

export const columnSchema = z.object({
  id: columnId,
  name: z.string().trim().min(1).max(200),
  kind: z.enum(kindNames),
  dayFirst: z.boolean().optional(),
  recipe: recipeSchema.optional(),
  width: z.number().min(40).max(1200).optional(),
  hidden: z.boolean().optional(),
  frozen: z.boolean().optional(),
})
export const cellSchema = z.union([
  z.string().max(100_000),
  z.object({ shown: z.string().max(100_000), value: z.union([z.string().max(100_000), z.number(), z.boolean()]) }),
])
export const rowSchema = z.object({
  id: z.number().int(),
  position: z.string(),
  cells: z.record(z.string(), cellSchema),
})
export const sortSchema = z.array(z.object({ column: columnId, descending: z.boolean() })).max(6)

/** Where a list came from. `groups`: taken from contact groups, and can be refreshed from them. */
export const groupPlanSchema = z
  .array(z.object({ group: id, minus: z.boolean() }))
  .min(1)
  .max(20)
export const listSchema = z.object({
  id: z.number(),
  name: z.string(),
  columns: z.array(columnSchema),
  rowCount: z.number(),
  sort: sortSchema,
  /** Goes up with every change. */
  version: z.number(),
  /** Where it came from, and sentences about what was skipped or renamed on the way in. */
  source: z.object({
    fileName: z.string().nullable(),
    sheet: z.string().nullable(),
    /** The number that its first row of people had in the sheet; rows are numbered from it. 1 when left out. */
    firstRow: z.number().int().positive().optional(),
    said: z.array(z.string()),
    groups: groupPlanSchema.optional(),
  }),
  /** Which columns have the names of its people, by the writer's word; null where they were not asked yet, [] is none. */
  nameColumns: z.array(z.string()).nullable(),
  /** Which column has the addresses that are written to, by the writer's word; null where they were not asked yet. */
  addressColumn: z.string().nullable(),
  /** Which columns make the postal address, by the writer's word; null where they were not asked yet. */
  postalColumns: z.array(z.object({ column: z.string(), sameLine: z.boolean() })).nullable(),
  /** The list is the address book: its rows are the contacts. */
  book: z.boolean(),
  /** What undoing would take back, and redoing do again, in words; null when nothing. */
  undo: z.string().nullable(),
  redo: z.string().nullable(),
  createdAt: z.number(),
})
export type List = z.infer<typeof listSchema>

/** A list as the page of all lists shows it: with the rounds that are written to its people, newest first. */
export const listLineSchema = listSchema.extend({
  rounds: z.array(z.object({ id: z.number(), title: z.string(), posted: z.boolean() })),
})
export type ListLine = z.infer<typeof listLineSchema>

const rowId = z.number().int().positive().max(largestId)
/** Edits as they were made, to be made again on a copy of the list with core's `applyEdits`. */
export const editSchema = z.discriminatedUnion('do', [
  z.object({ do: z.literal('cells'), cells: z.array(z.tuple([rowId, columnId, cellSchema.nullable()])) }),
  z.object({ do: z.literal('addRows'), rows: z.array(rowSchema) }),
  z.object({ do: z.literal('deleteRows'), rows: z.array(rowId) }),
  z.object({ do: z.literal('moveRows'), positions: z.array(z.tuple([rowId, z.string()])) }),
  z.object({ do: z.literal('columns'), columns: z.array(columnSchema) }),
  z.object({ do: z.literal('sort'), sort: sortSchema }),
])

const maxCells = 400_000
/** How many rows are asked for by their ids at once. */
export const maxSomeRows = 5000
/** Edits as they are asked for: the desk gives ids and places to what is new. */
export const wishSchema = z.discriminatedUnion('do', [
  z.object({
    do: z.literal('cells'),
    cells: z.array(z.tuple([rowId, columnId, cellSchema.nullable()])).max(maxCells),
  }),
  z.object({
    do: z.literal('addRows'),
    /** The row they come after; null is before all, left out is at the end. */
    after: rowId.nullable().optional(),
    rows: z.array(z.record(columnId, cellSchema)).min(1).max(100_000),
  }),
  z.object({ do: z.literal('deleteRows'), rows: z.array(rowId).min(1).max(200_000) }),
  z.object({ do: z.literal('moveRows'), rows: z.array(rowId).min(1).max(10_000), after: rowId.nullable() }),
  z.object({
    do: z.literal('addColumn'),
    /** The column it stands before; left out, at the end. */
    before: columnId.optional(),
    column: columnSchema.omit({ id: true }),
    /** The column whose cells are copied into it. */
    copyOf: columnId.optional(),
  }),
  z.object({
    do: z.literal('changeColumn'),
    column: columnId,
    changes: columnSchema
      .omit({ id: true, recipe: true })
      .partial()
      .extend({ recipe: recipeSchema.nullable().optional() }),
  }),
  z.object({ do: z.literal('moveColumn'), column: columnId, before: columnId.nullable() }),
  z.object({ do: z.literal('deleteColumn'), column: columnId }),
  z.object({ do: z.literal('sort'), sort: sortSchema }),
  z.object({
    do: z.literal('replace'),
    find: z.string().min(1).max(1000),
    put: z.string().max(1000),
    exactCase: z.boolean().default(false),
    wholeCell: z.boolean().default(false),
    /** The columns that are looked through; all that are typed in when left out. */
    columns: z.array(columnId).optional(),
  }),
])
export type Wish = z.input<typeof wishSchema>

export const editedSchema = z.object({
  list: listSchema,
  edits: z.array(editSchema),
  /** What was done, in words. */
  words: z.string(),
  /** What of others’ changes was left, or written over, in words. */
  said: z.array(z.string()),
})
export type Edited = z.infer<typeof editedSchema>

const list = z.object({ list: id })
export const tableFormats = ['csv', 'xlsx', 'ods', 'vcf'] as const

/** The lists and rounds that recipes look into, wherever they stand. */
function lookedInto(given: unknown): Thing[] {
  if (given === null || typeof given !== 'object') return []
  const { do: does, list, round } = given as { do?: unknown; list?: unknown; round?: unknown }
  return [
    ...(does === 'lookedUp' && typeof list === 'number' ? [{ kind: 'list' as const, id: list }] : []),
    ...(does === 'cameOf' && typeof round === 'number' ? [{ kind: 'round' as const, id: round }] : []),
    ...Object.values(given).flatMap(lookedInto),
  ]
}

export const peopleRoutes = {
  lists: route({
    method: 'GET',
    path: '/api/lists',
    wants: 'writer',
    summary: 'All lists, newest first; the address book is not among them',
    answer: z.array(listLineSchema),
  }),
  list: route({
    method: 'GET',
    path: '/api/lists/:list',
    wants: 'writer',
    summary: 'One list',
    params: list,
    answer: listSchema,
  }),
  startList: route({
    method: 'POST',
    path: '/api/lists/empty',
    wants: 'writer',
    summary: 'Start a list with headings and no rows',
    body: z.object({
      name: z.string().trim().min(1).max(200),
      columns: z
        .array(columnSchema.pick({ name: true, kind: true }))
        .min(1)
        .max(200),
    }),
    answer: listSchema,
  }),
  renameList: route({
    method: 'PATCH',
    path: '/api/lists/:list',
    wants: 'writer',
    summary: 'Rename a list',
    params: list,
    body: z.object({ name: z.string().trim().min(1).max(200) }),
    answer: listSchema,
  }),
  copyList: route({
    method: 'POST',
    path: '/api/lists/:list/copy',
    wants: 'writer',
    summary: 'Make a list of its own from all rows of a list, or some',
    params: list,
    body: z.object({ name: z.string().trim().min(1).max(200), rows: z.array(rowId).optional() }),
    answer: listSchema,
  }),
  deleteList: route({
    method: 'DELETE',
    path: '/api/lists/:list',
    wants: 'writer',
    summary: 'Delete a list that no round uses',
    params: list,
  }),
  rows: route({
    method: 'GET',
    path: '/api/lists/:list/rows',
    wants: 'writer',
    summary: 'Rows of a list in its own order, without what derived columns work out',
    params: list,
    query: z.object({
      from: z.coerce.number().int().min(0).default(0),
      count: z.coerce.number().int().min(1).max(20_000).default(500),
    }),
    answer: z.object({ version: z.number(), rows: z.array(rowSchema) }),
  }),
  someRows: route({
    method: 'POST',
    path: '/api/lists/:list/some-rows',
    wants: 'writer',
    summary:
      'Rows of a list by their ids, in its own order, without what derived columns work out; those that are gone are lacking',
    params: list,
    body: z.object({ rows: z.array(rowId).min(1).max(maxSomeRows) }),
    answer: z.object({ version: z.number(), rows: z.array(rowSchema) }),
  }),
  findCells: route({
    method: 'POST',
    path: '/api/lists/:list/find',
    wants: 'writer',
    summary:
      'The cells of a list in which words stand, behind or before one of them, as the list is sorted and with derived columns; past the end it goes on from the beginning',
    params: list,
    body: z.object({
      words: z.string().min(1).max(1000),
      exactCase: z.boolean().default(false),
      wholeCell: z.boolean().default(false),
      /** The columns that are looked through, in the order in which they stand beside one another. */
      columns: z.array(columnId).min(1).max(1000),
      /** The cell that it begins at; null is before the first. */
      from: z.object({ row: rowId, column: columnId }).nullable().default(null),
      back: z.boolean().default(false),
      most: z.number().int().min(1).max(500).default(1),
    }),
    answer: z.array(z.object({ row: z.number(), column: z.string() })),
  }),
  rowsWith: route({
    method: 'GET',
    path: '/api/lists/:list/rows-with',
    wants: 'writer',
    summary: 'The first rows of a list in any of whose cells words stand, as sorted and with derived columns',
    params: list,
    query: z.object({
      words: z.string().min(1).max(200),
      count: z.coerce.number().int().min(1).max(200).default(50),
    }),
    answer: z.object({ rows: z.array(rowSchema) }),
  }),
  derivedRows: route({
    method: 'GET',
    path: '/api/lists/:list/derived',
    wants: 'writer',
    summary: 'Rows of a list as sorted and with what derived columns work out; and why cells could not be worked out',
    params: list,
    query: z.object({
      from: z.coerce.number().int().min(0).default(0),
      count: z.coerce.number().int().min(1).max(1000).default(100),
    }),
    answer: z.object({
      rows: z.array(rowSchema),
      faults: z.array(z.object({ row: z.number(), column: z.string(), why: z.string() })),
    }),
  }),
  order: route({
    method: 'GET',
    path: '/api/lists/:list/order',
    wants: 'writer',
    summary: 'The ids of all rows as the list is sorted, or in its own order',
    params: list,
    query: z.object({ own: z.literal('yes').optional() }),
    answer: z.object({ version: z.number(), rows: z.array(z.number()) }),
  }),
  columnValues: route({
    method: 'GET',
    path: '/api/lists/:list/columns/:column/values',
    wants: 'writer',
    summary: 'The different values of a column, with the number of rows that have each; those of most rows first',
    params: list.extend({ column: columnId }),
    query: z.object({
      /** Only values that contain this. */
      find: z.string().max(200).default(''),
      count: z.coerce.number().int().min(1).max(200).default(50),
    }),
    answer: z.object({
      values: z.array(z.object({ value: z.string(), rows: z.number() })),
      /** How many different values fit. */
      different: z.number(),
      blank: z.number(),
    }),
  }),
  editList: route({
    method: 'POST',
    path: '/api/lists/:list/edits',
    wants: 'writer',
    changes: 'list',
    summary:
      'Change rows and columns of a list; all of it or nothing. Fields and letters not yet posted follow a renamed column',
    names: ({ body }) => lookedInto(body),
    params: list,
    body: z.object({
      wishes: z.array(wishSchema).min(1).max(100),
      /** What undoing it will be called. */
      words: z.string().trim().min(1).max(200).default('Change'),
      /** The version of the list that was looked at: it is said what others have written since, where this is written over it. */
      seen: z.number().int().min(0).optional(),
    }),
    answer: editedSchema,
  }),
  undoEdit: route({
    method: 'POST',
    path: '/api/lists/:list/undo',
    wants: 'writer',
    changes: 'list',
    summary:
      'Take back one’s own last change that was not taken back yet, all the way to the beginning; what others have made of it since stays',
    params: list,
    answer: editedSchema,
  }),
  redoEdit: route({
    method: 'POST',
    path: '/api/lists/:list/redo',
    wants: 'writer',
    changes: 'list',
    summary: 'Do again what one has taken back last',
    params: list,
    answer: editedSchema,
  }),
  tryRecipe: route({
    method: 'POST',
    path: '/api/lists/:list/try',
    wants: 'writer',
    summary: 'What a recipe would give for the first rows of a list; nothing is stored',
    names: ({ body }) => lookedInto(body),
    params: list,
    body: z.object({ recipe: recipeSchema, rows: z.number().int().min(1).max(50).default(5) }),
    answer: z.object({
      cells: z.array(z.object({ shown: z.string(), fault: z.string().nullable() })),
      /** How many cells of the whole list could not be worked out. */
      faults: z.number(),
    }),
  }),
  listFile: route({
    method: 'GET',
    path: '/api/lists/:list/file',
    wants: 'writer',
    summary: 'A list as a file: CSV (RFC 4180), .xlsx (ECMA-376), .ods (ISO 26300) or vCard (RFC 6350)',
    params: list,
    query: z.object({ as: z.enum(tableFormats) }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
  sampleTable: route({
    method: 'GET',
    path: '/api/sample-table',
    wants: 'writer',
    summary: 'A small table to start from: headings and two made-up rows',
    query: z.object({ as: z.enum(['csv', 'xlsx', 'ods']) }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
  savedRules: route({
    method: 'GET',
    path: '/api/rules',
    wants: 'writer',
    summary: 'Rules that were saved, with the names of the columns they speak of',
    answer: z.array(
      z.object({
        id: z.number(),
        name: z.string(),
        selection: selectionSchema,
        columns: z.record(z.string(), z.string()),
      }),
    ),
  }),
  saveRules: route({
    method: 'POST',
    path: '/api/rules',
    wants: 'writer',
    summary: 'Save rules under a name, for other rounds and lists; the same name is replaced',
    body: z.object({
      name: z.string().trim().min(1).max(100),
      selection: selectionSchema,
      /** The name of each column that they speak of, by its id. */
      columns: z.record(columnId, z.string()),
    }),
    answer: z.object({ id: z.number() }),
  }),
  forgetRules: route({
    method: 'DELETE',
    path: '/api/rules/:rules',
    wants: 'writer',
    summary: 'Forget saved rules',
    params: z.object({ rules: id }),
  }),
}
