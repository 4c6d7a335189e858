import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import type { Selection } from '../people/rules.ts'
import { closeUp } from './blanks.ts'
import { type Block, changeFields, type Inline, type Letter, picturesOf } from './document.ts'
import { parseTemplate } from './field.ts'
import { flowText, unflowText } from './flow.ts'
import { readHtml, readPlainText } from './html.ts'
import { slips } from './marks.ts'
import { compileLetter, type MergeOptions } from './merge.ts'
import { compileAddresses } from './sender.ts'
import { totalOf } from './tables.ts'

const columns: Column[] = ['A', 'B', 'C'].map((name, i) => ({ id: `c${i + 1}`, name, kind: 'text' }))
const row = (...cells: string[]): Row => ({
  id: 1,
  position: '',
  number: 1,
  cells: Object.fromEntries(cells.flatMap((cell, i) => (cell === '' ? [] : [[`c${i + 1}`, cell]]))),
})
const words = (typed: string): Inline[] =>
  parseTemplate(typed).map((s) => (typeof s === 'string' ? { type: 'text', text: s } : { type: 'field', attrs: s }))
const line = (typed: string): Block => ({ type: 'paragraph', content: words(typed) })
const body = (...content: Block[]): Letter => ({ subject: '', body: { type: 'doc', content } })
const merged = (letter: Letter, cells: string[] = [], options: MergeOptions = {}, note = '') =>
  compileLetter(letter, columns, options).merge(row(...cells), undefined, note)

// Our own rules, as docs/letter.md writes them down; how English is set is common practice, no source.
describe('a line closes up around what is blank', () => {
  test.each([
    ['Dear {{A}} {{B}},', ['', ''], 'Dear,'],
    ['Dear {{A}} {{B}},', ['', 'Lee'], 'Dear Lee,'],
    ['{{A}} {{B}}', ['', 'Lee'], 'Lee'],
    ['Berth {{A}}, {{B}}.', ['4', ''], 'Berth 4.'],
    ['Berth {{A}}, {{B}}, {{C}}.', ['4', '', 'x'], 'Berth 4, x.'],
    ['Berth {{A}}, {{B}}, {{C}}', ['4', '', ''], 'Berth 4'],
    ['{{A}}, {{B}}', ['', 'Quay'], 'Quay'],
    ['{{A}}. Then more', [''], 'Then more'],
    ['Your boat ({{A}}) is dry', [''], 'Your boat is dry'],
    ['Your boat “{{A}}” is dry', [''], 'Your boat is dry'],
    ['Your boat (see {{A}}) is dry', [''], 'Your boat (see) is dry'],
    ['from {{A}} – {{B}} – to {{C}}', ['x', '', 'z'], 'from x – to z'],
    ['in {{A}} harbour', [''], 'in harbour'],
    ['half-{{A}}-deck {{B}}', ['', 'x'], 'half--deck x'],
    ['Boat: {{A}}', [''], 'Boat:'],
    ['a{{A}}b', [''], 'ab'],
    ['{{A}} / {{B}} / {{C}}', ['', 'y', ''], 'y'],
  ])('%s with %j', (template, cells, text) => {
    expect(merged(body(line(template)), cells).text).toBe(`${text}\n`)
    expect(merged({ ...body(), subject: template }, cells).subject).toBe(text)
  })
  test('lines of an address that are blank go, and so does a paragraph that says nothing', () => {
    const lines: Block = {
      type: 'paragraph',
      content: [
        ...words('{{A}}'),
        { type: 'hardBreak' },
        ...words('{{B}}, '),
        { type: 'hardBreak' },
        ...words('{{C}}'),
      ],
    }
    expect(merged(body(lines), ['Quay 1', '', 'Town']).text).toBe('Quay 1\nTown\n')
    expect(merged(body(lines), ['', '', 'Town']).html).toContain('>Town</p>')
    expect(merged(body(line('one'), line('{{A}}, {{B}}.'), line('two'))).text).toBe('one\n\ntwo\n')
    expect(merged(body(line('one'), { type: 'paragraph' }, line('two'))).text).toBe('one\n\n\n\ntwo\n')
    expect(merged(body(line('one'), { type: 'paragraph' }, { type: 'paragraph' })).html).not.toContain('&nbsp;')
  })
  test('only fixed characters are ever taken, and nothing where nothing is blank', () => {
    const piece = fc.record({
      text: fc.string({ unit: fc.constantFrom('a', ' ', ',', '.', '(', ')', '-', '“', '”', '\n'), maxLength: 5 }),
      field: fc.boolean(),
    })
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 8 }), (pieces) => {
        const closed = closeUp(pieces)
        if (!pieces.some((p) => p.field && p.text === '')) expect(closed).toEqual(pieces.map((p) => p.text))
        if (closed === null) expect(pieces.filter((p) => p.field).every((p) => p.text === '')).toBe(true)
        else
          pieces.forEach((p, i) => {
            if (p.field) expect(closed[i]).toBe(p.text)
            // Letters stay, whatever goes around them.
            expect(closed[i].replace(/[^a]/g, '')).toBe(p.text.replace(/[^a]/g, ''))
          })
      }),
    )
  })
})

