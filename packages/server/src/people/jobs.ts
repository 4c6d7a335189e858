import type { ListComparison } from '@hand-post/contract'
import {
  type Column,
  cellIn,
  columnValues,
  compareWithNewer,
  compileRecipes,
  displayName,
  type FoundCell,
  findAddressColumn,
  findCells,
  findDoubles,
  findNameColumns,
  findNames,
  type NamesFound,
  newColumnId,
  plainRow,
  possibleKeys,
  type Recipe,
  type Row,
  rowsWith,
  type Sought,
  sameAddressKey,
  shown,
} from '@hand-post/core'
import { notFound, Refusal } from '../problem.ts'
import type { JobContext } from '../threads/job.ts'
import { editingJobs, type Follow } from './editingJobs.ts'
import { besideOf, loadList, storedRows } from './loadList.ts'
import { readingJobs } from './readingJobs.ts'
import { insertList, listById } from './store.ts'
import { type Newer, newerTable, peopleOfGroups } from './tables.ts'
import { type TableFormat, writeSample, writeTable } from './writeFile.ts'

/** The most characters of a value that a rule is offered. */
const longestOffered = 500

/** What is computed over lists, without changing them. */
const listJobs = {
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
      rows: page.map(plainRow),
      faults: stored
        .filter((row) => wanted.has(row.id))
        .flatMap((row) => Object.entries(deriver.faults(row)).map(([column, why]) => ({ row: row.id, column, why }))),
    }
  },

  /** Cells of a list in which words stand, as the list is shown. */
  async findCells(
    {
      listId,
      from,
      back,
      most,
      today,
      ...sought
    }: Sought & { listId: number; from: FoundCell | null; back: boolean; most: number; today: string },
    { db }: JobContext,
  ): Promise<FoundCell[]> {
    const { list, rows } = await loadList(db, listId, today)
    const known = new Set(list.columns.map(({ id }) => id))
    return findCells(rows, { ...sought, columns: sought.columns.filter((id) => known.has(id)) }, from, back, most)
  },

  /** The first rows of a list in which words stand. */
  async rowsWith(
    { listId, words, count, today }: { listId: number; words: string; count: number; today: string },
    { db }: JobContext,
  ): Promise<{ rows: Row[] }> {
    return { rows: rowsWith((await loadList(db, listId, today)).rows, words, count).map(plainRow) }
  },

  /** One row with its derived cells, or null where it is not there. */
  async rowAsItIs(
    { listId, rowId, today }: { listId: number; rowId: number; today: string },
    { db }: JobContext,
  ): Promise<Row | null> {
    const { rows } = await loadList(db, listId, today)
    const found = rows.find(({ id }) => id === rowId)
    return found ? plainRow(found) : null
  },

  /** The first row of a list in which each of some addresses stands, with its derived cells; those that stand in none are lacking. */
  async rowsOfAddresses(
    { listId, column, keys, today }: { listId: number; column: string; keys: string[]; today: string },
    { db }: JobContext,
  ): Promise<ReadonlyMap<string, Row>> {
    const wanted = new Set(keys)
    const found = new Map<string, Row>()
    for (const row of (await loadList(db, listId, today)).rows) {
      const key = sameAddressKey(shown(cellIn(row, column)))
      if (wanted.has(key) && !found.has(key)) found.set(key, plainRow(row))
    }
    return found
  },

  /** The values of a column, but for those longer than a rule can show. */
  async columnValues(
    {
      listId,
      column,
      find,
      count,
      today,
    }: { listId: number; column: string; find: string; count: number; today: string },
    { db }: JobContext,
  ) {
    const { list, rows } = await loadList(db, listId, today)
    if (!list.columns.some((c) => c.id === column)) throw notFound('column')
    const found = columnValues(rows, column, find, count)
    // A value that was cut would choose nobody.
    return { ...found, values: found.values.filter((v) => v.value.length <= longestOffered) }
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
    const beside = await besideOf(db, [recipe], listId)
    // What the list derives already is there in its rows.
    const columns = (list.columns as Column[]).map(({ recipe: _, ...c }) => c)
    const id = newColumnId(columns.map((c) => c.id))
    const deriver = compileRecipes([...columns, { id, name: 'New', kind: 'text', recipe }], { today }, beside)
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
          person: displayName(row, names, address),
          cells: columns.map((c) => shown(cells[c.id])).slice(0, 8),
        }
      }),
      changed: found.changed.map(({ row, cells }) => ({
        row,
        person: displayName(byId.get(row)!, names, address),
        changes: cells.map(({ column, from, to }) => ({
          column: nameOf(column),
          from: shown(from ?? undefined),
          to: shown(to ?? undefined),
        })),
      })),
      gone: found.gone.map((row) => ({ row, person: displayName(byId.get(row)!, names, address) })),
      unchanged: found.unchanged,
      newColumns: found.newColumns,
      missingColumns: found.missingColumns,
      unmatched: found.unmatched,
      said: table.said,
    }
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
    return findDoubles(rows, address, names)
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
      chosen.length,
      chosen.map((row) => row.cells),
      (stored) => progress(stored, chosen.length, `Storing ${chosen.length.toLocaleString('en-GB')} rows`),
    )
  },
}

/** Everything that is computed over lists. */
export const peopleJobs = ({ follow }: { follow: Follow }) => ({ ...readingJobs, ...editingJobs(follow), ...listJobs })
export type PeopleJobs = ReturnType<typeof peopleJobs>
