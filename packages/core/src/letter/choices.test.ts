import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { choiceOf, choiceSets, numbersOf, offeredChoices, preparedAnswer, withChoices } from './choices.ts'
import type { Block, Letter } from './document.ts'
import { compileLetter } from './merge.ts'

const columns = [{ id: 'c1', name: 'Kind', kind: 'text' as const }]
const row = (kind: string) => ({ id: 1, position: 'a0', number: 1, cells: { c1: kind } })
const set = (...choices: string[]): Block => ({ type: 'choices', attrs: { choices } })
const passage = (value: string, inside: Block[], otherwise: Block[] = []): Block => ({
  type: 'passage',
  attrs: { selection: { match: 'all', rules: [{ column: 'Kind', comparison: 'is', value }] } },
  content: [...inside, ...(otherwise.length > 0 ? [{ type: 'otherwise' as const, content: otherwise }] : [])],
})
const letter = (...content: Block[]): Letter => ({ subject: 'S', body: { type: 'doc', content } })
const merged = (of: Letter, kind = '', more = {}) => compileLetter(of, columns, more).merge(row(kind))

describe('choices of a letter', () => {
  test('are numbered through all sets, so that a number tells one, whichever passage it stands in', () => {
    const two = letter(passage('a', [set('One', ' Two ', '')], [set('Three', 'Four', 'Five')]))
    const sets = choiceSets(two)
    expect(sets).toEqual([
      ['One', 'Two'],
      ['Three', 'Four', 'Five'],
    ])
    expect(offeredChoices(merged(two, 'a').html)).toEqual([0, 1])
    expect(offeredChoices(merged(two, 'b').html)).toEqual([2, 3, 4])
    expect(choiceOf(sets, 3)).toEqual({ set: 1, choice: 'Four' })
    expect(choiceOf(sets, 5)).toBeNull()
    expect(numbersOf(sets, 1)).toEqual([2, 3, 4])
  })
  test('whatever sets there are and wherever they stand, each number that is offered is that of the words beside it', () => {
    const words = fc.stringMatching(/^[a-z][a-z0-9]{0,9}$/)
    const block: fc.Arbitrary<Block> = fc.oneof(
      fc.array(words, { minLength: 2, maxLength: 6 }).map((some) => set(...some)),
      fc
        .tuple(fc.array(words, { minLength: 2, maxLength: 4 }), fc.array(words, { minLength: 2, maxLength: 4 }))
        .map(([a, b]) => passage('a', [set(...a)], [set(...b)])),
      fc
        .array(words, { minLength: 2, maxLength: 3 })
        .map((some): Block => ({ type: 'bulletList', content: [{ type: 'listItem', content: [set(...some)] }] })),
    )
    fc.assert(
      fc.property(fc.array(block, { maxLength: 5 }), fc.constantFrom('a', 'b'), (blocks, kind) => {
        const one = letter(...blocks)
        const sets = choiceSets(one)
        const { html } = merged(one, kind)
        const found = [...html.matchAll(/<a class="choice" href="https:\/\/choice\.invalid\/(\d+)"[^>]*>([^<]*)</g)]
        for (const [, n, choice] of found) expect(choiceOf(sets, Number(n))?.choice).toBe(choice)
        expect(found.map(([, n]) => Number(n))).toEqual(offeredChoices(html))
      }),
    )
  })
  test('get an address each, in html and in plain text', () => {
    const of = merged(letter(set('Yes', 'No')))
    const { html, text } = withChoices(of, (n) => `https://quay.example/?a&${n}`)
    expect(html).toContain('<a class="choice" href="https://quay.example/?a&amp;0"')
    expect(text).toBe('Yes:\nhttps://quay.example/?a&0\n\nNo:\nhttps://quay.example/?a&1\n')
    expect(`${html}${text}`).not.toContain('choice.invalid')
  })
  test('of ten and more the second is not taken for the beginning of the eleventh', () => {
    const many = letter(set('a', 'b', 'c', 'd', 'e', 'f'), set('g', 'h', 'i', 'j', 'k', 'l'))
    expect(withChoices(merged(many), (n) => `<${n}>`).text).toContain('k:\n<10>\n')
  })
  test('are boxes to be ticked on paper, where nothing can be followed', () => {
    const { html } = merged(letter(set('Yes', 'No')), '', { forPaper: true })
    expect(html).toContain('[  ] Yes')
    expect(html).not.toContain('href')
    // So they are in a letter that is handed out for others to read.
    expect(merged(letter(set('Yes', 'No')), '', { asWritten: true }).html).not.toContain('choice.invalid')
  })
  test('that nobody has written leave no trace', () => {
    expect(merged(letter(set('', ' '))).text.trim()).toBe('')
  })
})

describe('a prepared answer (RFC 6068)', () => {
  // RFC 6068, section 2: the reserved characters of RFC 3986, section 2.2, and the per cent sign, the space and the ampersand are encoded.
  test.each(['Yes & no', '100 % sure?', 'a+b=c', '“Quoted” – ä', 'a;b,c/d#e'])('carries “%s” whole', (choice) => {
    const address = preparedAnswer({ to: 'harbour.office+x@quay.example', subject: 'Your & my day' }, choice, 'token')
    expect(address).toMatch(/^mailto:[\w.%-]+@[\w.]+\?subject=[\w.!~*'()%-]+&body=[\w.!~*'()%-]+$/)
    const { pathname, search } = new URL(address)
    expect(decodeURIComponent(pathname)).toBe('harbour.office+x@quay.example')
    const [subject, body] = search
      .slice(1)
      .split('&')
      .map((part) => decodeURIComponent(part.split('=')[1]))
    expect(subject).toBe(`Re: Your & my day: ${choice} [token]`)
    // RFC 6068, section 5: line breaks in the body are written as %0D%0A.
    expect(body).toBe(`${choice}\r\n`)
  })
  test('has a subject of one line, however the letter’s is', () => {
    const address = preparedAnswer(
      { to: 'a@b.example', subject: `one\r\nBcc: x@y.example ${'long '.repeat(100)}` },
      'Yes',
      null,
    )
    expect(decodeURIComponent(address)).not.toMatch(/subject=[^&]*[\r\n]/)
    expect(address.length).toBeLessThan(500)
    // Characters of two units, cut anywhere.
    for (let n = 145; n < 155; n++) {
      const cut = preparedAnswer({ to: 'a@b.example', subject: `${'x'.repeat(n)}🛶🛶🛶` }, 'Yes', 'token')
      expect(decodeURIComponent(cut)).toContain(': Yes [token]')
      expect(decodeURIComponent(cut)).not.toContain('\ufffd')
    }
  })
})