describe('blocks of the letter', () => {
  const when = (column: string, value: string): Selection => ({
    match: 'all',
    rules: [{ column, comparison: 'is', value }],
  })
  const passage = (column: string): Block => ({
    type: 'passage',
    attrs: { selection: when(column, 'x') },
    content: [line('in {{B}}'), { type: 'otherwise', content: [line('out {{C}}')] }],
  })
  test('a passage is for whom its rule picks, else its otherwise; blanks count only where they are shown', () => {
    const compiled = compileLetter(body(line('start'), passage('a')), columns)
    expect(compiled.merge(row('x', 'b', 'c')).text).toBe('start\n\nin b\n')
    expect(compiled.merge(row('y', 'b', 'c')).text).toBe('start\n\nout c\n')
    expect([compiled.passages(row('x')), compiled.passages(row('y'))]).toEqual([[true], [false]])
    expect([compiled.blanks(row('x')), compiled.blanks(row('y'))]).toEqual([['B'], ['C']])
    expect(compiled.columnIds).toEqual(['c1', 'c2', 'c3'])
  })
  test('a rule about a column that is not there is told, and its passage is not shown; renaming follows', () => {
    const letter = body(passage('Gone'))
    expect(compileLetter(letter, columns).unknown).toEqual(['Gone'])
    expect(merged(letter, ['x', 'b', 'c']).text).toBe('out c\n')
    const renamed = changeFields(letter, (f) => (f.column === 'Gone' ? { ...f, column: 'A' } : f))
    expect(merged(renamed, ['x', 'b', 'c']).text).toBe('in b\n')
  })
  test('passages stand within one another, and in lists and columns', () => {
    const nested: Block = {
      type: 'passage',
      attrs: { selection: when('A', 'x') },
      content: [passage('B'), { type: 'bulletList', content: [{ type: 'listItem', content: [passage('C')] }] }],
    }
    expect(merged(body(nested), ['x', 'x', '']).text).toBe('in x\n\n- out\n')
    expect(merged(body(nested), ['', 'x', '']).text).toBe('\n')
  })
  test('a personal note is the person’s own words as text, with its paragraphs; without one nothing is left', () => {
    const letter = body(line('before'), { type: 'personalNote' }, line('after'))
    expect(merged(letter, [], {}, 'Well <done>,\nAda.\n\nSee you.').text).toBe(
      'before\n\nWell <done>,\nAda.\n\nSee you.\n\nafter\n',
    )
    expect(merged(letter, [], {}, 'Well <done>,\nAda.').html).toContain('>Well &lt;done&gt;,<br>Ada.</p>')
    expect(merged(letter).text).toBe('before\n\nafter\n')
  })
  test('signature, rule, band, button, columns and tables as html and as text', () => {
    const cell = (template: string, type: 'tableCell' | 'tableHeader' = 'tableCell') => ({
      type,
      content: [line(template)],
    })
    const letter = body(
      { type: 'band', attrs: { color: '#0b5a5e' }, content: words('For {{A}}') },
      {
        type: 'table',
        content: [
          { type: 'tableRow', content: [cell('Day', 'tableHeader'), cell('Where', 'tableHeader')] },
          { type: 'tableRow', content: [cell('{{B}}'), cell('Quay')] },
        ],
      },
      { type: 'horizontalRule' },
      {
        type: 'twoColumns',
        content: [
          { type: 'column', content: [line('left')] },
          { type: 'column', content: [line('right')] },
        ],
      },
      { type: 'button', attrs: { href: 'https://quay.example/b?n={{B}}' }, content: words('Book') },
      { type: 'signature' },
    )
    const { text, html } = merged(letter, ['Ada', 'Monday & Tuesday'], { signature: 'Port office\nBrindle Quay' })
    expect(text).toBe(
      [
        'For Ada\n\nDay               Where\nMonday & Tuesday  Quay\n\n--------------------\n\nleft\n\nright\n\n',
        'Book (https://quay.example/b?n=Monday%20%26%20Tuesday)\n\nPort office\nBrindle Quay\n',
      ].join(''),
    )
    expect(html).toContain('href="https://quay.example/b?n=Monday%20%26%20Tuesday"')
    expect(html).toContain('Port office<br>Brindle Quay')
    expect(html).toMatch(/<th [^>]*><p[^>]*>Day<\/p><\/th>/)
  })
  test('sums of rows are written as their cells are, to the penny; none where a cell is no figure', () => {
    const fee: Column = { id: 'c1', name: 'Fee', kind: 'amount' }
    expect(totalOf(fee, [row('£0.10'), row('£0.20'), row(''), row('£1,234.00')])).toBe('£1,234.30')
    expect(totalOf({ ...fee, kind: 'number' }, [row('1.5'), row('2')])).toBe('3.5')
    expect(totalOf(fee, [row('£5'), row('to follow')])).toBe('')
    const letter = body({ type: 'rowsTable', attrs: { columns: ['A', 'B'], totals: ['B'] } })
    const both = [row('Wren', '£1.50'), row('Tern', '£2.25')]
    const compiled = compileLetter(letter, [columns[0], { ...columns[1], kind: 'amount' }])
    expect(compiled.merge(both[0], both).text).toBe('A      B\nWren   £1.50\nTern   £2.25\nTotal  £3.75\n')
  })
  test('the hidden first line stands before the words, in the html alone', () => {
    const letter = { ...body(line('words')), firstLine: 'For {{A}} <b>' }
    expect(merged(letter, ['Ada']).html).toMatch(/<div style="display:none[^>]*>For Ada &lt;b&gt;/)
    expect(merged(letter, ['Ada']).text).toBe('words\n')
    expect(merged(body(line('words'))).html).not.toContain('display:none')
  })
  test('a letter handed out as written has its fields in typed form and every passage', () => {
    const { text, subject } = merged({ ...body(passage('A')), subject: '{{B, or "x", in capitals}}' }, [], {
      asWritten: true,
    })
    expect([text, subject]).toEqual(['in {{B}}\n', '{{B, or "x", in capitals}}'])
  })
  test('letter case is the value’s, not the stand-in’s', () => {
    expect(merged(body(line('{{A, or "your boat", in capitals}}')), ['sea wren']).text).toBe('SEA WREN\n')
    expect(merged(body(line('{{A, or "your boat", in capitals}}'))).text).toBe('your boat\n')
    expect(merged(body(line('{{A, in title capitals}}')), ["SEAN O'NEILL-BROWN"]).text).toBe("Sean O'Neill-Brown\n")
  })
})

describe('fields in addresses', () => {
  const link = (href: string): Letter =>
    body({ type: 'paragraph', content: [{ type: 'text', text: 'here', marks: [{ type: 'link', attrs: { href } }] }] })
  const hrefIn = (html: string) => /<a class="plain"(?: href="([^"]*)")?/.exec(html)?.[1]
  test('whatever a cell holds, it cannot leave its place in the address (URL of the platform reads it back)', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', minLength: 1 }), (value) => {
        const href = hrefIn(merged(link('https://quay.example/p/{{A}}?b={{A}}&c=1'), [value]).html) ?? ''
        const url = new URL(href.replace(/&amp;/g, '&').replace(/&#39;/g, "'"))
        expect(url.origin).toBe('https://quay.example')
        expect(url.searchParams.get('b')).toBe(value.trim())
        expect(url.searchParams.get('c')).toBe('1')
      }),
    )
  })
  test('a field at the start is the address itself, when it is a safe one; mail addresses stay readable', () => {
    expect(hrefIn(merged(link('{{A}}'), ['https://q.example/?a=1&b']).html)).toBe('https://q.example/?a=1&amp;b')
    expect(hrefIn(merged(link('{{A}}'), ['quay.example/x']).html)).toBe('https://quay.example/x')
    expect(hrefIn(merged(link('{{A}}'), ['javascript:alert(1)']).html)).toBeUndefined()
    expect(merged(link('{{A}}'), ['javascript:alert(1)']).text).toBe('here\n')
    expect(hrefIn(merged(link('mailto:{{A}}'), ['ada+b@q.example']).html)).toBe('mailto:ada+b@q.example')
  })
  test('alternative text takes fields, escaped; pictures in tables are found', () => {
    const picture: Block = { type: 'image', attrs: { src: 'file:x', alt: 'Boat {{A}}' } }
    const { html, text } = merged(body(picture), ['"><script>'])
    expect(html).toContain('alt="Boat &quot;&gt;&lt;script&gt;"')
    expect(text).toBe('[Boat "><script>]\n')
    const held: Block = {
      type: 'table',
      content: [{ type: 'tableRow', content: [{ type: 'tableCell', content: [picture] }] }],
    }
    expect(picturesOf(body(held))).toEqual(['file:x'])
  })
  test('copies and answers go where fixed addresses and cells say; what is none is told', () => {
    const { of, unknown } = compileAddresses(['m@q.example', '{{a}}', '{{Gone}}'], columns)
    expect(of(row('x@q.example; M@Q.example, nobody'))).toEqual({
      addresses: ['M@Q.example', 'x@q.example'],
      wrong: ['nobody'],
    })
    expect(unknown).toEqual(['Gone'])
  })
})

