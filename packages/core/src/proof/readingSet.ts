import type { encloser } from '../enclosures/match.ts'
import { fieldsOf, type Letter } from '../letter/document.ts'
import type { CompiledLetter } from '../letter/merge.ts'
import type { compileCopies } from '../letter/sender.ts'
import { type Column, type Row, shown } from '../people/table.ts'

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
  const lengths = used.map((column) => people.map((row) => shown(row.cells[column.id]).trim().length))
  const extremes = lengths.map((all) => {
    const filled = all.filter((n) => n > 0)
    return [Math.max(0, ...chunked(filled, Math.max)), Math.min(Number.POSITIVE_INFINITY, ...chunked(filled, Math.min))]
  })
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
  const shows = people.map((row, i): number[] => {
    const found: string[] = []
    for (const [n, isIn] of compiled.passages(row).entries()) found.push(`passage ${n + 1} ${isIn ? 'in' : 'left out'}`)
    used.forEach((column, c) => {
      const length = lengths[c][i]
      if (length === 0) {
        const standIn = fields.get(column.name.trim().toLowerCase())?.standIn ?? null
        found.push(standIn === null ? `“${column.name}” blank` : `the stand-in for “${column.name}”`)
      } else if (extremes[c][0] !== extremes[c][1]) {
        if (length === extremes[c][0]) found.push(`the longest “${column.name}”`)
        if (length === extremes[c][1]) found.push(`the shortest “${column.name}”`)
      }
    })
    const rows = round.rowsOf.get(row.id)
    const { files } = round.enclose(row, rows)
    found.push(files.length === 0 ? 'no file' : files.length === 1 ? 'one file' : `${files.length} files`)
    if (rows && rows.length > 1) found.push('several rows in one message')
    const address = round.addressColumn ? shown(row.cells[round.addressColumn]).trim() : ''
    const { cc, bcc } = round.copies.of(row, address)
    if (cc.length + bcc.length > 0) found.push(`copies to ${cc.length} openly and ${bcc.length} unseen`)
    if (hasNotes) found.push((round.notes.get(row.id) ?? '').trim() === '' ? 'no personal note' : 'a personal note')
    const values = used.map((column) => shown(row.cells[column.id])).join(' ')
    if (mightBeOther.test(values)) {
      for (const [name, pattern] of inScript)
        if (pattern.test(values)) found.push(`letters of another alphabet: ${name}`)
      if (latinWithMarks.test(values)) found.push('letters with accents')
    }
    return found.map(numberOf)
  })
  const chosen = cover(shows, words.length)
  const seen = new Set<number>()
  return chosen.map((at) => {
    const reasons = shows[at].filter((n) => !seen.has(n) && seen.add(n)).map((n) => words[n])
    return { rowId: people[at].id, reasons }
  })
}

/** The largest or smallest of many numbers, without handing them all over as arguments. */
function chunked(numbers: number[], pick: (...values: number[]) => number): number[] {
  const picked: number[] = []
  for (let at = 0; at < numbers.length; at += 5000) picked.push(pick(...numbers.slice(at, at + 5000)))
  return picked
}

/**
 * Chooses sets that together hold every number below `size`, greedily: always the one, the first of several, that holds most of
 * what is still missing; in the end those go that the others make needless.
 * @returns the places of the chosen sets, in order.
 */
export function cover(sets: readonly (readonly number[])[], size: number): number[] {
  const missing = new Set(Array.from({ length: size }, (_, i) => i))
  let chosen: number[] = []
  while (missing.size > 0) {
    let best = -1
    let most = 0
    sets.forEach((set, i) => {
      let n = 0
      for (const one of set) if (missing.has(one)) n++
      if (n > most) [best, most] = [i, n]
    })
    if (best < 0) break
    chosen.push(best)
    for (const one of sets[best]) missing.delete(one)
  }
  for (const one of [...chosen]) {
    const others = chosen.filter((c) => c !== one)
    const held = new Set(others.flatMap((c) => sets[c]))
    if (sets[one].every((n) => held.has(n))) chosen = others
  }
  return chosen.sort((a, b) => a - b)
}
