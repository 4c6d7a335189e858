import { plainField, serializeField } from '../letter/field.ts'
import { type Row, shown } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { cellIn } from '../people/packed.ts'
import type { RoundFile } from './match.ts'
import { endingOf } from './names.ts'
import type { TellingIndex } from './tellingValues.ts'
import { propose as say } from './words.ts'

/** A pattern that accounts for the names of many files. */
export interface ProposedPattern {
  pattern: string
  /** How many of the files it finds a person for. */
  files: number
}

/** How many pieces of a name are looked up together: "Ada van der Berg - A 12". */
const maxPieces = 8

/**
 * The pattern with fields that accounts for the most files: in the name of each file the cells of one person are found, and
 * what is left must be the same for all.
 * @returns null when none accounts for at least two files and half of them.
 */
export function proposePattern(files: RoundFile[], people: Row[], columns: Column[]): ProposedPattern | null {
  if (files.length < 2) return null
  const usable = columns.filter((c) => c.kind !== 'files')
  const byValue = new Map<string, Set<Row>>()
  for (const row of people)
    for (const column of usable) {
      const value = shown(cellIn(row, column.id)).trim()
      if (value.length < 2 || value.length > 80) continue
      const same = byValue.get(value)
      if (same) same.add(row)
      else byValue.set(value, new Set([row]))
    }
  const counts = new Map<string, { rows: Set<number>; fields: number }>()
  for (const file of files) {
    const ending = file.name.slice(file.name.length - endingOf(file.name).length)
    const stem = file.name.slice(0, file.name.length - ending.length)
    const found = new Map<Row, number>()
    for (const part of piecesOf(stem))
      for (const row of byValue.get(part) ?? []) found.set(row, Math.max(found.get(row) ?? 0, part.length))
    const templates = new Set<string>()
    // Those of whom the most stands in the name come first; a group's name is shared by many and says little.
    for (const [row] of [...found].sort((a, b) => b[1] - a[1]).slice(0, 20)) {
      const { template, fields } = templateOf(stem, row, usable)
      if (fields === 0 || templates.has(template + row.id)) continue
      templates.add(template + row.id)
      const known = counts.get(template + ending) ?? { rows: new Set(), fields }
      known.rows.add(row.id)
      counts.set(template + ending, known)
    }
  }
  let best: ProposedPattern | null = null
  let fewest = 0
  for (const [pattern, { rows, fields }] of counts)
    if (!best || rows.size > best.files || (rows.size === best.files && fields < fewest)) {
      best = { pattern, files: Math.min(rows.size, files.length) }
      fewest = fields
    }
  return best && best.files >= 2 && best.files * 2 >= files.length ? best : null
}

/** The runs of neighbouring pieces of a name, as they stand in it. */
function piecesOf(stem: string): string[] {
  const places = [...stem.matchAll(/[\p{L}\p{N}]+/gu)].map((m) => ({ from: m.index, to: m.index + m[0].length }))
  return places.flatMap((first, i) => places.slice(i, i + maxPieces).map((last) => stem.slice(first.from, last.to)))
}

/** A name with the cells of a row, the longest first, put back as fields. */
function templateOf(stem: string, row: Row, columns: Column[]): { template: string; fields: number } {
  const values = columns
    .map((column) => ({ column, value: shown(cellIn(row, column.id)).trim() }))
    .filter(({ value }) => value.length >= 2)
    .sort((a, b) => b.value.length - a.value.length)
  let parts: (string | Column)[] = [stem]
  for (const { column, value } of values)
    parts = parts.flatMap((part) => {
      if (typeof part !== 'string') return [part]
      const at = part.indexOf(value)
      const within = (character: string | undefined) => character !== undefined && /[\p{L}\p{N}]/u.test(character)
      if (at < 0 || within(part[at - 1]) || within(part[at + value.length])) return [part]
      return [part.slice(0, at), column, part.slice(at + value.length)]
    })
  return {
    template: parts.map((part) => (typeof part === 'string' ? part : serializeField(plainField(part.name)))).join(''),
    fields: parts.filter((part) => typeof part !== 'string').length,
  }
}

/** A file that nobody gets, and the person of whom its name or its words speak. */
export interface ProposedOwner {
  fileId: number
  rowId: number
  why: string
}

/**
 * Whose the files are that nobody gets, as far as their names, and then their words, speak surely of one person only.
 * @param textOf the words of a file, null when there are none.
 */
export function proposeOwners(
  files: RoundFile[],
  index: TellingIndex,
  textOf: (file: RoundFile) => string | null,
): ProposedOwner[] {
  const proposed: ProposedOwner[] = []
  for (const file of files) {
    for (const [text, where] of [
      [file.name.slice(0, file.name.length - endingOf(file.name).length), say.name],
      [textOf(file) ?? '', say.words],
    ] as const) {
      const sure = [...index.saidIn(text).values()].filter((one) => one.strong.length > 0 || one.weak.length > 1)
      const most = Math.max(...sure.map((one) => one.strong.length))
      const first = sure.filter((one) => one.strong.length === most)
      if (sure.length === 0) continue
      if (first.length === 1 && (sure.length === 1 || most >= 2)) {
        const value = first[0].strong[0] ?? first[0].weak[0]
        proposed.push({
          fileId: file.id,
          rowId: first[0].rowId,
          why: `${where} ${where === say.name ? 'has' : 'have'} “${value.shown}” (${value.column})`,
        })
      }
      break
    }
  }
  return proposed
}
