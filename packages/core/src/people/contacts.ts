import { sameAddressKey } from './address.ts'
import { type Cell, isBlank, type Row, sameTextKey, shown } from './cell.ts'
import type { Column } from './column.ts'
import { type Edit, placesBetween } from './edits.ts'
import { personName } from './names.ts'
import { findAddressColumn, findNames } from './reading.ts'
import type { NewerTable } from './update.ts'

/** What becomes of one row that is brought into the address book. */
export interface ContactPlan {
  /** The contact that it is already; null where it is a new one. */
  row: number | null
  /** What its cells are by the address book's columns, and by those that it gets. */
  cells: Record<string, Cell>
  /** Columns that are blank in the contact and that the row fills. */
  fills: string[]
  /** Columns in which the contact says something else. */
  differs: string[]
  /** The groups that the row names. */
  groups: string[]
}

/** What bringing a table into the address book would do. */
export interface ContactsPlan {
  /** One for each contact, new or known, in the order of the table. */
  contacts: ContactPlan[]
  /** The columns that the address book gets, with the ids that they will have. */
  newColumns: Column[]
  /** Rows of the table that are the same person as an earlier one of it. */
  repeated: number
  /** The column of the table that names groups; null when there is none. */
  groupsColumn: string | null
}

/** What a column of groups is called in contact cards and in tables made of them. */
const namesGroups = /^(?:groups?|categor(?:y|ies)|labels?)$/i

/** The names of groups that a cell has, separated by commas or semicolons. */
const groupsIn = (cell: Cell | undefined): string[] => [
  ...new Set(
    shown(cell)
      .split(/[,;]/)
      .map((name) => name.trim().slice(0, 100))
      .filter(Boolean),
  ),
]

/**
 * Says what bringing a table of people into the address book would do: who is new, and who is in it already. Contacts are known by any
 * of their addresses; without an address, by a name that a contact without an address has. Nobody goes.
 * @param asGroups whether the table's column of groups makes groups; it then becomes no column of the address book.
 * @param idFor gives the id for a new column.
 */
export function planContacts(
  columns: readonly Column[],
  rows: readonly Row[],
  table: NewerTable,
  asGroups: boolean,
  idFor: (taken: string[]) => string,
): ContactsPlan {
  const groupsColumn = table.columns.find((c) => namesGroups.test(c.name.trim()))?.id ?? null
  const typedIn = columns.filter((c) => !c.recipe)
  const byName = new Map(typedIn.map((c) => [sameTextKey(c.name), c.id]))
  const address = findAddressColumn([...columns])
  const theirAddress = findAddressColumn(table.columns)
  // A name that is worked out is not typed in, and so cannot be taken.
  const taken = new Set(columns.filter((c) => c.recipe).map((c) => sameTextKey(c.name)))

  const newColumns: Column[] = []
  const target = new Map<string, string>()
  for (const column of table.columns) {
    if (asGroups && column.id === groupsColumn) continue
    const own = byName.get(sameTextKey(column.name)) ?? (column.id === theirAddress ? address : null)
    if (own && ![...target.values()].includes(own)) target.set(column.id, own)
    else if (!own && !taken.has(sameTextKey(column.name))) {
      const id = idFor([...columns, ...newColumns].map((c) => c.id))
      const { recipe: _, ...plain } = column
      newColumns.push({ ...plain, id })
      target.set(column.id, id)
    }
  }
  // A whole name where the table has it in parts.
  const [ownName, ...more] = findNames([...columns], rows).columns
  const theirNames = findNames(
    table.columns,
    table.rows.map((cells) => ({ cells })),
  ).columns
  const joinsName = ownName !== undefined && more.length === 0 && ![...target.values()].includes(ownName)

  const addresses = columns.filter((c) => c.kind === 'address').map((c) => c.id)
  const known = new Map<string, Row>()
  const nameless = new Map<string, Row>()
  for (const row of rows) {
    const own = addresses.map((id) => sameAddressKey(shown(row.cells[id]))).filter((a) => a !== '')
    for (const one of own) if (!known.has(one)) known.set(one, row)
    const name = sameTextKey(ownName === undefined ? '' : personName(row, [ownName, ...more]))
    if (own.length === 0 && name !== '' && !nameless.has(name)) nameless.set(name, row)
  }

  const contacts: ContactPlan[] = []
  const planned = new Map<string, ContactPlan>()
  let repeated = 0
  for (const given of table.rows) {
    const cells: Record<string, Cell> = {}
    for (const [theirs, own] of target) if (!isBlank(given[theirs])) cells[own] = given[theirs]
    const name = personName({ id: 0, position: '', cells: given }, theirNames)
    if (joinsName && name !== '') cells[ownName] = name
    const reached = theirAddress === null ? '' : sameAddressKey(shown(given[theirAddress]))
    const called = reached === '' ? `name ${sameTextKey(name)}` : reached
    const groups = groupsColumn === null ? [] : groupsIn(given[groupsColumn])
    const earlier = called === 'name ' ? undefined : planned.get(called)
    if (earlier) {
      // The same person once more: what the earlier row lacks is taken from this one.
      repeated++
      for (const [id, cell] of Object.entries(cells)) earlier.cells[id] ??= cell
      earlier.groups = [...new Set([...earlier.groups, ...groups])]
      continue
    }
    const row = (reached === '' ? nameless.get(sameTextKey(name)) : known.get(reached)) ?? null
    const contact = { row: row?.id ?? null, cells, fills: [], differs: [], groups }
    contacts.push(contact)
    planned.set(called, contact)
  }
  const byId = new Map(rows.map((row) => [row.id, row]))
  for (const contact of contacts) {
    const row = contact.row === null ? null : byId.get(contact.row)!
    if (!row) continue
    for (const [id, cell] of Object.entries(contact.cells))
      if (isBlank(row.cells[id])) contact.fills.push(id)
      // Under another address that the contact has it is the same person, and nothing else.
      else if (shown(row.cells[id]).trim() !== shown(cell).trim() && !addresses.includes(id)) contact.differs.push(id)
  }
  return { contacts, newColumns, repeated, groupsColumn }
}

/**
 * The edits by which the address book takes in what was planned.
 * @param differing whether what a contact says otherwise is replaced.
 * @param nextRow the id for the first new contact.
 * @returns the edits, and for each contact of the plan its row.
 */
export function contactEdits(
  columns: readonly Column[],
  rows: readonly Row[],
  { contacts, newColumns }: ContactsPlan,
  differing: 'keep' | 'replace',
  nextRow: number,
): { edits: Edit[]; rowIds: number[] } {
  const edits: Edit[] = []
  if (newColumns.length > 0) edits.push({ do: 'columns', columns: [...columns, ...newColumns] })
  const cells = contacts.flatMap(({ row, cells, fills, differs }) =>
    row === null
      ? []
      : [...fills, ...(differing === 'replace' ? differs : [])].map((id): [number, string, Cell] => [
          row,
          id,
          cells[id],
        ]),
  )
  if (cells.length > 0) edits.push({ do: 'cells', cells })
  const fresh = contacts.filter((c) => c.row === null)
  const last = rows.reduce<string | null>((most, r) => (most === null || r.position > most ? r.position : most), null)
  const places = placesBetween(last, null, fresh.length)
  if (fresh.length > 0)
    edits.push({
      do: 'addRows',
      rows: fresh.map((contact, i) => ({ id: nextRow + i, position: places[i], cells: contact.cells })),
    })
  let next = nextRow
  return { edits, rowIds: contacts.map(({ row }) => row ?? next++) }
}
