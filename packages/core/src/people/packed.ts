import type { Cell, Row } from './cell.ts'

/** What stands between two cells of a packed row: no text of a list has it, for the database takes none that does. */
const between = '\0'
/** What a cell begins with that is packed as JSON, because it is more than plain text. */
const asJson = '\u0001'

/** In which order the ids of columns stand in a row as the database gives it (jsonb): the shorter first, then by the alphabet. */
const inStoredOrder = (a: string, b: string) => a.length - b.length || (a < b ? -1 : a > b ? 1 : 0)

/** Which cell of packed rows is of which column; columns that are met later come behind. */
class Places {
  readonly ids: string[] = []
  private readonly placeOf = new Map<string, number>()
  private sorted: number[] = []

  constructor(private readonly derived: readonly string[]) {}

  /** The place of a column's cells; undefined where no packed row has any. */
  known(id: string): number | undefined {
    return this.placeOf.get(id)
  }

  /** The place of a column's cells, which it is given where it has none yet. */
  of(id: string): number {
    const known = this.placeOf.get(id)
    if (known !== undefined) return known
    const place = this.ids.push(id) - 1
    this.placeOf.set(id, place)
    return place
  }

  /** The places, in the order in which the cells of a row are given. */
  get order(): readonly number[] {
    if (this.sorted.length < this.ids.length) {
      const last = (one: number) => this.derived.indexOf(this.ids[one])
      this.sorted = [...this.ids.keys()].sort((a, b) => last(a) - last(b) || inStoredOrder(this.ids[a], this.ids[b]))
    }
    return this.sorted
  }
}

/** The row whose cells were asked for last, and those cells: a row is looked at for all of its cells, and then the next. */
let lookedAt: PackedRow | undefined
let itsCells: Row['cells'] = {}

/** A row whose cells lie in one text, with its position behind them, and are parted when they are asked for. */
class PackedRow implements Row {
  constructor(
    readonly id: number,
    readonly number: number | undefined,
    private readonly places: Places,
    private readonly text: string,
  ) {}

  get position(): string {
    return this.text.slice(this.text.lastIndexOf(between) + 1)
  }

  get cells(): Row['cells'] {
    if (lookedAt === this) return itsCells
    const parts = this.text.split(between)
    const { ids, order } = this.places
    const cells: Row['cells'] = {}
    for (const place of order) {
      if (place >= parts.length - 1 || parts[place] === '') continue
      cells[ids[place]] = unpackedCell(parts[place])
    }
    lookedAt = this
    itsCells = cells
    return cells
  }

  /** One of its cells, without parting the text for the others. */
  cell(id: string): Cell | undefined {
    if (lookedAt === this) return itsCells[id]
    const place = this.places.known(id)
    if (place === undefined) return undefined
    let from = 0
    for (let n = 0; n < place; n++) {
      from = this.text.indexOf(between, from) + 1
      if (from === 0) return undefined
    }
    const to = this.text.indexOf(between, from)
    // What stands behind the last is no cell.
    if (to < 0) return undefined
    const part = this.text.slice(from, to)
    return part === '' ? undefined : unpackedCell(part)
  }

  mayHold(words: string, exactCase: boolean): boolean {
    // As JSON some characters are written in another way.
    return (exactCase ? this.text : this.text.toLowerCase()).includes(words) || this.text.includes(asJson)
  }

  /** The same row with another number or position. */
  with({ number = this.number, position }: Pick<Partial<Row>, 'number' | 'position'>): PackedRow {
    const text = position === undefined ? this.text : this.text.slice(0, this.text.lastIndexOf(between) + 1) + position
    return new PackedRow(this.id, number, this.places, text)
  }

  /** The row as it is written as JSON: by what number it is called is reckoned, and not kept. */
  toJSON(): Row {
    return { id: this.id, position: this.position, cells: this.cells }
  }
}

const packedCell = (cell: Cell): string =>
  typeof cell === 'string' && cell !== '' && !cell.startsWith(asJson) && !cell.includes(between)
    ? cell
    : asJson + JSON.stringify(cell)
const unpackedCell = (part: string): Cell => (part.startsWith(asJson) ? JSON.parse(part.slice(asJson.length)) : part)

