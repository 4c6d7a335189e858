import { readFile } from 'node:fs/promises'
import { basename } from 'node:path'
import type { Edited, ListComparison, Reading, Table, Wish } from '@hand-post/contract'
import {
  applyEdit,
  applyEdits,
  type Column,
  callName,
  changeFields,
  changeTyped,
  columnLetters,
  columnsOfRecipe,
  compareWithNewer,
  compileRecipes,
  type Edit,
  type Field,
  findAddressColumn,
  findHeadings,
  findNameColumns,
  findNames,
  findTable,
  type HeadingRows,
  type HeadingsFound,
  inverseOfAll,
  kindOfRecipe,
  type ListState,
  type NamesFound,
  type NewerTable,
  newColumnId,
  placesBetween,
  possibleKeys,
  type Recipe,
  type Row,
  replacer,
  sameAddressKey,
  shown,
  type TableFound,
  updateEdits,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { bookId, groups, joinMemberships } from '../people/bookStore.ts'
import { type FileOptions, type FileRead, readPasted, readTableFile, rowsWanted } from '../people/readFile.ts'
import {
  editToRedo,
  editToUndo,
  insertList,
  keepEdit,
  listById,
  markUndone,
  nextIds,
  writeEdits,
} from '../people/store.ts'
import type { SheetRead } from '../people/workbook/sheet.ts'
import { type TableFormat, writeSample, writeTable } from '../people/writeFile.ts'
import { Refusal } from '../problem.ts'
import { draftsWithList, updateRound } from '../rounds/store.ts'
import type { JobContext } from './jobs.ts'
import { keepRows, loadList, storedRows } from './loadList.ts'

/** How a file is to be understood, as the API gives it. */
export interface ReadingOptions extends FileOptions {
  sheet: number
  headingsRow?: number
  headingRows?: HeadingRows
  lastRow?: number
  hidden?: 'in' | 'out'
  monthFirst?: string[]
}

/** A file that was given to be read. */
export interface GivenFile {
  path: string
  name: string
  pasted: boolean
}

/** Files read lately, by reading id and how they are read. */
const readings = new Map<string, FileRead>()

async function fileRead({ path, name, pasted }: GivenFile, options: FileOptions): Promise<FileRead> {
  const key = [basename(path), options.delimiter, options.encoding, options.quote, options.language].join('|')
  let read = readings.get(key)
  if (!read) {
    const bytes = await readFile(path)
    read = pasted ? readPasted(bytes.toString('utf8')) : await readTableFile(bytes, name, options)
    readings.set(key, read)
    for (const old of readings.keys()) if (readings.size > 3) readings.delete(old)
  }
  return read
}

function sheetOf(read: FileRead, index: number): SheetRead {
  const sheet = read.sheets[index]
  if (!sheet)
    throw new Refusal(
      404,
      `The file has ${read.sheets.length} sheets; there is no number ${index + 1}.`,
      'No such sheet',
    )
  return sheet
}

async function tableOf(file: GivenFile, options: ReadingOptions) {
  const read = await fileRead(file, options)
  const sheet = sheetOf(read, options.sheet)
  for (const row of [options.headingsRow, options.lastRow])
    if (row !== undefined && row >= sheet.rows.length)
      throw new Refusal(422, `The sheet has ${sheet.rows.length} rows; there is no row ${row + 1} in it.`)
  const hidden = options.hidden ?? 'in'
  const headings: HeadingsFound = findHeadings(rowsWanted(sheet, hidden), sheet.merges)
  const headingsRow = options.headingsRow ?? headings.row
  const headingRows = options.headingRows ?? (options.headingsRow === undefined ? headings.rows : 1)
  const rows = rowsWanted(sheet, hidden, headingsRow, headingRows)
  const found = findTable(rows, { ...options, headingsRow, headingRows })
  // Whoever chose the headings was asked already.
  const doubtful = options.headingsRow === undefined && options.headingRows === undefined ? headings.doubtful : null
  return {
    read,
    sheet,
    rows,
    found,
    doubtful,
    said: [...sheet.said, ...cellsSaid(sheet, found), ...found.said],
  }
}

/** What is said of cells by their columns: failed formulas, and formats that are not understood. */
function cellsSaid(sheet: SheetRead, found: TableFound): string[] {
  const nameOf = (column: number) =>
    found.columns[found.columnIndexes.indexOf(column)]?.name.slice(0, 60) ?? `Column ${columnLetters(column)}`
  return [
    ...sheet.errors.map(
      ({ column, count, sample }) =>
        `“${nameOf(column)}” has ${count.toLocaleString('en-GB')} ${count === 1 ? 'cell' : 'cells'} in which a formula of the workbook failed (${sample}). The proof stops where one is used.`,
    ),
    ...sheet.unclear.map(
      ({ column, format, sample }) =>
        `“${nameOf(column)}” is written by a number format that is not known here (${format.slice(0, 60)}). Its cells are read like “${sample.slice(0, 60)}”: look whether that is what the workbook shows.`,
    ),
  ]
}

/** The newer table that a list is compared with: from a file, or from the groups that the list was made of. */
export type Newer = { file: GivenFile; options: ReadingOptions } | { groups: { group: number; minus: boolean }[] }

async function newerTable(db: Database, newer: Newer, now: number): Promise<NewerTable & { said: string[] }> {
  if ('file' in newer) {
    const { found, sheet, said, doubtful } = await tableOf(newer.file, newer.options)
    const hidden = sheet.hiddenRows.length + sheet.filteredRows.length
    return {
      columns: found.columns,
      rows: found.rows,
      said: [
        ...(doubtful === null
          ? []
          : [`Its first row, with “${doubtful}”, was taken for somebody’s own: it has no headings.`]),
        ...(hidden === 0
          ? []
          : [
              `${hidden} ${hidden === 1 ? 'row' : 'rows'} of it that the workbook keeps out of sight are compared too.`,
            ]),
        ...said,
      ],
    }
  }
  const { columns, rows } = await peopleOfGroups(db, newer.groups, now)
  return { columns, rows: rows.map((row) => row.cells), said: [] }
}

/** The contacts of some groups less those of others, in the order of the address book. */
async function peopleOfGroups(db: Database, plan: { group: number; minus: boolean }[], now: number) {
  const { list, rows } = await loadList(db, await bookId(db, now), '')
  const members = new Map((await groups(db)).map((g) => [g.id, new Set(g.members)]))
  for (const { group } of plan)
    if (!members.has(group))
      throw new Refusal(
        404,
        'One of the groups that this list was made of is gone. Nothing was changed.',
        'No such group',
      )
  const isIn = (row: Row, minus: boolean) => plan.some((p) => p.minus === minus && members.get(p.group)!.has(row.id))
  return {
    columns: list.columns.map(({ recipe: _, ...column }) => column),
    rows: rows.filter((row) => isIn(row, false) && !isIn(row, true)),
  }
}

/** Turns what is asked for into edits of the list as it stands. */
function editsFor(state: ListState, wishes: Wish[], next: { row: number; column: number }): Edit[] {
  const edits: Edit[] = []
  const make = (edit: Edit) => {
    edits.push(edit)
    state = applyEdit(state, edit)
  }
  const column = (id: string): Column => {
    const found = state.columns.find((c) => c.id === id)
    if (!found) throw new Refusal(404, 'The list no longer has that column. Nothing was changed.', 'No such column')
    return found
  }
  const typedIn = (id: string) => {
    const { name, recipe } = column(id)
    if (recipe)
      throw new Refusal(
        409,
        `“${name}” is worked out from other columns, so nothing can be typed into it. Change its recipe, or the columns that it reads.`,
        'Derived column',
      )
  }
  /** The places before and after a row. */
  const around = (
    after: number | null | undefined,
    moved: ReadonlySet<number> = new Set(),
  ): [string | null, string | null] => {
    const rows = state.rows.filter((r) => !moved.has(r.id))
    if (after === undefined) return [rows.at(-1)?.position ?? null, null]
    if (after === null) return [null, rows[0]?.position ?? null]
    const at = rows.findIndex((r) => r.id === after)
    if (at < 0)
      throw new Refusal(404, 'The row after which it should stand is gone. Nothing was changed.', 'No such row')
    return [rows[at].position, rows[at + 1]?.position ?? null]
  }
  /** Columns are called differently, and recipes read columns that are there. */
  const putColumns = (columns: Column[]) => {
    const names = new Set<string>()
    for (const { name } of columns) {
      const key = name.trim().toLowerCase()
      if (names.has(key))
        throw new Refusal(
          409,
          `Another column is called “${name}” already. Choose another name; fields could not tell them apart.`,
          'Name taken',
        )
      names.add(key)
    }
    make({ do: 'columns', columns })
  }
  const withKind = (of: Column): Column => (of.recipe ? { ...of, kind: kindOfRecipe(of.recipe, state.columns) } : of)

  for (const wish of wishes) {
    switch (wish.do) {
      case 'cells': {
        const there = new Set(state.rows.map((r) => r.id))
        for (const id of new Set(wish.cells.map(([, c]) => c))) typedIn(id)
        const gone = wish.cells.find(([row]) => !there.has(row))
        if (gone) throw new Refusal(404, 'One of the rows is gone. Nothing was changed.', 'No such row')
        make({
          do: 'cells',
          // A text is kept as people see it, without the spaces around it.
          cells: wish.cells.map(([row, id, cell]) => {
            const kept = typeof cell === 'string' ? cell.trim() : cell
            return [row, id, kept === '' ? null : kept]
          }),
        })
        break
      }
      case 'addRows': {
        for (const id of new Set(wish.rows.flatMap((r) => Object.keys(r)))) typedIn(id)
        const places = placesBetween(...around(wish.after), wish.rows.length)
        make({
          do: 'addRows',
          rows: wish.rows.map((cells, i) => ({
            id: next.row + i,
            position: places[i],
            cells: Object.fromEntries(Object.entries(cells).filter(([, cell]) => shown(cell).trim() !== '')),
          })),
        })
        next.row += wish.rows.length
        break
      }
      case 'deleteRows':
        make({ do: 'deleteRows', rows: wish.rows })
        break
      case 'moveRows': {
        const moved = new Set(wish.rows)
        const places = placesBetween(...around(wish.after, moved), wish.rows.length)
        make({ do: 'moveRows', positions: wish.rows.map((id, i): [number, string] => [id, places[i]]) })
        break
      }
      case 'addColumn': {
        const id = newColumnId([...state.columns.map((c) => c.id), `c${next.column - 1}`])
        next.column = Number(id.slice(1)) + 1
        const columns = [...state.columns]
        const at = wish.before === undefined ? columns.length : columns.indexOf(column(wish.before))
        columns.splice(at, 0, withKind({ ...wish.column, id }))
        putColumns(columns)
        if (wish.copyOf !== undefined) {
          const from = column(wish.copyOf).id
          const cells = state.rows.flatMap((r): [number, string, Row['cells'][string]][] =>
            r.cells[from] === undefined ? [] : [[r.id, id, r.cells[from]]],
          )
          if (cells.length > 0) make({ do: 'cells', cells })
        }
        break
      }
      case 'changeColumn': {
        const { recipe, ...changes } = wish.changes
        const was = column(wish.column)
        const changed: Column = { ...was, ...changes, ...(recipe ? { recipe } : {}) }
        if (recipe === null) delete changed.recipe
        putColumns(state.columns.map((c) => (c.id === was.id ? withKind(changed) : c)))
        // What is typed into a column makes no sense beside a recipe.
        if (recipe && !was.recipe) {
          const cells = state.rows.flatMap((r): [number, string, null][] =>
            r.cells[was.id] === undefined ? [] : [[r.id, was.id, null]],
          )
          if (cells.length > 0) make({ do: 'cells', cells })
        }
        break
      }
      case 'moveColumn': {
        const moved = column(wish.column)
        const rest = state.columns.filter((c) => c !== moved)
        rest.splice(wish.before === null ? rest.length : rest.indexOf(column(wish.before)), 0, moved)
        make({ do: 'columns', columns: rest })
        break
      }
      case 'deleteColumn': {
        const gone = column(wish.column)
        const reader = state.columns.find(
          (c) => c.recipe && c.id !== gone.id && columnsOfRecipe(c.recipe).includes(gone.id),
        )
        if (reader)
          throw new Refusal(
            409,
            `“${reader.name}” is worked out from “${gone.name}”. Change its recipe or delete it first; nothing was deleted.`,
            'Column is read',
          )
        const cells = state.rows.flatMap((r): [number, string, null][] =>
          r.cells[gone.id] === undefined ? [] : [[r.id, gone.id, null]],
        )
        if (cells.length > 0) make({ do: 'cells', cells })
        make({ do: 'columns', columns: state.columns.filter((c) => c !== gone) })
        if (state.sort.some((s) => s.column === gone.id))
          make({ do: 'sort', sort: state.sort.filter((s) => s.column !== gone.id) })
        break
      }
      case 'sort':
        for (const { column: id } of wish.sort) column(id)
        make({ do: 'sort', sort: wish.sort })
        break
      case 'replace': {
        const put = replacer({ ...wish, exactCase: wish.exactCase ?? false, wholeCell: wish.wholeCell ?? false })
        const ids = wish.columns?.map((id) => column(id)) ?? state.columns
        const cells: [number, string, string | null][] = []
        for (const row of state.rows)
          for (const { id, recipe } of ids) {
            const text = recipe ? null : put(row.cells[id])
            if (text !== null) cells.push([row.id, id, text.trim() === '' ? null : text.trim()])
          }
        if (cells.length === 0)
          throw new Refusal(404, `“${wish.find}” does not stand in the list. Nothing was changed.`, 'Not found')
        make({ do: 'cells', cells })
        break
      }
    }
  }
  return edits
}

/** The fields of letters not yet posted follow the renamed columns of their list. */
async function renameFields(
  tx: Database,
  listId: number,
  before: Column[],
  after: Column[],
  now: number,
): Promise<void> {
  const renamed = new Map(
    before.flatMap((was) => {
      const is = after.find((c) => c.id === was.id)
      return is && is.name !== was.name ? [[was.name.toLowerCase(), is.name]] : []
    }),
  )
  if (renamed.size === 0) return
  for (const round of await draftsWithList(tx, listId)) {
    const follow = (f: Field) => ({ ...f, column: renamed.get(f.column.toLowerCase()) ?? f.column })
    const typed = (entry: string) => changeTyped(entry, follow)
    const { letter, cc, bcc, sender } = round
    const replyTo = sender.replyTo && typed(sender.replyTo)
    const changes = {
      letter: changeFields(letter, follow),
      cc: cc.map(typed),
      bcc: bcc.map(typed),
      sender: { ...sender, replyTo },
    }
    await updateRound(tx, round.id, changes, now)
  }
}

/** Writes edits into a list as it stands, and tells what was done. */
async function carryOut(
  db: Database,
  listId: number,
  edits: Edit[],
  words: string,
  now: number,
  also: (tx: Database, inverse: Edit[]) => Promise<void>,
): Promise<Edited> {
  const list = await listById(db, listId)
  const before = { columns: list.columns as Column[], rows: await storedRows(db, list), sort: list.sort }
  const after = applyEdits(before, edits)
  const inverse = inverseOfAll(before, edits)
  await writeEdits(db, listId, list.version, edits, async (tx) => {
    await renameFields(tx, listId, before.columns, after.columns, now)
    await also(tx, inverse)
  })
  keepRows(listId, list.version + 1, after.rows)
  return { list: await listById(db, listId), edits, words } as Edited
}

const undoing = { undo: editToUndo, redo: editToRedo }

/** Everything that is computed over lists. */
export const listJobs = {
  async readFile(file: GivenFile, _context: JobContext): Promise<Reading> {
    const read = await fileRead(file, {})
    return {
      id: basename(file.path),
      fileName: file.name,
      delimiter: read.delimiter,
      encoding: read.encoding,
      quote: read.quote,
      language: read.language,
      sheets: read.sheets.map((s) => {
        const filled = (row: Row['cells'][string][] | SheetRead['rows'][number]) =>
          row.filter((cell) => shown(cell).trim() !== '')
        const glimpse = s.rows
          .slice(0, 30)
          .reduce<SheetRead['rows'][number]>((best, row) => (filled(row).length > filled(best).length ? row : best), [])
        return {
          name: s.name,
          hidden: s.hidden,
          rows: s.rows.length,
          columns: s.rows.reduce((most, row) => Math.max(most, row.length), 0),
          glimpse: filled(glimpse)
            .slice(0, 6)
            .map((cell) => shown(cell).slice(0, 40)),
        }
      }),
    }
  },

  async readTable(
    { file, options }: { file: GivenFile; options: ReadingOptions },
    _context: JobContext,
  ): Promise<Table> {
    const { read, sheet, rows, found, doubtful, said } = await tableOf(file, options)
    const texts = (from: number, to: number) =>
      rows
        .slice(from, to)
        .map((row) => Array.from({ length: Math.min(row.length, 60) }, (_, i) => shown(row[i]).slice(0, 120)))
    const lastFrom = Math.max(found.lastRow - 2, 0)
    return {
      headingsRow: found.headingsRow,
      headingRows: found.headingRows,
      doubtfulHeading: doubtful,
      language: read.language,
      lastRow: found.lastRow,
      columns: found.columns,
      firstRows: texts(0, Math.max(12, found.headingsRow + 6)),
      lastRows: { from: lastFrom, rows: texts(lastFrom, found.lastRow + 8) },
      rowCount: found.rows.length,
      sheetRows: rows.length,
      addressColumn: findAddressColumn(found.columns),
      hidden: {
        rows: sheet.hiddenRows.length,
        filtered: sheet.filteredRows.length,
        columns: sheet.hiddenColumns.length,
      },
      undecided: found.undecided,
      said,
    }
  },

  async makeList(
    { file, options, name, now }: { file: GivenFile; options: ReadingOptions; name?: string; now: number },
    { db, progress }: JobContext,
  ): Promise<number> {
    const { sheet, found, said } = await tableOf(file, options)
    if (found.rows.length === 0)
      throw new Refusal(
        422,
        `“${sheet.name}” has no rows below its headings. Choose another sheet or heading row.`,
        'No rows',
      )
    if (findAddressColumn(found.columns) === null)
      said.push(
        'No column looks like addresses. Choose the one that holds them at People, or look whether the heading row is right.',
      )
    for (const { name: undecided } of found.undecided)
      if (!options.monthFirst?.includes(undecided))
        said.push(`The dates in “${undecided}” could be read either way round; they are read day first.`)
    const words = `Storing ${found.rows.length.toLocaleString('en-GB')} rows`
    const id = await insertList(
      db,
      {
        name: name?.trim() || file.name.replace(/\.\w{1,5}$/, ''),
        columns: found.columns,
        source: { fileName: file.pasted ? null : file.name, sheet: sheet.name === file.name ? null : sheet.name, said },
        createdAt: now,
      },
      found.rows,
      (stored) => progress(stored, found.rows.length, words),
    )
    // Whatever was read of the file takes as much memory as the list itself, and is not wanted any more.
    for (const key of readings.keys()) if (key.startsWith(basename(file.path))) readings.delete(key)
    return id
  },

  async editList(
    { listId, wishes, words, now }: { listId: number; wishes: Wish[]; words: string; now: number },
    { db }: JobContext,
  ): Promise<Edited> {
    const list = await listById(db, listId)
    const state = { columns: list.columns as Column[], rows: await storedRows(db, list), sort: list.sort }
    const edits = editsFor(state, wishes, await nextIds(db, listId))
    return carryOut(db, listId, edits, words, now, (tx, inverse) =>
      keepEdit(tx, listId, { edits, inverse, words }, now),
    )
  },

  async undoEdit(
    { listId, which, now }: { listId: number; which: 'undo' | 'redo'; now: number },
    { db }: JobContext,
  ): Promise<Edited> {
    const kept = await undoing[which](db, listId)
    if (!kept)
      throw new Refusal(
        409,
        which === 'undo' ? 'There is nothing to undo.' : 'There is nothing to do again.',
        'Nothing there',
      )
    const edits = which === 'undo' ? kept.inverse : kept.edits
    return carryOut(db, listId, edits, kept.words, now, (tx) => markUndone(tx, kept.id, which === 'undo'))
  },

  async order({ listId, today }: { listId: number; today: string }, { db }: JobContext) {
    const { list, rows } = await loadList(db, listId, today)
    return { version: list.version, rows: rows.map((row) => row.id) }
  },

  async derivedRows(
    { listId, from, count, today }: { listId: number; from: number; count: number; today: string },
    { db }: JobContext,
  ) {
    const { rows, deriver, stored } = await loadList(db, listId, today)
    const page = rows.slice(from, from + count)
    const wanted = new Set(page.map((row) => row.id))
    return {
      rows: page,
      faults: stored
        .filter((row) => wanted.has(row.id))
        .flatMap((row) => Object.entries(deriver.faults(row)).map(([column, why]) => ({ row: row.id, column, why }))),
    }
  },

  async writeList({ listId, as, today }: { listId: number; as: TableFormat; today: string }, { db }: JobContext) {
    const { list, rows } = await loadList(db, listId, today)
    return { name: list.name, bytes: new Uint8Array(writeTable(as, list.name, list.columns, rows)) }
  },
  async writeSample({ as }: { as: 'csv' | 'xlsx' | 'ods' }, _context: JobContext) {
    return new Uint8Array(writeSample(as))
  },

  async tryRecipe(
    { listId, recipe, count, today }: { listId: number; recipe: Recipe; count: number; today: string },
    { db }: JobContext,
  ) {
    const { list, rows } = await loadList(db, listId, today)
    const others = new Map<number, { name: string; columns: Column[]; rows: Row[] }>()
    if (recipe.do === 'lookedUp') {
      const other = await loadList(db, recipe.list, today)
      others.set(recipe.list, { name: other.list.name, columns: other.list.columns, rows: other.rows })
    }
    // What the list derives already is there in its rows.
    const columns = (list.columns as Column[]).map(({ recipe: _, ...c }) => c)
    const id = newColumnId(columns.map((c) => c.id))
    const deriver = compileRecipes([...columns, { id, name: 'New', kind: 'text', recipe }], { today }, others)
    return {
      cells: rows.slice(0, count).map((row) => ({
        shown: shown(deriver.derive(row).cells[id]),
        fault: deriver.faults(row)[id] ?? null,
      })),
      faults: rows.reduce((sum, row) => sum + (deriver.faults(row)[id] ? 1 : 0), 0),
    }
  },

  async compareList(
    { listId, newer, key, now, today }: { listId: number; newer: Newer; key?: string; now: number; today: string },
    { db }: JobContext,
  ): Promise<ListComparison> {
    const { list, stored } = await loadList(db, listId, today)
    const columns: Column[] = list.columns
    const table = await newerTable(db, newer, now)
    const keys = possibleKeys(columns, stored, table)
    const by = key ?? keys[0]
    if (by === undefined)
      throw new Refusal(
        422,
        'No column stands in both tables whose values are filled in and different in every row, so rows cannot be matched. Name the column the same in both (a number or the address, say), mend blank and doubled ones, and try again. The list is as it was.',
        'No key',
      )
    const found = compareWithNewer(columns, stored, table, by)
    if (!found) {
      const name = columns.find((c) => c.id === by)?.name ?? 'the chosen column'
      throw new Refusal(
        422,
        `The newer table has no column “${name}”, by which the rows should be matched. Choose another one, or look whether its heading row is right. The list is as it was.`,
        'No key',
      )
    }
    const address = findAddressColumn(columns)
    const names = list.nameColumns ?? findNameColumns(columns, stored)
    const byId = new Map(stored.map((row) => [row.id, row]))
    const nameOf = (column: string) => columns.find((c) => c.id === column)!.name
    const pairs = [...found.pairs]
    return {
      key: by,
      possibleKeys: keys,
      added: found.added.map((index) => {
        const cells = Object.fromEntries(
          pairs.flatMap(([own, other]) => {
            const cell = table.rows[index][other]
            return cell === undefined ? [] : [[own, cell]]
          }),
        )
        const row = { id: 0, position: '', place: index, cells }
        return {
          index,
          person: callName(row, names, address),
          cells: columns.map((c) => shown(cells[c.id])).slice(0, 8),
        }
      }),
      changed: found.changed.map(({ row, cells }) => ({
        row,
        person: callName(byId.get(row)!, names, address),
        changes: cells.map(({ column, from, to }) => ({
          column: nameOf(column),
          from: shown(from ?? undefined),
          to: shown(to ?? undefined),
        })),
      })),
      gone: found.gone.map((row) => ({ row, person: callName(byId.get(row)!, names, address) })),
      unchanged: found.unchanged,
      newColumns: found.newColumns,
      missingColumns: found.missingColumns,
      unmatched: found.unmatched,
      said: table.said,
    }
  },

  async updateList(
    {
      listId,
      newer,
      key,
      version,
      wanted,
      now,
      today,
    }: {
      listId: number
      newer: Newer
      key: string
      version: number
      wanted: { added: number[]; changed: number[]; gone: number[]; newColumns: string[] }
      now: number
      today: string
    },
    { db }: JobContext,
  ): Promise<Edited> {
    const { list, stored } = await loadList(db, listId, today)
    if (list.version !== version)
      throw new Refusal(
        409,
        'The list was changed since it was compared. Nothing was taken over; compare once more.',
        'Changed meanwhile',
      )
    const table = await newerTable(db, newer, now)
    const found = compareWithNewer(list.columns, stored, table, key)
    if (!found)
      throw new Refusal(422, 'The newer table has no such column to match by. The list is as it was.', 'No key')
    const next = await nextIds(db, listId)
    const edits = updateEdits(
      list.columns,
      stored,
      table,
      found,
      key,
      {
        added: new Set(wanted.added),
        changed: new Set(wanted.changed),
        gone: new Set(wanted.gone),
        newColumns: new Set(wanted.newColumns),
      },
      next.row,
      (taken) => newColumnId([...taken, `c${next.column - 1}`]),
    )
    if (edits.length === 0) throw new Refusal(422, 'Nothing was chosen, so nothing was changed.', 'Nothing chosen')
    const words = 'Update from a newer table'
    return carryOut(db, listId, edits, words, now, (tx, inverse) =>
      keepEdit(tx, listId, { edits, inverse, words }, now),
    )
  },

  /** Which columns of a list have the names of its people, by what stands in them. */
  async namesOf({ listId }: { listId: number }, { db }: JobContext): Promise<NamesFound> {
    const list = await listById(db, listId)
    return findNames(list.columns, await storedRows(db, list))
  },

  async doubles({ listId, today }: { listId: number; today: string }, { db }: JobContext) {
    const { list, rows } = await loadList(db, listId, today)
    const address = findAddressColumn(list.columns)
    const names = list.nameColumns ?? findNameColumns(list.columns, rows)
    const addressOf = (row: Row) => (address ? sameAddressKey(shown(row.cells[address])) : '')
    const nameOf = (row: Row) => (names.length > 0 ? callName(row, names, null).toLocaleLowerCase('en-GB') : '')
    const sets = new Map<string, Row[]>()
    for (const row of rows)
      if (addressOf(row) !== '') {
        const same = sets.get(addressOf(row))
        if (same) same.push(row)
        else sets.set(addressOf(row), [row])
      }
    const found = [...sets].filter(([, same]) => same.length > 1)
    const result = found.map(([key, same]) => ({ rows: same.map((r) => r.id), why: `the same address, ${key}` }))
    const byName = new Map<string, Row[]>()
    for (const row of rows) {
      const name = nameOf(row)
      if (name === '' || name.startsWith('row ')) continue
      const same = byName.get(name)
      if (same) same.push(row)
      else byName.set(name, [row])
    }
    for (const [, same] of byName) {
      const addresses = new Set(same.map(addressOf).filter((a) => a !== ''))
      if (same.length > 1 && addresses.size <= 1 && same.some((r) => addressOf(r) === ''))
        result.push({ rows: same.map((r) => r.id), why: `the same name, and one has no address` })
    }
    return result
  },

  async mergeRows(
    { listId, sets, now }: { listId: number; sets: number[][]; now: number },
    { db }: JobContext,
  ): Promise<Edited> {
    const list = await listById(db, listId)
    const stored = await storedRows(db, list)
    const byId = new Map(stored.map((row) => [row.id, row]))
    const cells: Wish & { do: 'cells' } = { do: 'cells', cells: [] }
    const gone: number[] = []
    for (const set of sets) {
      const [kept, ...others] = set.map((id) => byId.get(id))
      if (!kept || others.includes(undefined))
        throw new Refusal(404, 'One of the rows is gone. Nothing was merged.', 'No such row')
      for (const column of list.columns) {
        if (column.recipe || shown(kept.cells[column.id]).trim() !== '') continue
        const filled = others.find((o) => shown(o!.cells[column.id]).trim() !== '')
        if (filled) cells.cells.push([kept.id, column.id, filled.cells[column.id]])
      }
      gone.push(...others.map((o) => o!.id))
    }
    const words = `Merge ${sets.length === 1 ? 'rows' : `${sets.length} sets of rows`}`
    const state = { columns: list.columns as Column[], rows: stored, sort: list.sort }
    const wishes: Wish[] = [...(cells.cells.length > 0 ? [cells] : []), { do: 'deleteRows', rows: gone }]
    const edits = editsFor(state, wishes, await nextIds(db, listId))
    return carryOut(db, listId, edits, words, now, async (tx, inverse) => {
      if (list.book) for (const [kept, ...others] of sets) await joinMemberships(tx, kept, others)
      await keepEdit(tx, listId, { edits, inverse, words }, now)
    })
  },

  /** Makes a list of its own: of all rows of another or some of them, or of the people of some groups. */
  async copyList(
    {
      from,
      name,
      rowIds,
      now,
      today,
    }: {
      from: { listId: number } | { groups: { group: number; minus: boolean }[] }
      name: string
      rowIds?: number[]
      now: number
      today: string
    },
    { db, progress }: JobContext,
  ): Promise<number> {
    const groupPlan = 'groups' in from ? from.groups : undefined
    const { columns, rows } = groupPlan
      ? await peopleOfGroups(db, groupPlan, now)
      : await loadList(db, (from as { listId: number }).listId, today).then(({ list, stored }) => ({
          columns: list.columns as Column[],
          rows: stored,
        }))
    const wanted = rowIds && new Set(rowIds)
    const chosen = wanted ? rows.filter((row) => wanted.has(row.id)) : rows
    if (chosen.length === 0) throw new Refusal(422, 'Nobody would be in that list, so it was not made.', 'Nobody')
    return insertList(
      db,
      { name, columns, source: { fileName: null, sheet: null, said: [], groups: groupPlan }, createdAt: now },
      chosen.map((row) => row.cells),
      (stored) => progress(stored, chosen.length, `Storing ${chosen.length.toLocaleString('en-GB')} rows`),
    )
  },
}
