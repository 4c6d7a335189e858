import type { Column } from '../people/column.ts'
import type { Block, Letter, LetterDocument } from './document.ts'
import { plainField } from './field.ts'
import { greeting as say } from './words.ts'

const before = 'Dear '
const after = ','
/** What stands for a name that is blank, as letters of an office begin. */
const standIn = say.sirOrMadam
const firstName = /^(?:first|given|fore|christian)[\s-]*names?$/i

/**
 * The line that a letter begins with: "Dear {{First name, or "Sir or Madam"}},".
 * @param nameColumns the ids of the columns that make up people's names, in order.
 * @returns null where the list has no column of names.
 */
export function greetingFor(columns: readonly Column[], nameColumns: readonly string[]): Block | null {
  const column =
    columns.find((c) => firstName.test(c.name.trim())) ?? columns.find((c) => c.id === nameColumns[0] && !c.hidden)
  if (!column) return null
  return {
    type: 'paragraph',
    content: [
      { type: 'text', text: before },
      { type: 'field', attrs: { ...plainField(column.name), standIn } },
      { type: 'text', text: after },
    ],
  }
}

/** What a new letter has: the greeting, where there is one, and a line to write on. */
export function begunWith(greeting: Block | null): LetterDocument {
  return { type: 'doc', content: [...(greeting ? [greeting] : []), { type: 'paragraph' }] }
}

const isEmptyLine = (block: Block) => block.type === 'paragraph' && (block.content ?? []).length === 0

function isGreeting(block: Block): boolean {
  if (block.type !== 'paragraph') return false
  const [dear, field, comma, ...more] = block.content ?? []
  return (
    more.length === 0 &&
    dear?.type === 'text' &&
    dear.text === before &&
    field?.type === 'field' &&
    field.attrs.standIn === standIn &&
    comma?.type === 'text' &&
    comma.text === after
  )
}

/** Whether nobody has written anything yet: the body has at most the greeting that it began with, and there is no subject. */
export const isUnwritten = ({ subject, body }: Pick<Letter, 'subject' | 'body'>): boolean =>
  subject.trim() === '' && bodyIsUnwritten(body)

/** Whether a body has at most the greeting that it began with. */
export const bodyIsUnwritten = ({ content }: LetterDocument): boolean =>
  content.every((block, i) => isEmptyLine(block) || (i === 0 && isGreeting(block)))
