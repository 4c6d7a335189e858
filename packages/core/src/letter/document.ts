import { type Field, parseTyped, printTyped } from './field.ts'

/** How a run of text is marked. */
export type Mark =
  | { type: 'bold' }
  | { type: 'italic' }
  | { type: 'highlight' }
  | { type: 'link'; attrs: { href: string } }

/** What stands in a line of the letter. */
export type Inline =
  | { type: 'text'; text: string; marks?: Mark[] }
  | { type: 'field'; attrs: Field; marks?: Mark[] }
  | { type: 'hardBreak'; marks?: Mark[] }

/** The blocks of a letter, in the tree that the editor keeps (a ProseMirror document as JSON). */
export type Block =
  | { type: 'paragraph'; content?: Inline[] }
  | { type: 'heading'; attrs: { level: number }; content?: Inline[] }
  | { type: 'bulletList' | 'orderedList'; content?: ListItem[] }
  | { type: 'image'; attrs: { src: string; alt?: string | null; width?: number | null } }
  /** The rows that go with the message, one line each, of the columns named. */
  | { type: 'rowsTable'; attrs: { columns: string[] } }

export interface ListItem {
  type: 'listItem'
  content?: Block[]
}

export interface LetterDocument {
  type: 'doc'
  content: Block[]
}

/** A letter: its subject with typed fields, and its body as a document. */
export interface Letter {
  subject: string
  body: LetterDocument
}

export const emptyLetter: Letter = { subject: '', body: { type: 'doc', content: [{ type: 'paragraph' }] } }

/** Calls `visit` for every line of the letter: the inline content of each paragraph and heading, in reading order. */
export function eachLine(blocks: Block[], visit: (line: Inline[], block: Block) => void): void {
  for (const block of blocks) {
    if (block.type === 'paragraph' || block.type === 'heading') visit(block.content ?? [], block)
    else if (block.type !== 'image' && block.type !== 'rowsTable')
      for (const item of block.content ?? []) eachLine(item.content ?? [], visit)
  }
}

/** Every field of a letter, in subject and body, in reading order, with where it stands. */
export function fieldsOf(letter: Letter): { field: Field; place: 'subject' | 'body' }[] {
  const found: { field: Field; place: 'subject' | 'body' }[] = []
  for (const segment of parseTyped(letter.subject))
    if (typeof segment !== 'string') found.push({ field: segment, place: 'subject' })
  eachLine(letter.body.content, (line) => {
    for (const inline of line) if (inline.type === 'field') found.push({ field: inline.attrs, place: 'body' })
  })
  return found
}

type List = Extract<Block, { type: 'bulletList' | 'orderedList' }>
const isList = (block: Block): block is List => block.type === 'bulletList' || block.type === 'orderedList'

/** A body with every block that is not a list, in lists too, changed by `change`. */
function changeBlocks(body: LetterDocument, change: (block: Exclude<Block, List>) => Block): LetterDocument {
  const inBlock = (block: Block): Block =>
    isList(block)
      ? { ...block, content: block.content?.map((item) => ({ ...item, content: item.content?.map(inBlock) })) }
      : change(block)
  return { type: 'doc', content: body.content.map(inBlock) }
}

/** A body with every line changed by `change`. */
export function changeLines(body: LetterDocument, change: (line: Inline[]) => Inline[]): LetterDocument {
  return changeBlocks(body, (block) =>
    (block.type === 'paragraph' || block.type === 'heading') && block.content
      ? { ...block, content: change(block.content) }
      : block,
  )
}

/** The letter with every field changed by `change`: how renaming a column, swapping one or adding a stand-in is done. */
export function changeFields(letter: Letter, change: (field: Field) => Field): Letter {
  const subject = printTyped(parseTyped(letter.subject).map((s) => (typeof s === 'string' ? s : change(s))))
  const named = (column: string) => change({ column, standIn: null, format: null }).column
  const withFields = changeLines(letter.body, (line) =>
    line.map((inline) => (inline.type === 'field' ? { ...inline, attrs: change(inline.attrs) } : inline)),
  )
  const body = changeBlocks(withFields, (block) =>
    block.type === 'rowsTable' ? { ...block, attrs: { columns: block.attrs.columns.map(named) } } : block,
  )
  return { subject, body }
}

/** The pictures of a letter, in order, each once. */
export function picturesOf(letter: Letter): string[] {
  const found = new Set<string>()
  const look = (blocks: Block[]) => {
    for (const block of blocks) {
      if (block.type === 'image') found.add(block.attrs.src)
      else if (block.type === 'bulletList' || block.type === 'orderedList')
        for (const item of block.content ?? []) look(item.content ?? [])
    }
  }
  look(letter.body.content)
  return [...found]
}