describe('plain text is flowed', () => {
  // RFC 3676: what is joined again is what was written; sections 4.2 (length) and 4.4 (space-stuffing).
  const text = fc
    .array(fc.string({ unit: fc.constantFrom('a', 'bcd', ' ', '>', 'From ', '-- ', 'é'), maxLength: 60 }), {
      maxLength: 5,
    })
    .map((lines) => lines.map((l) => (l === '-- ' ? l : l.replace(/ +$/, ''))).join('\n'))
  test('and read back it is the same; lines keep to 78 characters wherever there is a space', () => {
    fc.assert(
      fc.property(text, (plain) => {
        const flowed = flowText(plain)
        expect(unflowText(flowed)).toBe(plain)
        for (const line of flowed.split('\n')) if (line.length > 78) expect(line.trim()).not.toMatch(/\S {1}\S.{76}/)
      }),
    )
  })
  test('long lines are parted at spaces', () => {
    expect(
      flowText(`${'word '.repeat(30)}end`)
        .split('\n')
        .map((l) => l.length),
    ).toEqual([75, 75, 3])
    expect(
      flowText(`${'x'.repeat(200)} y`)
        .split('\n')
        .map((l) => l.length),
    ).toEqual([201, 1])
  })
})

describe('letters read from elsewhere', () => {
  const plain = (html: string) => merged({ subject: '', body: readHtml(html).body }).text
  test('tables, rules, underline and colour are kept; tables of layout give their words', () => {
    const kinds = (html: string) => readHtml(html).body.content.map((b) => b.type)
    expect(kinds('<table><tr><th>a<th>b<tr><td>c<td>d</table><hr>')).toEqual(['table', 'horizontalRule'])
    expect(kinds('<table><tr><td><table><tr><td>x<td>y</table></td></tr></table>')).toEqual(['paragraph', 'paragraph'])
    expect(plain('<table><tr><td>a</td><td><ul><li>c</td></tr><tr><td>d<td>e</table>after')).toBe(
      'a  - c\nd  e\n\nafter\n',
    )
    const { body } = readHtml('<p><u>u</u><span style="color:#ff0000">r</span><span style="color:#000000">b</span></p>')
    expect(JSON.stringify(body)).toContain('{"type":"underline"}')
    expect(JSON.stringify(body).match(/textStyle/g)).toHaveLength(1)
  })
  // The shape in which word processors copy lists, bold that is none, and what only they understand.
  test('merged cells leave the others in their columns, wherever they reach; it is said', () => {
    // Against the table model of HTML (WHATWG, 4.9.12): each slot is of one cell, and a slot that nobody has stays blank here.
    const size = fc.tuple(fc.integer({ min: 1, max: 3 }), fc.integer({ min: 1, max: 3 }))
    fc.assert(
      fc.property(fc.array(fc.array(size, { minLength: 2, maxLength: 4 }), { minLength: 2, maxLength: 5 }), (rows) => {
        const html = rows.map(
          (cells, r) =>
            `<tr>${cells.map(([across, down], c) => `<td colspan="${across}" rowspan="${down}">${r}.${c}</td>`).join('')}</tr>`,
        )
        const grid: string[][] = rows.map(() => [])
        rows.forEach((cells, r) => {
          let x = 0
          cells.forEach(([across, down], c) => {
            while (grid[r][x] !== undefined) x++
            for (let y = r; y < Math.min(r + down, rows.length); y++)
              for (let i = 0; i < across; i++) grid[y][x + i] ??= y === r && i === 0 ? `${r}.${c}` : ''
            x += across
          })
        })
        const { body, removed } = readHtml(`<table>${html.join('')}</table>`)
        const [table] = body.content as Extract<Block, { type: 'table' }>[]
        const read = table.content!.map((line) =>
          line.content!.map((cell) => JSON.stringify(cell).match(/"text":"([^"]*)"/)?.[1] ?? ''),
        )
        const trimmed = (line: string[]) =>
          Array.from(line, (text) => text ?? '')
            .join('|')
            .replace(/\|+$/, '')
        expect(read.map(trimmed)).toEqual(grid.map(trimmed))
        expect(removed.some((said) => /merged/.test(said))).toBe(rows.flat().some(([a, d]) => a > 1 || d > 1))
      }),
    )
    expect(
      readHtml('<table><tr><td colspan="999999999">a</td><td>b</td></tr><tr><td>c</td><td>d</td></tr></table>').removed,
    ).toHaveLength(1)
    const many = readHtml(
      `<table><tr><th>x</th><td>y</td></tr>${'<tr><td colspan=100 rowspan=100>a</td></tr>'.repeat(20_000)}</table>`,
    )
    expect(JSON.stringify(many.body).length).toBeLessThan(6_000_000)
  })
  test('marks that a letter has not are said, and their words stay', () => {
    const { body, removed } = readHtml(
      '<p style="text-align:center"><s>£400</s> £350<sup>2</sup></p><p align=right>x</p>',
    )
    expect(body.content[0]).toMatchObject({ content: [{ text: '£400' }, { text: ' £350' }, { text: '2' }] })
    expect(removed).toEqual([
      'Left out: the alignment of a paragraph, 2 times.',
      'Left out: the line through words that were struck out (the words stand).',
      'Left out: that characters were raised or lowered (they stand in the line).',
    ])
  })
  test('what a word processor copies comes out as structure', () => {
    const item = (character: string, text: string) =>
      `<p class=x style='margin-left:36.0pt;mso-list:l0 level1 lfo1'><![if !supportLists]><span style='font-family:Symbol'><span style='mso-list:Ignore'>${character}<span style='font:7.0pt "Times New Roman"'>&nbsp;&nbsp; </span></span></span><![endif]>${text}<o:p></o:p></p>`
    expect(plain(`<style>p{x}</style>${item('·', 'one')}${item('·', 'two')}<p>then</p>${item('1.', 'first')}`)).toBe(
      '- one\n- two\n\nthen\n\n1. first\n',
    )
    const { body } = readHtml(
      '<b style="font-weight:normal"><p>plain <span style="font-weight:700">bold</span></p></b>',
    )
    expect(JSON.stringify(body).match(/"type":"bold"/g)).toHaveLength(1)
  })
  test('typed fields in addresses are kept, also encoded by another program', () => {
    for (const href of ['{{A}}', 'https://q.example/%7B%7BA%7D%7D'])
      expect(compileLetter({ subject: '', body: readHtml(`<a href="${href}">x</a>`).body }, columns).columnIds).toEqual(
        ['c1'],
      )
  })
  test('plain text keeps its paragraphs, lines and fields', () => {
    const read = readPlainText('Dear {{A}},\r\n\r\n\r\none\r\ntwo {{ x\r\n')
    expect(merged({ subject: '', body: read }, ['Ada']).text).toBe('Dear Ada,\n\none\ntwo {{ x\n')
  })
  test('two megabytes of broken nesting and five of words lose nothing', () => {
    for (const [piece, times] of [
      ['<p><b>word<i>word</p></u></td><div><table><tr>word</table></div></span>', 28_000],
      ['<table><tr><td><ul><li><b>word</td><p>', 3000],
      ['<ul><li>word', 3000],
    ] as const) {
      const read = JSON.stringify(readHtml(piece.repeat(times)).body)
      expect(read.match(/word/g)).toHaveLength(piece.split('word').length * times - times)
    }
    const long = 'word '.repeat(1_000_000)
    expect(JSON.stringify(readHtml(`<p>${long}</p>`).body).length).toBeGreaterThan(4_999_990)
  })
})

