/** A place in the table, by row and column and not only by where they stand just now: rows are sorted anew, columns are moved. */
export interface Spot {
  row: { id: number | null; at: number }
  column: { id: string | null; at: number }
}

/** Where something stands that stood at a place: where it is now, or, when it is gone, as near to that place as there is. */
export function placeOf<Id>(ids: { id: Id }[], { id, at }: { id: Id | null; at: number }): number {
  if (id !== null && ids[at]?.id === id) return at
  const found = id === null ? -1 : ids.findIndex((one) => one.id === id)
  return found >= 0 ? found : Math.min(Math.max(at, 0), Math.max(ids.length - 1, 0))
}

/** The order of rows that is kept while one of them is being written. */
export interface KeptOrder {
  /** All rows in the order that they were shown in. */
  ids: number[]
  /** The row that is being written. */
  row: number
}

/** Rows in a kept order: whatever they are sorted by, each stays where it was; what has come since stands at the end. */
export function inKeptOrder<Row extends { id: number }>(rows: Row[], kept: KeptOrder | null): Row[] {
  if (!kept) return rows
  const byId = new Map(rows.map((row) => [row.id, row]))
  const ordered: Row[] = []
  for (const id of kept.ids) {
    const row = byId.get(id)
    if (!row) continue
    ordered.push(row)
    byId.delete(id)
  }
  return [...ordered, ...byId.values()]
}
