import type { encloser } from '../enclosures/match.ts'
import { fieldsOf, type Letter } from '../letter/document.ts'
import type { CompiledLetter } from '../letter/merge.ts'
import type { compileCopies } from '../letter/sender.ts'
import { bareAddress } from '../people/address.ts'
import { type Row, shown } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { cellIn } from '../people/packed.ts'
import { readingSet as say } from './words.ts'

/** What may differ from message to message of a round. */
export interface Varied {
  letter: Letter
  compiled: CompiledLetter
  columns: Column[]
  people: Row[]
  rowsOf: ReadonlyMap<number, Row[]>
  addressColumn: string | null
  notes: ReadonlyMap<number, string>
  copies: ReturnType<typeof compileCopies>
  enclose: ReturnType<typeof encloser>
}

/** A person whose message is read, and what it shows that none before it did. */
export interface ToRead {
  rowId: number
  reasons: string[]
}

/** Alphabets that may occur in what is filled in, by the names of Unicode's scripts (UAX #24). */
const scripts = ['Greek', 'Cyrillic', 'Arabic', 'Hebrew', 'Han', 'Hiragana', 'Katakana', 'Hangul', 'Devanagari', 'Thai']
const inScript = scripts.map((name): [string, RegExp] => [name, new RegExp(`\\p{Script=${name}}`, 'u')])
const latinWithMarks = /[\u00c0-\u024f\u1e00-\u1eff]/u
const mightBeOther = /[\u0080-\uffff]/

/**
 * The smallest set of people, or nearly, whose messages between them show every variation of the round: each passage in and out,
 * each stand-in and blank, the longest and the shortest value of each field, each number of files, each alphabet, each form of
 * copies, with and without a personal note, for one row and for several. The same round always gives the same set, in its order.
 */
export function readingSet(round: Varied): ToRead[] {
  const { compiled, columns, people } = round
  const used = columns.filter((c) => compiled.columnIds.includes(c.id))
  const fields = new Map(fieldsOf(round.letter).map(({ field }) => [field.column.trim().toLowerCase(), field]))
  const lengthIn = (row: Row, column: Column) => shown(cellIn(row, column.id)).trim().length
  const extremes = used.map(() => ({ longest: 0, shortest: Number.POSITIVE_INFINITY }))
  for (const row of people)
    for (const [c, column] of used.entries()) {
      const length = lengthIn(row, column)
      if (length === 0) continue
      extremes[c].longest = Math.max(extremes[c].longest, length)
      extremes[c].shortest = Math.min(extremes[c].shortest, length)
    }
  const hasNotes = people.some((row) => (round.notes.get(row.id) ?? '').trim() !== '')

  const words: string[] = []
  const numbers = new Map<string, number>()
  const numberOf = (reason: string) => {
    let n = numbers.get(reason)
    if (n === undefined) {
      n = words.length
      numbers.set(reason, n)
      words.push(reason)
    }
    return n
  }
  const showsOf = (row: Row): number[] => {
    const found: string[] = []
    for (const [n, isIn] of compiled.passages(row).entries())
      found.push(`passage ${n + 1} ${isIn ? 'in' : say.leftOut}`)
    used.forEach((column, c) => {
      const length = lengthIn(row, column)
      const { longest, shortest } = extremes[c]
      if (length === 0) {
        const standIn = fields.get(column.name.trim().toLowerCase())?.standIn ?? null
        found.push(standIn === null ? `“${column.name}” blank` : say.stand(column.name))
      } else if (longest !== shortest) {
        if (length === longest) found.push(say.longest(column.name))
        if (length === shortest) found.push(say.shortest(column.name))
      }
    })
    const rows = round.rowsOf.get(row.id)
    const { files } = round.enclose(row, rows)
    found.push(files.length === 0 ? say.noFile : files.length === 1 ? say.oneFile : `${files.length} files`)
    if (rows && rows.length > 1) found.push(say.severalRowsOneMessage)
    const address = round.addressColumn ? bareAddress(shown(cellIn(row, round.addressColumn))) : ''
    const { cc, bcc } = round.copies.of(row, address)
    if (cc.length + bcc.length > 0) found.push(say.copiesOpenlyUnseen(cc.length, bcc.length))
    if (hasNotes) found.push((round.notes.get(row.id) ?? '').trim() === '' ? say.noPersonalNote : say.personalNote)
    const values = used.map((column) => shown(cellIn(row, column.id))).join(' ')
    if (mightBeOther.test(values)) {
      for (const [name, pattern] of inScript) if (pattern.test(values)) found.push(say.lettersAnotherAlphabet(name))
      if (latinWithMarks.test(values)) found.push(say.lettersAccents)
    }
    return found.map(numberOf)
  }
  // Of those whose messages show the same, the first is enough: few are kept of many.
  const firsts = new Map<string, { rowId: number; shows: number[] }>()
  for (const row of people) {
    const shows = showsOf(row)
    const key = [...shows].sort((a, b) => a - b).join()
    if (!firsts.has(key)) firsts.set(key, { rowId: row.id, shows })
  }
  const different = [...firsts.values()]
  const seen = new Set<number>()
  return cover(
    different.map(({ shows }) => shows),
    words.length,
  ).map((at) => {
    const { rowId, shows } = different[at]
    return { rowId, reasons: shows.filter((n) => !seen.has(n) && seen.add(n)).map((n) => words[n]) }
  })
}

