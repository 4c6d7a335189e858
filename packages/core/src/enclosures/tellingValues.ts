import { type Row, shown } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { kinds } from '../people/kinds.ts'
import { personName } from '../people/names.ts'
import { cellIn } from '../people/packed.ts'
import { looksLikeName } from '../people/reading.ts'

/**
 * A value by which somebody is told from others: few others share it. Strong ones are names in full, addresses and numbers; weak
 * ones are words that may stand in a text for other reasons (a boat called Osprey, a first name).
 */
interface Telling {
  words: string[]
  strong: boolean
  /** As it stands in the list. */
  shown: string
  column: string
  rowIds: number[]
}

/** What a text says of one person. */
export interface Said {
  rowId: number
  strong: Telling[]
  weak: Telling[]
}

// Letters whose strokes are no accents to Unicode, as they are written where they cannot be.
const strokes: Record<string, string> = { ł: 'l', ø: 'o', đ: 'd', ß: 'ss', æ: 'ae', œ: 'oe', ı: 'i', þ: 'th', ð: 'd' }

/** The words of a text as they are compared: in small letters, without accents, without the characters between them. */
export function wordsIn(text: string): string[] {
  const small = text.normalize('NFKD').toLowerCase()
  return (small.replace(/\p{M}+/gu, '').match(/[\p{L}\p{N}]+/gu) ?? []).map((word) =>
    /[łøđßæœıþð]/.test(word) ? word.replace(/[łøđßæœıþð]/g, (sign) => strokes[sign]) : word,
  )
}

/** How many people may share a value that still tells who is meant: a couple, not a group. */
const fewPeople = 2

/** What kind of telling value the words of a cell are; null when they tell nothing. */
function strengthOf(words: string[], column: Column): 'strong' | 'weak' | null {
  const joined = words.join('')
  if (joined.length < 3) return null
  if (column.kind === 'address') return 'strong'
  const letters = /\p{L}/u.test(joined)
  const figures = joined.replace(/\D/g, '').length
  if (figures === 0) return joined.length >= 4 ? 'weak' : null
  // A year, a length: numbers of few figures stand in every text.
  if (!letters && (figures < 4 || /^(19|20)\d\d$/.test(joined))) return null
  if (!letters && figures < 5 && column.kind === 'number') return null
  return letters && figures < 3 && joined.length < 5 ? 'weak' : 'strong'
}

/** The index by which texts are searched for the people of a round. */
export interface TellingIndex {
  /** What a text says of each person whom it speaks of. */
  saidIn(text: string): Map<number, Said>
}

/**
 * Finds what tells each person of a round from the others.
 * @param people whose telling values are looked for; the values of all of them decide which are shared.
 * @param without ids of columns that tell nothing, as the one that names the files.
 */
