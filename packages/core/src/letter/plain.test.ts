import fc from 'fast-check'
import { expect, test } from 'vitest'
import { type Block, emptyLetter, type Letter, type Mark } from './document.ts'
import { readHtml } from './html.ts'
import { compileLetter } from './merge.ts'
import { lostInPlain } from './plain.ts'

const letterOf = (...content: Block[]): Letter => ({ subject: 'S', body: { type: 'doc', content } })
const line = (text: string, ...types: Mark['type'][]): Block => ({
  type: 'paragraph',
  content: [{ type: 'text', text, marks: types.map((type) => ({ type }) as Mark) }],
})
const picture = (alt: string | null): Block => ({ type: 'image', attrs: { src: 'file:x', alt } })

test('what is lost in plain text is named, each once; where nothing is, nothing is said', () => {
  expect(lostInPlain(letterOf(line('Dear Ada')))).toEqual([])
  // A link keeps its address beside its words.
  expect(lostInPlain(letterOf(line('Dear Ada', 'link')))).toEqual([])
  expect(lostInPlain(letterOf(line('a', 'bold', 'textStyle'), line('b', 'bold')))).toEqual(['bold, colours'])
  expect(lostInPlain(letterOf(picture('The quay'), picture(null)))).toEqual([
    '2 pictures (1 with a description that stands there instead)',
  ])
  expect(lostInPlain(letterOf(picture('The quay')))).toEqual(['1 picture (its description stands there instead)'])
  expect(lostInPlain(letterOf(picture('The quay'), picture('The pier')))).toEqual([
    '2 pictures (their descriptions stand there instead)',
  ])
  expect(lostInPlain(letterOf(picture(' ')))).toEqual(['1 picture (it has no description)'])
  expect(lostInPlain({ ...letterOf(), firstLine: 'Soon' })).toEqual([
    'the first line that inboxes show beside the subject',
  ])
})

test('a plain letter has the same words as the other, and no looks at all', () => {
  const html = fc
    .array(
      fc.constantFrom('<p>Dear {{A}}</p>', '<h2>News</h2>', '<ul><li>one</li></ul>', '<p><b>Now</b> &amp; then</p>'),
    )
    .map((parts) => parts.join(''))
  fc.assert(
    fc.property(html, fc.string(), (text, cell) => {
      const letter = { ...emptyLetter, subject: 'For {{A}}', body: readHtml(text).body }
      const columns = [{ id: 'c1', name: 'A', kind: 'text' as const }]
      const row = { id: 1, position: '', cells: { c1: cell } }
      const looks = compileLetter(letter, columns).merge(row)
      const plain = compileLetter({ ...letter, plain: true }, columns).merge(row)
      expect(plain).toEqual({ ...looks, html: '' })
      expect(looks.html).not.toBe('')
    }),
  )
})