/** How many choices the search for a smaller cover may try; enough to be exact for the rounds of an office, and soon done. */
const maxTries = 20_000

/**
 * Chooses sets that together hold every number below `size`: first greedily (always the one, the first of several, that holds
 * most of what is still missing), then by a search for a smaller choice that branches on the number that fewest sets hold. The
 * search is exact unless it would try more than `maxTries` choices; then the smallest found so far stands.
 * @returns the places of the chosen sets, in order; the same for the same sets.
 */
export function cover(sets: readonly (readonly number[])[], size: number): number[] {
  const distinct = new Map<string, number>()
  sets.forEach((set, i) => {
    const key = [...set].sort((a, b) => a - b).join()
    if (!distinct.has(key)) distinct.set(key, i)
  })
  const places = [...distinct.values()]
  const holders: number[][] = Array.from({ length: size }, () => [])
  for (const i of places) for (const n of new Set(sets[i])) holders[n].push(i)

  const maxMissing = (candidates: readonly number[], missing: ReadonlySet<number>) =>
    candidates
      .map((i): [number, number] => [i, sets[i].reduce((n, one) => n + (missing.has(one) ? 1 : 0), 0)])
      .sort((a, b) => b[1] - a[1] || a[0] - b[0])
  const without = (missing: ReadonlySet<number>, set: readonly number[]) => {
    const left = new Set(missing)
    for (const one of set) left.delete(one)
    return left
  }
  const all: ReadonlySet<number> = new Set(holders.flatMap((held, n) => (held.length > 0 ? [n] : [])))

  let smallest: number[] = []
  for (let missing = all; missing.size > 0; missing = without(missing, sets[smallest[smallest.length - 1]]))
    smallest.push(maxMissing(places, missing)[0][0])

  const largest = places.reduce((most, i) => Math.max(most, sets[i].length), 1)
  let tries = 0
  const search = (chosen: number[], missing: ReadonlySet<number>) => {
    if (missing.size === 0) {
      if (chosen.length < smallest.length) smallest = chosen
      return
    }
    if (chosen.length + Math.ceil(missing.size / largest) >= smallest.length) return
    let rarest = -1
    for (const n of missing) if (rarest < 0 || holders[n].length < holders[rarest].length) rarest = n
    for (const [i] of maxMissing(holders[rarest], missing)) {
      if (++tries > maxTries) return
      search([...chosen, i], without(missing, sets[i]))
    }
  }
  search([], all)
  return smallest.sort((a, b) => a - b)
}
