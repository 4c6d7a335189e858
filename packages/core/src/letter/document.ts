import { isRule, type Selection } from '../people/rules.ts'
import { type Field, parseTemplate, plainField, serializeTemplate } from './field.ts'

/** How a run of text is marked. The address of a link may hold typed fields. */
export type Mark =
  | { type: 'bold' | 'italic' | 'underline' | 'highlight' }
  | { type: 'textStyle'; attrs: { color: string | null } }
  | { type: 'link'; attrs: { href: string } }

/** What stands in a line of the letter. */
export type Inline =
  | { type: 'text'; text: string; marks?: Mark[] }
  | { type: 'field'; attrs: Field; marks?: Mark[] }
  | { type: 'hardBreak'; marks?: Mark[] }

/** A block that is one line of words and fields (a hard break begins another within it). */
export type LineBlock =
  | { type: 'paragraph'; content?: Inline[] }
  | { type: 'heading'; attrs: { level: number }; content?: Inline[] }
  /** A link drawn as a button; its address may hold typed fields. */
  | { type: 'button'; attrs: { href: string }; content?: Inline[] }
  /** A coloured band over the whole width, for the head of a letter. */
  | { type: 'band'; attrs: { color: string }; content?: Inline[] }

/** A block that holds no words of the letter itself. */
export type LeafBlock =
  /** A picture; what stands for it where pictures are off may hold typed fields. */
  | { type: 'image'; attrs: { src: string; alt?: string | null; width?: number | null } }
  /** The rows that go with the message, one line each, of the columns named; those of `totals` are added up below. */
  | { type: 'rowsTable'; attrs: { columns: string[]; totals?: string[] } }
  | { type: 'horizontalRule' }
  /** The place for the person's own words. */
  | { type: 'personalNote' }
  /** The place for the signature of the mailbox that sends. */
  | { type: 'signature' }
  /** Two to six answers, of which the reader chooses one. */
  | { type: 'choices'; attrs: { choices: string[] } }

/** A block that holds others. */
export type HolderBlock =
  | { type: 'bulletList' | 'orderedList'; content?: ListItem[] }
  | { type: 'table'; content?: TableRow[] }
  | { type: 'twoColumns'; content?: LetterColumn[] }
  | { type: 'passage'; attrs: PassageRule; content?: (Block | Otherwise)[] }

/** The blocks of a letter, in the tree that the editor keeps (a ProseMirror document as JSON). */
export type Block = LineBlock | LeafBlock | HolderBlock

export interface ListItem {
  type: 'listItem'
  content?: Block[]
}
export interface TableRow {
  type: 'tableRow'
  content?: { type: 'tableCell' | 'tableHeader'; content?: Block[] }[]
}
export interface LetterColumn {
  type: 'column'
  content?: Block[]
}
/** Who sees a passage. Its rules name columns as fields do, by their headings, so that it holds for any list. */
export interface PassageRule {
  selection: Selection
}
/** What those see whom the rule of the passage around it leaves out. */
export interface Otherwise {
  type: 'otherwise'
  content?: Block[]
}

export interface LetterDocument {
  type: 'doc'
  content: Block[]
}

/** A letter: its subject with typed fields, and its body as a document. */
export interface Letter {
  subject: string
  /** The hidden first line, with typed fields, that inboxes show beside the subject. */
  firstLine?: string
  /** Sent as plain text only, without looks and pictures. */
  plain?: boolean
  body: LetterDocument
}

export const emptyLetter: Letter = { subject: '', body: { type: 'doc', content: [{ type: 'paragraph' }] } }

type Part = Block | ListItem | TableRow | LetterColumn | Otherwise | NonNullable<TableRow['content']>[number]
const lineTypes = new Set(['paragraph', 'heading', 'button', 'band'])

/** Whether a block is a line of words and fields. */
export const isLine = (part: Part): part is LineBlock => lineTypes.has(part.type)

/** Calls `visit` for every block of the letter and for what stands in them, in reading order. */
export function eachBlock(parts: readonly Part[], visit: (part: Part) => void): void {
  for (const part of parts) {
    visit(part)
    if (!isLine(part) && 'content' in part) eachBlock((part.content ?? []) as Part[], visit)
  }
}

/** Calls `visit` for every line of the letter: the inline content of each line block, in reading order. */
export function eachLine(blocks: Block[], visit: (line: Inline[], block: LineBlock) => void): void {
  eachBlock(blocks, (part) => {
    if (isLine(part)) visit(part.content ?? [], part)
  })
}

const fieldsIn = (typed: string | null | undefined) =>
  parseTemplate(typed ?? '').filter((s): s is Field => typeof s !== 'string')

/** Every field of a letter, in reading order, with where it stands. */
export function fieldsOf(letter: Letter): { field: Field; place: 'subject' | 'body' }[] {
  const found: { field: Field; place: 'subject' | 'body' }[] = fieldsIn(letter.subject).map((field) => ({
    field,
    place: 'subject',
  }))
  const add = (...fields: Field[]) => found.push(...fields.map((field) => ({ field, place: 'body' as const })))
  add(...fieldsIn(letter.firstLine))
  eachBlock(letter.body.content, (part) => {
    if (part.type === 'image') add(...fieldsIn(part.attrs.alt))
    if (part.type === 'button') add(...fieldsIn(part.attrs.href))
    if (isLine(part))
      for (const inline of part.content ?? []) {
        if (inline.type === 'field') add(inline.attrs)
        for (const mark of inline.marks ?? []) if (mark.type === 'link') add(...fieldsIn(mark.attrs.href))
      }
  })
  return found
}