describe('slips between two words', () => {
  const letters = fc.string({ unit: fc.constantFrom('a', 'b', 'c'), maxLength: 9 })
  test('each of Damerau’s four kinds is one, wherever it is made, and it is the same both ways', () => {
    fc.assert(
      fc.property(letters, fc.nat(), fc.nat(3), (word, at, kind) => {
        const i = word.length === 0 ? 0 : at % word.length
        const [head, rest] = [word.slice(0, i), word.slice(i)]
        const wrong = [
          `${head}z${rest}`,
          head + rest.slice(1),
          `${head}z${rest.slice(1)}`,
          head + (rest[1] ?? '') + (rest[0] ?? '') + rest.slice(2),
        ][kind]
        const wanted = wrong === word ? 0 : 1
        expect([slips(word, wrong), slips(wrong, word)]).toEqual([wanted, wanted])
      }),
    )
  })
  test('counted as its definition says: never more than without swaps, never fewer than half of that', () => {
    // Wagner and Fischer's recursion, written out.
    const plain = (a: string, b: string): number =>
      a === '' || b === ''
        ? a.length + b.length
        : Math.min(
            plain(a.slice(1), b) + 1,
            plain(a, b.slice(1)) + 1,
            plain(a.slice(1), b.slice(1)) + (a[0] === b[0] ? 0 : 1),
          )
    const short = fc.string({ unit: fc.constantFrom('a', 'b', 'c'), maxLength: 5 })
    fc.assert(
      fc.property(short, short, (a, b) => {
        const counted = slips(a, b, 9)
        expect(counted).toBeLessThanOrEqual(plain(a, b))
        expect(counted).toBeGreaterThanOrEqual(plain(a, b) / 2)
        expect(slips(a, b, 1)).toBe(Math.min(counted, 2))
      }),
      { numRuns: 60 },
    )
  })
})
