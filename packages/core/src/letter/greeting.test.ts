import { expect, test } from 'vitest'
import type { Column } from '../people/column.ts'
import { emptyLetter, type Letter } from './document.ts'
import { serializeField } from './field.ts'
import { begunWith, greetingFor, isUnwritten } from './greeting.ts'
import { readHtml } from './html.ts'
import { compileLetter } from './merge.ts'

const columns: Column[] = [
  { id: 'c1', name: 'Surname', kind: 'text' },
  { id: 'c2', name: 'First name', kind: 'text' },
  { id: 'c3', name: 'Holder', kind: 'text' },
]
const fieldIn = (letter: Pick<Letter, 'body'>) => {
  const [line] = letter.body.content
  const field = line.type === 'paragraph' ? line.content?.[1] : undefined
  return field?.type === 'field' ? serializeField(field.attrs) : null
}

test('a letter begins with the first name, else with the column of names, and with nothing where there is none', () => {
  const with_ = (given: Column[], names: string[]) => fieldIn({ body: begunWith(greetingFor(given, names)) })
  expect(with_(columns, ['c1'])).toBe('{{First name, or "Sir or Madam"}}')
  expect(with_([columns[0], columns[2]], ['c3'])).toBe('{{Holder, or "Sir or Madam"}}')
  expect(with_(columns.slice(0, 1), [])).toBeNull()
  expect(with_([{ ...columns[2], hidden: true }], ['c3'])).toBeNull()
})

test('it greets by name, and whoever has none as letters do', () => {
  const letter = { subject: '', body: begunWith(greetingFor(columns, [])) }
  const { merge } = compileLetter(letter, columns)
  const text = (cells: Record<string, string>) => merge({ id: 1, position: '', cells }).text.trim()
  expect([text({ c2: 'Ada' }), text({})]).toEqual(['Dear Ada,', 'Dear Sir or Madam,'])
})

test('it is unwritten until there is more than that', () => {
  const body = begunWith(greetingFor(columns, []))
  expect([isUnwritten(emptyLetter), isUnwritten({ subject: ' ', body }), isUnwritten({ subject: 'S', body })]).toEqual([
    true,
    true,
    false,
  ])
  for (const html of ['<p>Dear {{First name}},</p>', '<p>Hello</p>', '<hr>', '<p>Dear all,</p>'])
    expect(isUnwritten({ subject: '', body: readHtml(html).body })).toBe(false)
  expect(isUnwritten({ subject: '', body: { type: 'doc', content: [...body.content, body.content[0]] } })).toBe(false)
})