/** Packs rows: see {@link rowPacker}. */
export interface RowPacker {
  /** Packs a row; one that is packed already is given back as it is. */
  (row: Row): Row
  /**
   * Packs a row whose cells are JSON as the database writes it (jsonb: a blank behind each colon and each comma).
   * @param number that by which it is called.
   * @throws SyntaxError where it is no JSON.
   */
  ofJson(id: number, position: string, cells: string, number?: number): Row
}

/**
 * Packs rows so that a million of them can be computed over: a row with twelve short cells takes about a third of what it takes as an object
 * with an entry for each. Its cells are the same as before, in the order in which the database has them, derived ones behind.
 * @param derived the ids of columns whose cells are worked out, in the order in which they are.
 */
export function rowPacker(derived: readonly string[] = []): RowPacker {
  const places = new Places(derived)
  const put = (parts: string[], id: string, part: string) => {
    const place = places.of(id)
    while (parts.length < place) parts.push('')
    parts[place] = part
  }
  const packed = (id: number, position: string, number: number | undefined, parts: string[]) => {
    if (parts.length === 0) parts.push('')
    parts.push(position)
    return new PackedRow(id, number, places, parts.join(between))
  }
  const pack = (row: Row): Row => {
    if (row instanceof PackedRow) return row
    const parts: string[] = []
    for (const id in row.cells) put(parts, id, packedCell(row.cells[id]))
    return packed(row.id, row.position, row.number, parts)
  }
  const ofJson: RowPacker['ofJson'] = (id, position, cells, number) => {
    // Where every cell is a text without anything escaped, what stands between quotation marks is all of it: many times as fast as
    // reading JSON, which looks every short text up among all that there are.
    const texts = cells.split('"')
    if (!areTexts(texts, cells)) return pack({ id, position, number, cells: JSON.parse(cells) })
    const parts: string[] = []
    for (let i = 1; i < texts.length; i += 4) put(parts, texts[i], packedCell(texts[i + 2]))
    return packed(id, position, number, parts)
  }
  return Object.assign(pack, { ofJson })
}

/** Whether a JSON object, parted at its quotation marks, has nothing but texts in it, and nothing escaped. */
function areTexts(parted: readonly string[], whole: string): boolean {
  if (parted.length % 4 !== 1 || parted.length === 1 || whole.includes('\\')) return false
  for (let i = 2; i < parted.length; i += 4)
    if (parted[i] !== ': ' || (i + 2 < parted.length - 1 && parted[i + 2] !== ', ')) return false
  return parted[0] === '{' && parted[parted.length - 1] === '}'
}

/** One cell of a row; where only this one is wanted of each of many rows, it is found faster than by `row.cells`. */
export const cellIn = (row: Pick<Row, 'cells'>, column: string): Cell | undefined =>
  row instanceof PackedRow ? row.cell(column) : row.cells[column]

/**
 * Whether words may stand in a cell of a row; false is sure, and found much faster than by looking into its cells.
 * @param words in small letters, unless capitals and small ones count as different.
 */
export const mayHold = (row: Row, words: string, exactCase: boolean): boolean =>
  !(row instanceof PackedRow) || row.mayHold(words, exactCase)

/**
 * A row with something of it changed, whether it is packed or not; the row given stays as it is. A row must not be copied by `…row`: a packed
 * one has its cells behind a getter, which does not come along.
 */
export function changedRow(row: Row, change: Partial<Omit<Row, 'id'>>): Row {
  if (row instanceof PackedRow && change.cells === undefined) return row.with(change)
  return { ...plainRow(row), ...change }
}

/** A row as a plain object, as it can be handed to another thread. */
export function plainRow(row: Row): Row {
  if (!(row instanceof PackedRow)) return row
  const { id, position, number, cells } = row
  return number === undefined ? { id, position, cells } : { id, position, number, cells }
}

/**
 * Gives each row the number by which it is called. Rows are counted as in the sheet that the list came from, where headings take a row.
 * @param firstRow the number of the first.
 */
export const numbered = (rows: Row[], firstRow = 1): Row[] =>
  rows.map((row, i) => (row.number === firstRow + i ? row : changedRow(row, { number: firstRow + i })))