/** A body with every block and what stands in it changed by `change`, the innermost first. */
export function changeBlocks(body: LetterDocument, change: (part: Part) => Part): LetterDocument {
  const inPart = (part: Part): Part =>
    change(
      isLine(part) || !('content' in part) || !part.content
        ? part
        : ({ ...part, content: (part.content as Part[]).map(inPart) } as Part),
    )
  return { type: 'doc', content: body.content.map((block) => inPart(block) as Block) }
}

/** A body with every line changed by `change`. */
export function changeLines(body: LetterDocument, change: (line: Inline[]) => Inline[]): LetterDocument {
  return changeBlocks(body, (part) =>
    isLine(part) && part.content ? { ...part, content: change(part.content) } : part,
  )
}

/** Typed text with every field changed by `change`. */
export function changeTemplate(typed: string, change: (field: Field) => Field): string {
  return serializeTemplate(parseTemplate(typed).map((s) => (typeof s === 'string' ? s : change(s))))
}

const renameInRules = (selection: Selection, named: (column: string) => string): Selection => ({
  ...selection,
  rules: selection.rules.map((rule) =>
    isRule(rule) ? { ...rule, column: named(rule.column) } : renameInRules(rule, named),
  ),
})

/** The letter with every field changed by `change`: how renaming a column, swapping one or adding a stand-in is done. */
export function changeFields(letter: Letter, change: (field: Field) => Field): Letter {
  const named = (column: string) => change(plainField(column)).column
  const inLine = (inline: Inline): Inline => {
    const marks = inline.marks?.map((mark) =>
      mark.type === 'link'
        ? { ...mark, attrs: { ...mark.attrs, href: changeTemplate(mark.attrs.href, change) } }
        : mark,
    )
    const marked = marks ? { ...inline, marks } : inline
    return marked.type === 'field' ? { ...marked, attrs: change(marked.attrs) } : marked
  }
  const body = changeBlocks(letter.body, (part) => {
    if (part.type === 'rowsTable')
      return {
        ...part,
        attrs: { columns: part.attrs.columns.map(named), totals: (part.attrs.totals ?? []).map(named) },
      }
    if (part.type === 'image' && part.attrs.alt)
      return { ...part, attrs: { ...part.attrs, alt: changeTemplate(part.attrs.alt, change) } }
    if (part.type === 'passage')
      return { ...part, attrs: { ...part.attrs, selection: renameInRules(part.attrs.selection, named) } }
    if (!isLine(part)) return part
    const line = part.content ? { ...part, content: part.content.map(inLine) } : part
    return line.type === 'button' ? { ...line, attrs: { href: changeTemplate(line.attrs.href, change) } } : line
  })
  const firstLine = letter.firstLine && { firstLine: changeTemplate(letter.firstLine, change) }
  return { ...letter, subject: changeTemplate(letter.subject, change), ...firstLine, body }
}

/** The pictures of a letter, in order, each once. */
export function picturesOf(letter: Pick<Letter, 'body'>): string[] {
  const found = new Set<string>()
  eachBlock(letter.body.content, (part) => {
    if (part.type === 'image') found.add(part.attrs.src)
  })
  return [...found]
}

/** The words of a letter that are the same for all, as they stand between its fields: of the subject, the first line and the body. */
export function fixedTexts(letter: Letter): string[] {
  const texts: string[] = [letter.subject, letter.firstLine ?? ''].flatMap((typed) =>
    parseTemplate(typed).filter((s) => typeof s === 'string'),
  )
  eachLine(letter.body.content, (line) => {
    let run = ''
    for (const inline of line) {
      if (inline.type === 'field') {
        texts.push(run)
        run = ''
      } else run += inline.type === 'text' ? inline.text : '\n'
    }
    texts.push(run)
  })
  return texts.filter((text) => text.trim() !== '')
}

/** The addresses that links and buttons of a letter lead to, each once, with typed fields where they have some. */
export function addressesOf(letter: Pick<Letter, 'body'>): string[] {
  const found = new Set<string>()
  eachBlock(letter.body.content, (part) => {
    if (part.type === 'button') found.add(part.attrs.href)
    if (isLine(part))
      for (const inline of part.content ?? [])
        for (const mark of inline.marks ?? []) if (mark.type === 'link') found.add(mark.attrs.href)
  })
  return [...found]
}

/** How many words and lines the letter's body has; a field counts as a word. */
export function lettersCount(letter: Pick<Letter, 'body'>): { words: number; lines: number } {
  let words = 0
  let lines = 0
  eachLine(letter.body.content, (line) => {
    const text = line.map((i) => (i.type === 'text' ? i.text : i.type === 'field' ? 'field' : '\n')).join('')
    const filled = text.split('\n').filter((part) => part.trim() !== '')
    lines += filled.length
    words += filled.reduce((sum, part) => sum + part.trim().split(/\s+/).length, 0)
  })
  return { words, lines }
}

/** Whether the letter keeps a place for personal notes. */
export function hasNotePlace(letter: Letter): boolean {
  let has = false
  eachBlock(letter.body.content, (part) => {
    if (part.type === 'personalNote') has = true
  })
  return has
}
