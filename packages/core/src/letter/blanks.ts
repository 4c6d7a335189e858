/**
 * What becomes of a line around fields that turn out blank: docs/letter.md has the rules in words. They are our own; what
 * they keep to is how English is set: no space before a stop or at a line's end, one between words.
 */

const separator = /[,;:/|·]/
const stop = /[.!?]/
const dash = /[–—-]/
const pairs: Record<string, string> = { '(': ')', '[': ']', '“': '”', '‘': '’', '"': '"', "'": "'", '«': '»' }
/** What a line may be left with and still say nothing. */
const sayingNothing = /^[\s,;:/|·.!?–—()[\]“”‘’"'«»-]*$/

/** One piece of a line: fixed words, or what a field gives. */
export interface Piece {
  text: string
  field: boolean
}

/** One character of a line; only fixed ones are ever taken away. */
interface Character {
  character: string
  piece: number
  fixed: boolean
  gone: boolean
  /** The place of a field that is blank. */
  hole: boolean
}

/**
 * Closes a line up around its blank fields. A hard break is a fixed piece of its own that holds a line end.
 * @returns the texts of the pieces as they are to be written; null when nothing is left that says anything, and the whole
 *   line goes.
 */
export function closeUp(pieces: Piece[]): string[] | null {
  const characters = pieces.flatMap(({ text, field }, piece): Character[] =>
    field && text === ''
      ? [{ character: '', piece, fixed: false, gone: false, hole: true }]
      : [...text].map((character) => ({ character, piece, fixed: !field, gone: false, hole: false })),
  )
  if (!characters.some((s) => s.hole)) return pieces.map((p) => p.text)
  dropLines(characters)
  characters.forEach((s, at) => {
    if (s.hole && !s.gone) closeHole(characters, at)
  })
  const kept = characters.filter((s) => !s.gone)
  if (kept.every((s) => s.fixed || s.hole) && sayingNothing.test(kept.map((s) => s.character).join(''))) return null
  const texts = pieces.map(() => '')
  for (const { character, piece } of kept) texts[piece] += character
  return texts
}

const isBreak = (s: Character) => s.fixed && s.character === '\n'

/** Lines between hard breaks that hold a blank field and else nothing that says anything go, with one break beside them. */
function dropLines(characters: Character[]): void {
  let from = 0
  for (let at = 0; at <= characters.length; at++) {
    if (at < characters.length && !isBreak(characters[at])) continue
    const line = characters.slice(from, at)
    const says = line.some((s) => !s.hole && !s.fixed) || !sayingNothing.test(line.map((s) => s.character).join(''))
    if (line.some((s) => s.hole) && !says) {
      for (const s of line) s.gone = true
      const before = characters.slice(0, from).findLast((s) => !s.gone)
      if (at < characters.length) characters[at].gone = true
      else if (before && isBreak(before)) before.gone = true
    }
    from = at + 1
  }
}

/** The nearest character that still stands, to one side; null at the line's end. Other blank fields are passed over. */
function next(characters: Character[], at: number, step: 1 | -1): number | null {
  let i = at + step
  while (i >= 0 && i < characters.length && (characters[i].gone || characters[i].hole)) i += step
  return i < 0 || i >= characters.length || isBreak(characters[i]) ? null : i
}

function closeHole(characters: Character[], at: number): void {
  const beside = (from: number, step: 1 | -1) => {
    const i = next(characters, from, step)
    return i === null ? null : { i, character: characters[i].character, fixed: characters[i].fixed }
  }
  const isFixed = (s: ReturnType<typeof beside>, pattern: RegExp) => s?.fixed === true && pattern.test(s.character)
  const drop = (s: ReturnType<typeof beside>) => {
    if (s) characters[s.i].gone = true
  }
  // Brackets and quotation marks around nothing go.
  for (;;) {
    const [left, right] = [beside(at, -1), beside(at, 1)]
    if (!left?.fixed || !right?.fixed || pairs[left.character] !== right.character) break
    drop(left)
    drop(right)
  }
  /** Takes away spaces on one side of the hole. */
  const dropSpaces = (step: 1 | -1) => {
    for (let s = beside(at, step); isFixed(s, /\s/); s = beside(at, step)) drop(s)
  }
  /** The first character on a side that is no space. */
  const past = (step: 1 | -1) => {
    let s = beside(at, step)
    while (s && isFixed(s, /\s/)) s = beside(s.i, step)
    return s
  }
  const spaced = (step: 1 | -1) => isFixed(beside(at, step), /\s/)
  const left = past(-1)
  const right = past(1)
  const parts = (s: typeof left, step: 1 | -1) =>
    isFixed(s, separator) || (isFixed(s, dash) && spaced(step) && isFixed(beside(s!.i, step), /\s/))
  if (left === null) {
    // At the line's start: what would follow the value goes, up to the next word.
    if (right !== null && (parts(right, 1) || isFixed(right, stop))) {
      dropSpaces(1)
      drop(right)
    }
    dropSpaces(1)
    dropSpaces(-1)
  } else if (right === null || isFixed(right, stop) || parts(right, 1) || isFixed(right, /[)\]”’»]/)) {
    // Before a stop, a comma, a closing mark or the line's end: no space, and not two characters that part.
    const close = right === null || isFixed(right, /[)\]”’»]/) || isFixed(right, stop) || isFixed(right, separator)
    if (parts(left, -1) && !(left.character === ':' && right === null)) {
      dropSpaces(-1)
      drop(left)
      dropSpaces(-1)
      if (close) dropSpaces(1)
    } else {
      dropSpaces(-1)
      if (close) dropSpaces(1)
    }
  } else if (spaced(-1) && spaced(1)) dropSpaces(1)
  else if (isFixed(left, /[([“‘«]/)) dropSpaces(1)
}
