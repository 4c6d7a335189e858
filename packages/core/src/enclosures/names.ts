import { slips } from '../letter/marks.ts'
import { compileTyped } from '../letter/typedText.ts'
import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { withoutEnd, withoutStart } from '../people/plainText.ts'
import { names as say } from './words.ts'

/**
 * The names a cell gives: several are separated by semicolon, line break or bar. Folders in front of them stay.
 * @example namesInCell('berth.pdf; plans/pier.pdf') // ['berth.pdf', 'plans/pier.pdf']
 */
export function namesInCell(text: string): string[] {
  return text
    .split(/[;\n|]/)
    .map((name) => name.trim().replace(/\\/g, '/'))
    .filter((name) => baseName(name) !== '')
}

/**
 * A cell with another name in the place of one that it gives; everything else in it stays as it is.
 * @param from the name, as {@link namesInCell} gives it or without its folders. The first such is swapped.
 * @example swapNameInCell('a.pdf; b.pdf', 'b.pdf', 'c.pdf') // 'a.pdf; c.pdf'
 */
export function swapNameInCell(text: string, from: string, to: string): string {
  let swapped = false
  return text
    .split(/([;\n|])/)
    .map((piece) => {
      const [name] = namesInCell(piece)
      if (swapped || name === undefined || (name !== from && baseName(name) !== from)) return piece
      swapped = true
      return piece.replace(piece.trim(), () => to)
    })
    .join('')
}

/** The last part of a path: the file's own name. */
export const baseName = (path: string): string => path.replace(/^.*[\\/]/, '').trim()

/** The ending of a file's name with its dot, in small letters; '' when it has none. */
export const endingOf = (name: string): string => /\.[\p{L}\p{N}]{1,8}$/u.exec(name)?.[0].toLowerCase() ?? ''

const withoutEnding = (name: string) => name.slice(0, name.length - endingOf(name).length)

// Names that some systems keep for devices: a file of such a name cannot be opened there. From memory.
const deviceName = /^(con|prn|aux|nul|com\d|lpt\d)(?=\.|$)/i

/**
 * A file's name reduced to a safe base name: no folders, no control characters, no direction overrides, no name of a device, at most
 * 200 characters with the ending kept.
 * @example safeName('../plans/pier.pdf') // 'pier.pdf'
 */
export function safeName(name: string): string {
  const whole = name.normalize('NFC')
  const plain = whole
    .slice(Math.max(whole.lastIndexOf('/'), whole.lastIndexOf('\\')) + 1)
    // biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are what is removed
    .replace(/[\u0000-\u001f\u007f\u200b-\u200f\u2028-\u202e\u2066-\u2069"<>|:*?]/g, '')
  const base = withoutEnd(withoutStart(plain, '.'), '. ').trim().replace(deviceName, '$1_')
  if (base === '') return 'file'
  if (base.length <= 200) return base
  const ending = endingOf(base)
  return base.slice(0, 200 - ending.length) + ending
}

/**
 * The folders of a path, each made safe, joined by "/"; '' for a bare name. Steps upwards are left out.
 * @example safeFolder('../plans/2026/pier.pdf') // 'plans/2026'
 */
export function safeFolder(path: string): string {
  const parts = path.replace(/\\/g, '/').split('/').slice(0, -1)
  return parts
    .filter((part) => !/^\.*\s*$/.test(part))
    .map(safeName)
    .slice(-8)
    .join('/')
}

/**
 * Compiles a name with fields in it (`permit-{{Permit no}}.pdf`) for a list's columns.
 * @returns what writes it for a row, null where a field of it is blank there; and the fields without a column.
 */
export function compileName(
  pattern: string,
  columns: Column[],
): { of: (row: Row) => string | null; unknown: string[]; columnIds: string[] } {
  const { of, unknown, columnIds } = compileTyped(pattern.trim(), columns)
  return {
    unknown,
    columnIds,
    of(row) {
      const { text, blank } = of(row)
      return blank.length > 0 || text.trim() === '' ? null : text.trim()
    },
  }
}

/** A file's name with each letter written in one of the ways that Unicode has for it (UAX #15, NFC): nobody can tell them apart by looking. */
export const exactKey = (name: string): string => name.normalize('NFC')
const inSmall = (name: string) => exactKey(name).toLowerCase()
const withoutSpaces = (name: string) => inSmall(name).replace(/[\s_-]+/g, '')
const withoutAccents = (name: string) =>
  withoutSpaces(name).normalize('NFD').replace(/\p{M}/gu, '').replace(/ł/g, 'l').replace(/ø/g, 'o').replace(/ß/g, 'ss')
const loosest = (name: string) => withoutAccents(withoutEnding(name))

/** A file that comes near to a name, and in what the two differ. */
export interface Near<T> {
  file: T
  why: string
}

/** In what two names that are not the same differ, the least of it: how near they are (0 is nearest), and in words. */
function differ(wanted: string, there: string): [number, string] {
  if (inSmall(wanted) === inSmall(there)) return [0, say.differsCapitalsOnly]
  if (withoutSpaces(wanted) === withoutSpaces(there)) return [0, say.differsSpacesOrHyphens]
  if (withoutAccents(wanted) === withoutAccents(there)) return [0, say.differsAccentsOnly]
  if (loosest(wanted) === loosest(there)) return [1, say.ending(endingOf(there))]
  return [2, say.differsOneCharacter]
}

/** A word and all that become of it when one character is left out: two words one slip apart share one of these. */
function* leavingOut(word: string): Generator<string> {
  yield word
  for (let i = 0; i < word.length; i++) yield word.slice(0, i) + word.slice(i + 1)
}

/**
 * Prepares files for finding those that come near to a name: that differ in capitals, spaces, accents, ending or one slip.
 * @returns what finds the nearest, or null when none is near or several are as near.
 */
export function nearFiles<T extends { name: string }>(files: T[]): (wanted: string) => Near<T> | null {
  let index: Map<string, T[]> | null = null
  const build = () => {
    const made = new Map<string, T[]>()
    for (const file of files)
      for (const key of leavingOut(loosest(file.name))) {
        const same = made.get(key)
        if (same) same.push(file)
        else made.set(key, [file])
      }
    return made
  }
  return (wanted) => {
    index ??= build()
    const key = loosest(wanted)
    const candidates = new Set<T>()
    for (const left of leavingOut(key)) for (const file of index.get(left) ?? []) candidates.add(file)
    const found = [...candidates]
      .filter((file) => slips(key, loosest(file.name), 1) <= 1)
      .map((file) => ({ file, difference: differ(wanted, file.name) }))
    const nearest = Math.min(...found.map(({ difference }) => difference[0]))
    const [best, ...others] = found.filter(({ difference }) => difference[0] === nearest)
    // In numbers a slip of one character is another number: permit 2041 is not permit 2044.
    if (
      !best ||
      others.length > 0 ||
      (nearest === 2 && (key.length < 4 || figures(key) !== figures(loosest(best.file.name))))
    )
      return null
    return { file: best.file, why: best.difference[1] }
  }
}

const figures = (text: string) => text.replace(/\D/g, '')
