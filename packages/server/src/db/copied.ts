import { type Database, fitText } from './database.ts'

/** A value as it is copied; null is the absence of one. */
export type Copied = string | number | boolean | null

/** A value as it stands in the text format of COPY (PostgreSQL's documentation, COPY, "Text Format"). */
function copiedText(value: Copied): string {
  if (value === null) return '\\N'
  const text = typeof value === 'string' ? fitText(value) : String(value)
  if (!/[\\\n\r\t]/.test(text)) return text
  return text.replaceAll('\\', '\\\\').replaceAll('\n', '\\n').replaceAll('\r', '\\r').replaceAll('\t', '\\t')
}

/** A row as a line of what {@link Database.copyIn} takes. */
export const copiedLine = (values: readonly Copied[]): string => `${values.map(copiedText).join('\t')}\n`

/** Parts of some things, so many at a time; each is taken when its part is made. */
export function* inParts<T>(all: Iterable<T>, size: number): Generator<T[]> {
  let part: T[] = []
  for (const one of all) {
    part.push(one)
    if (part.length < size) continue
    yield part
    part = []
  }
  if (part.length > 0) yield part
}

/**
 * Writes parts one after another, and has the next one made while one is being written: never are more than two there at a time. With the
 * first that fails it ends.
 */
export async function whileWriting<T>(parts: Iterable<T>, write: (part: T) => Promise<void>): Promise<void> {
  let underWay = Promise.resolve()
  for (const part of parts) {
    await underWay
    underWay = write(part)
    // Met below, or at the next part.
    underWay.catch(() => {})
  }
  await underWay
}

/** Of how many new rows on the database is told at once what has come. */
const tellFrom = 10_000

/**
 * Lets the database look at a table into which much has come (`ANALYZE`). By itself it does so within a minute; until then it takes the table
 * for a short one, and goes through all of it for each page of a long list.
 */
export async function tellPlanner(tx: Database, table: 'list_rows' | 'messages', count: number): Promise<void> {
  if (count >= tellFrom) await tx.query(`ANALYZE ${table}`)
}
