import { asBeforeDefusing, filledIn, type Sheet, type SheetCells, type SheetCounts } from '@hand-post/core'
import Papa from 'papaparse'

/** How a text is parted into rows and cells. */
export interface Separated {
  delimiter: string
  quoteChar: string
  newline: '\n' | '\r' | '\r\n'
}

/** Octets of a text that are parted at one time. */
const blockSize = 64 * 1024
/** How many blocks are kept as rows: a table of usual size is parted once. */
const maxKept = 64
/** How many are kept of a longer one, which is gone through from end to end: more would only be cleared away later. */
const keptOfLong = 2
/** The most characters of one cell, and of a row. */
const longestCell = 100_000
const longestRow = 2_000_000
/** The most rows of a sheet: about twice as many as those of spreadsheets have. Common practice, no source. */
const maxRows = 2_000_000

/** Parts a piece of a text; of one that goes on, the row that it ends in is left. Papa Parse's types know of it with fewer arguments. */
const parted = (how: Separated, piece: string, goesOn: boolean): Papa.ParseResult<string[]> =>
  (new Papa.Parser(how) as { parse: (text: string, from: number, leaveLast: boolean) => unknown }).parse(
    piece,
    0,
    goesOn,
  ) as Papa.ParseResult<string[]>

/** The place at or before another at which a character of UTF-8 begins (RFC 3629: octets that go on are 10xxxxxx). */
function beginOfCharacter(bytes: Buffer, at: number): number {
  while (at < bytes.length && (bytes[at] & 0xc0) === 0x80) at--
  return at
}

/** A run of whole rows of a text. */
interface Block {
  /** Index of its first row. */
  first: number
  rows: number
  /** Where it stands in the text (octets), with its last line end. */
  from: number
  to: number
}

/** A row or cell of a text is longer than any can be. Numbers are indexes from 0. */
export class TooLong extends Error {
  constructor(
    readonly row: number,
    /** Null where it is the row that is too long. */
    readonly column: number | null,
    /** How many it has; of a row how many it may have. */
    readonly characters: number,
    /** Whether a quotation mark before it may never be closed. */
    readonly quotes: boolean,
  ) {
    super('too long')
  }
}

/** A text has more rows than a list can have. */
export class TooMany extends Error {
  constructor(readonly most: number) {
    super('too many')
  }
}

/**
 * A delimited text as a sheet (RFC 4180, with any delimiter and quotation mark). It is gone through once from end to end; what is kept is the
 * text in octets and where its rows stand, and its rows are parted again as they are asked for: 1,000,000 of them take little more than the
 * file does.
 */
export class TextSheet implements Sheet {
  private readonly blocks: Block[] = []
  /** Blocks as rows, the one used last at the end. */
  private readonly kept = new Map<Block, SheetCells[]>()
  /** The block that the last row was taken from: rows are asked for one after another. */
  private current: Block | undefined
  private rows: SheetCells[] = []
  private readonly maxKept: number
  readonly length: number
  readonly counted: SheetCounts
  /** Row of the first quotation mark that stands in the wrong place, from 0; null where none does. */
  badQuote: number | null = null
  /** How many cells had an apostrophe taken off. */
  defused = 0

  /**
   * @param bytes the text in UTF-8, without a byte order mark.
   * @param more `size`: octets that are parted at one time; `kept`: how many blocks are kept as rows. For tests.
   * @throws TooLong, TooMany
   */
  constructor(
    private readonly bytes: Buffer,
    private readonly how: Separated,
    { size = blockSize, kept = maxKept } = {},
  ) {
    this.maxKept = bytes.length > kept * size ? Math.min(kept, keptOfLong) : kept
    let filled = new Uint32Array(1024)
    let widest = 0
    let length = 0
    let take = size
    for (let from = 0; from < bytes.length; ) {
      const end = beginOfCharacter(bytes, Math.min(from + take, bytes.length))
      const piece = bytes.toString('utf8', from, end)
      const goesOn = end < bytes.length
      const { data, errors, meta } = parted(how, piece, goesOn)
      if (data.length === 0) {
        // A piece is looked through from the beginning of the row again, and so is twice as long each time.
        if (piece.length > longestRow) throw new TooLong(length, null, longestRow, true)
        take *= 2
        continue
      }
      take = size
      // What seems to stand wrong in a row whose end has not been read yet is looked at again with its end.
      const wrong = errors.find(({ type, row }) => type === 'Quotes' && row !== undefined && row < data.length)
      if (wrong) this.badQuote ??= length + wrong.row!
      const gone = !goesOn
        ? end - from
        : piece.length === end - from
          ? meta.cursor
          : Buffer.byteLength(piece.slice(0, meta.cursor))
      const block = { first: length, rows: data.length, from, to: from + gone }
      from += gone
      this.blocks.push(block)
      if (length + data.length > maxRows) throw new TooMany(maxRows)
      if (length + data.length > filled.length) {
        const more = new Uint32Array(Math.max(2 * filled.length, length + data.length))
        more.set(filled)
        filled = more
      }
      for (const row of data) {
        this.defused += defuse(row)
        const long = row.findIndex((cell) => cell.length > longestCell)
        if (long >= 0) throw new TooLong(length, long, row[long].length, this.badQuote !== null)
        widest = Math.max(widest, row.length)
        filled[length++] = filledIn(row)
      }
      this.keep(block, data)
    }
    this.length = length
    this.counted = { widest, filled: filled.subarray(0, length) }
  }

  at(index: number): SheetCells | undefined {
    if (index < 0 || index >= this.length) return undefined
    const isIn = (block: Block | undefined) =>
      block !== undefined && index >= block.first && index < block.first + block.rows
    if (!isIn(this.current)) {
      this.current = this.blocks[this.placeOf(index)]
      this.rows = this.rowsOf(this.current)
    }
    return this.rows[index - this.current!.first]
  }

  *[Symbol.iterator](): Iterator<SheetCells> {
    for (const block of this.blocks) yield* this.rowsOf(block)
  }

  /** Which block a row is in: the last one that begins with it or before it. */
  private placeOf(index: number): number {
    let [low, high] = [0, this.blocks.length - 1]
    while (low < high) {
      const middle = Math.ceil((low + high) / 2)
      if (this.blocks[middle].first <= index) low = middle
      else high = middle - 1
    }
    return low
  }

  private rowsOf(block: Block): SheetCells[] {
    let rows = this.kept.get(block)
    if (!rows) {
      const { data } = parted(this.how, this.bytes.toString('utf8', block.from, block.to), false)
      // Behind a line end stands one more row, with nothing in it.
      data.length = block.rows
      for (const row of data) defuse(row)
      rows = data
    }
    this.keep(block, rows)
    return rows
  }

  private keep(block: Block, rows: SheetCells[]): void {
    this.kept.delete(block)
    this.kept.set(block, rows)
    for (const old of this.kept.keys()) if (this.kept.size > this.maxKept) this.kept.delete(old)
  }
}

/** Takes off the apostrophes that keep a spreadsheet from running cells as formulas. Returns of how many cells. */
function defuse(row: string[]): number {
  let defused = 0
  for (let i = 0; i < row.length; i++) {
    if (!row[i].startsWith("'")) continue
    const before = asBeforeDefusing(row[i])
    if (before === row[i]) continue
    row[i] = before
    defused++
  }
  return defused
}