export function tellingIndex(
  people: Row[],
  columns: Column[],
  nameColumns: string[],
  without: ReadonlySet<string>,
): TellingIndex {
  const values = new Map<string, Telling>()
  const put = (words: string[], strong: boolean, text: string, column: string, rowId: number) => {
    const key = words.join(' ')
    const known = values.get(key)
    if (!known) values.set(key, { words, strong, shown: text, column, rowIds: [rowId] })
    else {
      if (!known.rowIds.includes(rowId)) known.rowIds.push(rowId)
      known.strong ||= strong
    }
  }
  const names = columns.filter((c) => nameColumns.includes(c.id))
  const heading = names.map((c) => c.name).join(', ')
  for (const row of people) {
    const name = wordsIn(personName(row, nameColumns))
    if (name.length > 1) {
      const text = personName(row, nameColumns)
      put(name, true, text, heading, row.id)
      put([...name.slice(1), name[0]], true, text, heading, row.id)
      put([name[name.length - 1], ...name.slice(0, -1)], true, text, heading, row.id)
    }
    for (const column of columns) {
      if (!kinds[column.kind].tellsApart || without.has(column.id)) continue
      const text = shown(cellIn(row, column.id)).trim()
      if (text === '' || text.length > 120) continue
      const words = wordsIn(text)
      if (words.length > 8) continue
      // Where nobody says which column has the names, what reads as one in full is taken for one.
      const strength =
        names.length === 0 && words.length > 1 && looksLikeName(text) ? 'strong' : strengthOf(words, column)
      if (strength !== null) put(words, strength === 'strong', text, column.name, row.id)
    }
  }
  // By first word, the longest first: "Halcyon II" is not "Halcyon".
  const byFirst = new Map<string, Telling[]>()
  for (const value of values.values()) {
    if (value.rowIds.length > fewPeople) continue
    const same = byFirst.get(value.words[0])
    if (same) same.push(value)
    else byFirst.set(value.words[0], [value])
  }
  for (const same of byFirst.values()) same.sort((a, b) => b.words.length - a.words.length)

  return {
    saidIn(text) {
      const words = wordsIn(text)
      const found = new Set<Telling>()
      for (let at = 0; at < words.length; ) {
        const candidates = byFirst.get(words[at])
        const hit = candidates?.find((value) => value.words.every((word, i) => words[at + i] === word))
        if (hit) found.add(hit)
        at += hit?.words.length ?? 1
      }
      const said = new Map<number, Said>()
      for (const value of found)
        for (const rowId of value.rowIds) {
          let one = said.get(rowId)
          if (!one) {
            one = { rowId, strong: [], weak: [] }
            said.set(rowId, one)
          }
          one[value.strong ? 'strong' : 'weak'].push(value)
        }
      return said
    },
  }
}

/** What the guard says of a file that goes to somebody. */
export type GuardVerdict =
  | { says: 'right' | 'nobody' }
  /** It speaks of another person and not of whom it goes to; with the words that say so. */
  | { says: 'wrong' | 'doubtful'; of: number; words: { shown: string; column: string }[] }

/**
 * Whether a file is of those whom it goes to, by its name and words. It is wrong when it surely speaks of somebody else and says
 * nothing of them; doubtful when what it says of them may stand there by chance. What both share tells nothing.
 */
export function judge(said: ReadonlyMap<number, Said>, owners: readonly number[]): GuardVerdict {
  if (said.size === 0) return { says: 'nobody' }
  const own = owners.map((id) => said.get(id)).filter((one) => one !== undefined)
  const sharedWithOwner = (value: Telling) => value.rowIds.some((id) => owners.includes(id))
  let accused: { rowId: number; values: Telling[] } | null = null
  for (const other of said.values()) {
    if (owners.includes(other.rowId)) continue
    const strong = other.strong.filter((value) => !sharedWithOwner(value))
    const weak = other.weak.filter((value) => !sharedWithOwner(value))
    if (strong.length === 0 && weak.length < 2) continue
    const values = [...strong, ...weak]
    if (values.length > (accused?.values.length ?? 0)) accused = { rowId: other.rowId, values }
  }
  if (!accused) return { says: own.length > 0 ? 'right' : 'nobody' }
  const { rowId } = accused
  const onlyOwn = (value: Telling) => !value.rowIds.includes(rowId)
  if (own.some((one) => one.strong.some(onlyOwn))) return { says: 'right' }
  const words = accused.values.slice(0, 4).map(({ shown: text, column }) => ({ shown: text, column }))
  const weakly = own.some((one) => one.weak.some(onlyOwn))
  return { says: weakly ? 'doubtful' : 'wrong', of: rowId, words }
}

/**
 * Whether a file is of those whom it goes to. What stands in it decides, whatever it is called; where it says nothing, its name
 * does. A right content under another's name is doubtful.
 * @param name without its ending.
 */
export function judgeFile(
  { saidIn }: TellingIndex,
  { name, text }: { name: string; text: string | null },
  owners: readonly number[],
): GuardVerdict {
  const byWords = judge(saidIn(text ?? ''), owners)
  if (byWords.says === 'wrong' || byWords.says === 'doubtful') return byWords
  const byName = judge(saidIn(name), owners)
  if (byName.says === 'wrong' && byWords.says === 'right') return { ...byName, says: 'doubtful' }
  return byWords.says === 'nobody' ? byName : byWords
}
