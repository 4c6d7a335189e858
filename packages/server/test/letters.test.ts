import { type ProblemError, routes } from '@hand-post/contract'
import { type Block, type Inline, type Letter, parseTemplate, unflowText } from '@hand-post/core'
import fc from 'fast-check'
import { strToU8, zipSync } from 'fflate'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { composeRaw } from '../src/mailboxes/compose.ts'
import { minute, office, recipientsIn, World } from './world.ts'

let world: World
beforeAll(async () => {
  world = await World.open()
})
afterAll(() => world.close())

const words = (typed: string): Inline[] =>
  parseTemplate(typed).map((s) => (typeof s === 'string' ? { type: 'text', text: s } : { type: 'field', attrs: s }))
const line = (typed: string): Block => ({ type: 'paragraph', content: words(typed) })
const letterOf = (subject: string, ...content: Block[]): Letter => ({ subject, body: { type: 'doc', content } })
const people = [
  'Name,Email,Deputy,Area,Boat',
  'Łucja Quay-Ångström,lucja@village.example,deputy@village.example,Pontoon,Sea Wren',
  'Bram Tolland,bram@village.example,,Mooring,',
].join('\n')
const empty = { subject: 'S', html: '<p>x</p>' }
const mailboxOf = async () => (await world.call(routes.mailboxes))[0]

/** The header lines of a raw message, and the longest line of all of it in octets. */
const linesOf = (raw: Buffer) => {
  const text = raw.toString('latin1')
  return {
    header: text.slice(0, text.indexOf('\r\n\r\n')).split('\r\n'),
    longest: Math.max(...text.split('\r\n').map((l) => l.length)),
  }
}

// Read by mailparser, which shares no code with what wrote it.
describe('a letter with everything in it', () => {
  test('reaches each person with what is theirs, within the limits of the standards', async () => {
    const mailbox = await mailboxOf()
    const {
      id: _,
      practice: _p,
      allowance: _a,
      pausedUntil: _u,
      stopped: _s,
      pauseReason: _r,
      readingFault: _f,
      ...settings
    } = mailbox
    await world.call(routes.changeMailbox, {
      params: { mailbox: mailbox.id },
      body: { ...settings, aliases: ['master@brindlequay.example'], signature: 'Harbour Office\nBrindle Quay' },
    })
    const png = Buffer.from(
      'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
      'base64',
    )
    const { src } = await world.call(routes.addPicture, { query: { name: 'quay.png' }, file: png })
    const when = { match: 'all' as const, rules: [{ column: 'Area', comparison: 'is' as const, value: 'Pontoon' }] }
    const cell = (typed: string) => ({ type: 'tableCell' as const, content: [line(typed)] })
    const letter: Letter = {
      ...letterOf(
        'Für {{Name}}: „{{Boat, or "Ihr Boot", in capitals}}“ – ein langer Betreff, der über eine Zeile geht',
        { type: 'band', attrs: { color: '#0b5a5e' }, content: words('Season {{Area}}') },
        line(`Dear {{Name}}, ${'a line that goes on and on, '.repeat(20)}and ends.`),
        {
          type: 'passage',
          attrs: { selection: when },
          content: [line('for pontoons'), { type: 'otherwise', content: [line('for others')] }],
        },
        { type: 'table', content: [{ type: 'tableRow', content: [cell('Boat'), cell('{{Boat, or "none"}}')] }] },
        { type: 'image', attrs: { src, alt: 'Berth of {{Name}}', width: 10 } },
        { type: 'personalNote' },
        { type: 'button', attrs: { href: 'https://quay.example/b?n={{Name}}' }, content: words('Book') },
        { type: 'signature' },
      ),
      firstLine: 'About {{Boat, or "your boat"}}',
    }
    const round = await world.round(people, empty, {})
    const params = { round: round.id }
    await world.call(routes.changeRound, {
      params,
      body: {
        letter,
        sender: { address: 'master@brindlequay.example', name: 'Hafenmeister Ö', replyTo: office },
        cc: ['{{Deputy}}'],
        tracking: { optOut: true, clicks: true },
        dispatch: { perMinute: 60 },
      },
    })
    await world.call(routes.writeNote, {
      params: { ...params, row: 1 },
      body: { words: 'Well done <you>.\n\nSee you.' },
    })
    expect(await world.call(routes.notes, { params })).toEqual([{ row: 1, words: 'Well done <you>.\n\nSee you.' }])
    expect((await world.call(routes.proof, { params })).findings.map((f) => f.check)).toEqual(['outside'])
    const timetable = await world.call(routes.timetable, { params })
    expect([timetable.departures.length, recipientsIn(timetable)]).toEqual([2, 3])
    const shown = await world.call(routes.message, { params: { ...params, row: 1 } })
    expect([shown.from, shown.cc, shown.replyTo]).toEqual([
      'Hafenmeister Ö <master@brindlequay.example>',
      ['deputy@village.example'],
      [office],
    ])
    await world.call(routes.post, { params, body: { messages: 2 } })
    await world.pass(5 * minute, 5)

    // An address that is taken from the mailbox again is written from no more.
    await world.call(routes.changeMailbox, { params: { mailbox: mailbox.id }, body: settings })
    const again = await world.round(people, empty)
    await world.handPost.parts.db.query('UPDATE rounds SET sender = $2 WHERE id = $1', [
      again.id,
      JSON.stringify({ address: 'master@brindlequay.example', name: null, replyTo: null }),
    ])
    const own = await world.call(routes.message, { params: { round: again.id, row: 1 } })
    expect(own.from).toContain(`<${office}>`)

    const [raw] = await world.inboxOf('lucja@village.example')
    const read = await simpleParser(raw)
    expect(read.subject).toBe('Für Łucja Quay-Ångström: „SEA WREN“ – ein langer Betreff, der über eine Zeile geht')
    expect(read.from?.value).toEqual([{ name: 'Hafenmeister Ö', address: 'master@brindlequay.example' }])
    expect(read.replyTo?.value.map((v) => v.address)).toEqual([office])
    expect([read.cc].flat().flatMap((c) => c?.value.map((v) => v.address))).toEqual(['deputy@village.example'])
    const text = unflowText(read.text!)
    expect(text).toContain('Season Pontoon\n\nDear Łucja')
    expect(text).toContain(
      'for pontoons\n\nBoat  Sea Wren\n\n[Berth of Łucja Quay-Ångström]\n\nWell done <you>.\n\nSee you.\n\nBook (',
    )
    expect(text).toContain('Harbour Office\nBrindle Quay\n\nIf you do not want letters like this one: http')
    expect(read.html).toContain('alt="Berth of Łucja Quay-Ångström"')
    expect(read.html).toContain('About Sea Wren')
    expect(read.html).toContain('Well done &lt;you&gt;.')
    expect(read.attachments.map((a) => a.contentType)).toEqual(['image/png'])

    // RFC 5322, section 2.1.1: 998 octets at most, 78 as advised; RFC 2047, section 2: 75 characters to an encoded-word.
    const { header, longest } = linesOf(raw)
    expect(longest).toBeLessThanOrEqual(998)
    for (const one of header) expect(one.length).toBeLessThanOrEqual(one.includes('http') ? 200 : 78)
    for (const [word] of header.join('\n').matchAll(/=\?[^?]+\?[QB]\?[^?]*\?=/gi))
      expect(word.length).toBeLessThanOrEqual(75)
    expect(header.join('')).toMatch(/Subject:.*=\?UTF-8\?[QB]\?/i)
    // RFC 2369 and RFC 8058, section 3.1.
    expect(header.join('\n').replace(/\n\s/g, ' ')).toMatch(/^List-Unsubscribe: ?<http[^>]+\/o\/[\w.-]+>$/m)
    expect(header).toContain('List-Unsubscribe-Post: List-Unsubscribe=One-Click')
    // RFC 3676: the lines of the plain text are short where there is a space, and joined again they are the text.
    expect(raw.toString('latin1')).toMatch(/Content-Type: text\/plain; charset=utf-8; format=flowed/)

    const other = await simpleParser((await world.inboxOf('bram@village.example'))[0])
    expect(other.cc).toBeUndefined()
    expect(other.text).toContain('for others\n\nBoat  none\n')
    expect(other.text).not.toContain('Well done')
    expect(other.subject).toContain('„Ihr Boot“')
  })

  test('a note is for a person of the list, and none is written once the round is posted', async () => {
    const round = await world.round(people, empty)
    const write = (row: number) =>
      world.call(routes.writeNote, { params: { round: round.id, row }, body: { words: 'x' } }).then(
        () => 'written',
        (e: ProblemError) => e.problem.status,
      )
    expect([await write(1), await write(99)]).toEqual(['written', 404])
    await world.call(routes.writeNote, { params: { round: round.id, row: 1 }, body: { words: '  ' } })
    expect(await world.call(routes.notes, { params: { round: round.id } })).toEqual([])
    // Another list is other people: nobody gets words that were for somebody else.
    await write(2)
    const other = await world.round('Name,Email\nX,x@village.example\nY,y@village.example\n', empty)
    const { said } = await world.call(routes.changeRound, {
      params: { round: round.id },
      body: { listId: other.list!.id },
    })
    expect(said.join()).toContain('One personal note was for people of the list before')
    expect(await world.call(routes.notes, { params: { round: round.id } })).toEqual([])
    await world.call(routes.post, { params: { round: round.id }, body: { messages: 2 } })
    expect(await write(1)).toBe(409)
  })

  test('whatever stands in names and subject, it adds no header, and the text comes through unchanged', async () => {
    const anything = fc.string({
      unit: fc.constantFrom('a', 'é', '\r', '\n', ':', ' ', '=?', '>', '"', '漢', '\t', 'Bcc: x@y.example'),
    })
    await fc.assert(
      fc.asyncProperty(anything, anything, async (name, subject) => {
        const contents = {
          from: { name, address: office },
          to: { name, address: 'ada@village.example' },
          cc: [],
          bcc: [],
          subject: `S ${subject.replace(/[\r\n\t]+/g, ' ')}`,
          html: '<p>x</p>',
          text: `From me\n>quoted ${subject.replace(/[\r\n\t]/g, ' ')} end\n`,
          files: [],
          pictures: [],
          links: [],
          receipt: false,
        }
        const raw = await composeRaw(
          { key: 'k'.repeat(22), messageId: '<k@x.example>', contents },
          0,
          world.handPost.parts.files,
        )
        const { header } = linesOf(raw)
        const names = header.filter((l) => !/^\s/.test(l)).map((l) => l.slice(0, l.indexOf(':')))
        expect(names).toEqual(['From', 'To', 'Subject', 'Message-ID', 'Date', 'MIME-Version', 'Content-Type'])
        const plain = unflowText((await simpleParser(raw, { skipTextToHtml: true })).text!)
        expect(plain.replace(/\s+/g, ' ').trim()).toBe(contents.text.replace(/\s+/g, ' ').trim())
      }),
      { numRuns: 60 },
    )
  })
})

// RFC 2046, section 4.1.3, and RFC 3676: one part of text, flowed; nothing of HTML anywhere.
test('a letter in plain text goes as text alone, with its files; what could be followed is not kept track of, and that is said', async () => {
  const round = await world.round('Name,Email\nAda,plain@village.example', empty, {})
  const params = { round: round.id }
  const letter: Letter = {
    ...letterOf('For {{Name}}', line('Dear {{Name}}, see below.'), {
      type: 'button',
      attrs: { href: 'https://quay.example/b' },
      content: words('Book'),
    }),
    plain: true,
  }
  const { said } = await world.call(routes.changeRound, {
    params,
    body: { letter, tracking: { opens: true, clicks: true, receipts: true } },
  })
  expect(said).toEqual(['As plain text, opens and followed links cannot be seen: they are not kept track of.'])
  expect((await world.call(routes.round, { params })).tracking).toMatchObject({
    opens: false,
    clicks: false,
    receipts: true,
  })
  const files = { params, query: { name: 'rules.txt', role: 'common' as const }, file: Buffer.from('Rules') }
  await world.call(routes.addFile, files)
  const shown = await world.call(routes.message, { params: { ...params, row: 1 } })
  expect(shown).toMatchObject({ html: '', text: expect.stringContaining('Dear Ada, see below.') })
  await world.call(routes.post, { params, body: { messages: 1 } })
  await world.pass(5 * minute, 5)
  const [raw] = await world.inboxOf('plain@village.example')
  const mail = await simpleParser(raw)
  expect(mail.html).toBe(false)
  expect(unflowText(mail.text!)).toContain('Dear Ada, see below.')
  expect(mail.text).toContain('https://quay.example/b')
  expect(mail.attachments.map((a) => [a.filename, a.content.toString()])).toEqual([['rules.txt', 'Rules']])
  expect(raw.toString()).not.toMatch(/text\/html|multipart\/alternative|<\/p>|<!doctype/i)
  // Handed out, and made into a file, it has its looks.
  const html = await fetch(`${world.handPost.address}/api/rounds/${round.id}/letter-file?as=html`)
  expect(await html.text()).toContain('Dear {{Name}}')
})

describe('opting out', () => {
  test('looking changes nothing, one click does; no later round writes to that address', async () => {
    const round = await world.round('Name,Email\nCerys,cerys@village.example\nDai,dai@village.example\n', empty, {
      tracking: { optOut: true },
    })
    const params = { round: round.id }
    await world.call(routes.post, { params, body: { messages: 2 } })
    await world.pass(5 * minute, 5)
    const read = await simpleParser((await world.inboxOf('cerys@village.example'))[0])
    const url =
      /<([^>]+)>/.exec(JSON.stringify(read.headers.get('list')))?.[1] ?? /https?:\S+\/o\/[\w.-]+/.exec(read.text!)![0]
    const page = await fetch(url)
    expect(await page.text()).toContain('cerys@village.example')
    expect(await world.call(routes.doNotWrite)).toEqual([])
    // RFC 8058, section 3.2: the mail program posts this body, without asking anything more.
    const done = await fetch(url, {
      method: 'POST',
      headers: { 'content-type': 'application/x-www-form-urlencoded' },
      body: 'List-Unsubscribe=One-Click',
    })
    expect([done.status, await done.text()].join()).toMatch(/200.*gets no more letters/s)
    await fetch(url, { method: 'POST' })
    const [refused] = await world.call(routes.doNotWrite)
    expect([refused.address, refused.reason]).toEqual(['cerys@village.example', 'opted out by a letter of “A round”'])
    const board = await world.board(params.round)
    expect(board.counts.optedOut).toBe(1)
    expect(board.people.find((p) => p.person === 'Cerys')?.outcome).toBe('optedOut')
    const next = await world.round('Name,Email\nCerys,CERYS@village.example\nDai,dai@village.example\n', empty)
    expect(next.counts).toMatchObject({ round: 1, doNotWrite: 1 })
    const forged = await fetch(`${url.slice(0, -4)}AAAA`, { method: 'POST' })
    expect(forged.status).toBe(404)
  })
})

describe('the shelf and versions', () => {
  test('letters are kept, found, copied, changed back and taken off', async () => {
    const letter = letterOf('Permits {{Year}}', line('Dear {{Name}}, your permit is here.'))
    const kept = await world.call(routes.putOnShelf, { body: { name: 'Permits', tags: ['spring'], letter } })
    await world.call(routes.putOnShelf, { body: { name: 'Other', letter: letterOf('x', line('y')) } })
    for (const find of ['PERM', 'spring', 'your permit'])
      expect((await world.call(routes.shelf, { query: { find } })).map((l) => l.name)).toEqual(['Permits'])
    expect(kept.beginning).toBe('Dear {{Name}}, your permit is here.')
    const params = { letter: kept.id }
    const changed = await world.call(routes.changeOnShelf, { params, body: { letter: letterOf('new', line('new')) } })
    expect(changed.subject).toBe('new')
    const [version] = await world.call(routes.shelfVersions, { params })
    expect((await world.call(routes.version, { params: { version: version.id } })).letter).toEqual(letter)
    await world.call(routes.takeOffShelf, { params })
    expect((await world.call(routes.shelf)).map((l) => l.name)).toEqual(['Other'])
  })
  test('what a round’s letter was is kept now and then, and always when another takes its place', async () => {
    const { id } = await world.call(routes.startRound, { body: { title: 'Versions' } })
    const params = { round: id }
    const put = (text: string, keepBefore = false) =>
      world.call(routes.changeRound, { params, body: { letter: letterOf(text, line(text)), keepBefore } })
    const subjects = async () => (await world.call(routes.letterVersions, { params })).map((v) => v.subject)
    await put('one')
    await put('two')
    await put('three')
    expect(await subjects()).toEqual(['one'])
    await put('four', true)
    expect(await subjects()).toEqual(['three', 'one'])
    world.clock.move(6 * minute)
    await put('five')
    expect(await subjects()).toEqual(['four', 'three', 'one'])
  })
})

// Put together by hand from ECMA-376, part 1: a document with a heading, marks, a list, a table and a link's words.
const docx = (body: string, more: Record<string, Uint8Array> = {}) =>
  zipSync({
    '[Content_Types].xml': strToU8(
      '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/word/document.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"/></Types>',
    ),
    '_rels/.rels': strToU8(
      '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="word/document.xml"/></Relationships>',
    ),
    'word/document.xml': strToU8(
      `<?xml version="1.0"?><w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body>${body}</w:body></w:document>`,
    ),
    ...more,
  })
const run = (text: string, marks = '') =>
  `<w:r>${marks ? `<w:rPr>${marks}</w:rPr>` : ''}<w:t xml:space="preserve">${text}</w:t></w:r>`
const para = (...runs: string[]) => `<w:p>${runs.join('')}</w:p>`

// The namespace of drawn shapes (ECMA-376 Part 4, 19).
const vml = `urn:schemas-${'micro'}${'soft'}-com:vml`

describe('letters as files', () => {
  const roundOf = async () => (await world.round(people, { subject: 'Kept', html: '<p>before</p>' })).id
  const bring = async (name: string, file: Uint8Array, round?: number) =>
    world.call(routes.bringInLetter, { params: { round: round ?? (await roundOf()) }, query: { name }, file })
  const fault = (work: Promise<unknown>) =>
    work.then(
      () => 'taken',
      (e: ProblemError) => e.problem.detail,
    )
  test('a document becomes a letter with its structure, marks and fields; what is lost is said', async () => {
    const table = `<w:tbl>${['Day', 'Friday'].map((t) => `<w:tr><w:tc>${para(run(t))}</w:tc><w:tc>${para(run('x'))}</w:tc></w:tr>`).join('')}</w:tbl>`
    const file = docx(
      para(run('Dear {{Na'), run('me}}, '), run('be there', '<w:b/><w:u w:val="single"/>')) +
        table +
        para(run('End &amp; more')),
      { 'word/vbaProject.bin': strToU8('macros'), 'word/comments.xml': strToU8('<x/>') },
    )
    const { letter, said } = await bring('letter.docx', file)
    expect(letter.subject).toBe('Kept')
    expect(letter.body.content.map((b) => b.type)).toEqual(['paragraph', 'table', 'paragraph'])
    expect(JSON.stringify(letter.body)).toContain('"column":"Name"')
    expect(JSON.stringify(letter.body)).toMatch(/"underline".*be there|be there.*"underline"/)
    expect(said.join()).toMatch(/macros.*comments/)
  })
  test('colours and highlights are kept, over several runs and within fields; hidden words are not, and all that is lost is said', async () => {
    const red = '<w:color w:val="C00000"/>'
    const file = docx(
      para(
        run('Dear {{Na', red),
        run('me}}', red),
        run(' by Friday', `${red}<w:shd w:val="clear" w:fill="FFFF00"/>`),
        run(' marked', '<w:highlight w:val="yellow"/>'),
        run(' auto', '<w:color w:val="auto"/><w:shd w:val="clear" w:fill="FFFFFF"/>'),
        run(' SECRET', '<w:vanish/>'),
        run(' shown', '<w:vanish w:val="0"/>'),
        run(' struck', '<w:strike/>'),
        run('2', '<w:vertAlign w:val="superscript"/>'),
      ) +
        '<w:p><w:pPr><w:jc w:val="center"/></w:pPr>' +
        '<w:ins w:id="1" w:author="x">' +
        run('put in') +
        '</w:ins><w:del w:id="2" w:author="x"><w:r><w:delText>taken out</w:delText></w:r></w:del>' +
        '<w:moveTo w:id="3" w:author="x">' +
        run(' moved here') +
        '</w:moveTo><w:moveFrom w:id="4" w:author="x">' +
        run(' moved away') +
        '</w:moveFrom></w:p>' +
        `<w:tbl><w:tr><w:tc><w:tcPr><w:gridSpan w:val="2"/></w:tcPr>${para(run('wide'))}</w:tc></w:tr><w:tr><w:tc>${para(run('a'))}</w:tc><w:tc>${para(run('b'))}</w:tc></w:tr></w:tbl>` +
        para(`<w:r><w:pict xmlns:v="${vml}"><v:shape><v:fill color="red"/></v:shape></w:pict></w:r>${run('after')}`),
    )
    const { letter, said } = await bring('letter.docx', file)
    type Line = {
      content: { text?: string; attrs?: { column: string }; marks?: { type: string; attrs?: { color: string } }[] }[]
    }
    const [first, second, table] = letter.body.content as unknown as [
      Line,
      Line,
      { content: { content: { content: unknown[] }[] }[] },
    ]
    const marked = (line: Line) =>
      line.content.map(({ text, attrs, marks }) => [
        text ?? `{{${attrs!.column}}}`,
        (marks ?? [])
          .map((m) => m.attrs?.color ?? m.type)
          .sort()
          .join(),
      ])
    expect(marked(first)).toEqual([
      ['Dear ', '#C00000'],
      ['{{Name}}', '#C00000'],
      [' by Friday', '#C00000,highlight'],
      [' marked', 'highlight'],
      [' auto shown', ''],
      [' struck', ''],
      ['2', ''],
    ])
    expect(marked(second)).toEqual([['put in moved here', '']])
    expect(table.content.map((row) => row.content.length)).toEqual([2, 2])
    const all = said.join('\n')
    expect(all).toContain('Left out: hidden words.')
    expect(all).toContain('what was put in is there (2), what was struck is not (2)')
    expect(all).toContain('Left out: the alignment of paragraphs.')
    expect(all).toContain('the line through words that were struck out')
    expect(all).toContain('raised or lowered')
    expect(all).toContain('cells of a table were merged')
    expect(JSON.stringify([letter, said])).not.toMatch(/v:fill|SECRET|taken out|moved away|[\ue000-\ue002]/)
  })
  test('how a file looked stands beside the letter: what letters do not have is seen there, and said', async () => {
    const styled = para(
      run('Large', '<w:rFonts w:ascii="Quay Serif"/><w:sz w:val="48"/>'),
      run(' struck', '<w:strike/>'),
      run(' red', '<w:color w:val="C00000"/>'),
      run(' SECRET', '<w:vanish/>'),
      run(' “&lt;b&gt;', '<w:sz w:val="20"/>'),
    )
    const cell = (text: string) => `<w:tc>${para(run(text))}</w:tc>`
    const { asItWas, said } = await bring(
      'letter.docx',
      docx(
        `<w:p><w:pPr><w:jc w:val="center"/></w:pPr>${run('Middle')}</w:p>${styled}<w:tbl><w:tr>${cell('a')}${cell('b')}</w:tr></w:tbl>`,
      ),
    )
    for (const look of [
      /text-align:center[^>]*>[^/]*Middle/,
      /font-family:&#39;Quay Serif&#39;;font-size:24pt[^>]*>Large/,
      /line-through[^>]*> struck/,
      /color:#C00000[^>]*>[^/]* red/,
      /“&lt;b&gt;/,
      /<td[^>]*>.*a.*<td[^>]*>.*b/,
    ])
      expect(asItWas).toMatch(look)
    expect(asItWas).not.toMatch(/SECRET|[\ue000-\ue002]/)
    expect(said).toContain('Left out: its fonts and sizes. A letter has one font.')
    // One font all through is what every document has.
    expect((await bring('plain.docx', docx(para(run('x'), run('y'))))).said).toEqual([])

    const html =
      '<html><style>p{color:red}</style><body><h1 align="center">H</h1><p style="font-size:20pt">Hi</p><table><tr><td bgcolor="red">a</td><td>b</td></tr><tr><td>c</td><td>d</td></tr></table><svg></svg><form>x</form></body></html>'
    const page = await bring('letter.html', strToU8(html))
    expect(page.asItWas).toBe(html)
    expect(page.said).toEqual([
      'Left out: the alignment of a paragraph.',
      'Left out: a drawing.',
      'Left out: a form to fill in, with its words.',
      'Left out: the looks that its style sheet gives, such as colours and distances.',
      'Left out: its fonts and sizes. A letter has one font.',
      'Left out: the background colours of tables and their cells.',
    ])
    // Words alone have no looks; what is too large is not shown, and still read.
    expect((await bring('letter.txt', strToU8('Dear Ada'))).asItWas).toBeNull()
    expect((await bring('long.html', strToU8(`<p>${'long '.repeat(20)}</p>`.repeat(40_000)))).asItWas).toBeNull()
  })
  test('words that a style hides stay out, unless their run shows them', async () => {
    const styles = `<?xml version="1.0"?><w:styles xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:style w:styleId="Secret"><w:rPr><w:vanish/></w:rPr></w:style><w:style w:styleId="Deeper"><w:basedOn w:val="Secret"/></w:style><w:style w:styleId="Open"><w:basedOn w:val="Secret"/><w:rPr><w:vanish w:val="0"/></w:rPr></w:style></w:styles>`
    const { letter, said } = await bring(
      'letter.docx',
      docx(
        `${para(
          run('seen '),
          run('one', '<w:rStyle w:val="Secret"/>'),
          run('two', '<w:rStyle w:val="Deeper"/>'),
          run('open ', '<w:rStyle w:val="Open"/>'),
          run('shown', '<w:rStyle w:val="Secret"/><w:vanish w:val="0"/>'),
        )}<w:p><w:pPr><w:pStyle w:val="Deeper"/></w:pPr>${run('three')}</w:p>${para(run('after'))}`,
        { 'word/styles.xml': strToU8(styles) },
      ),
    )
    expect(JSON.stringify(letter.body).match(/"text":"[^"]*"/g)).toEqual(['"text":"seen open shown"', '"text":"after"'])
    expect(said.join()).toContain('Left out: hidden words, 3 times.')
  })
  test('notes at the foot come without the character that leads back; names of namespaces may be others', async () => {
    const notes = `<?xml version="1.0"?><w:footnotes xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:footnote w:id="2">${para(run('The note.'))}</w:footnote></w:footnotes>`
    const rels =
      '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r2" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/footnotes" Target="footnotes.xml"/></Relationships>'
    const { letter } = await bring(
      'letter.docx',
      docx(para(run('Words'), '<w:r><w:footnoteReference w:id="2"/></w:r>'), {
        'word/footnotes.xml': strToU8(notes),
        'word/_rels/document.xml.rels': strToU8(rels),
      }),
    )
    const words = JSON.stringify(letter.body)
    expect(words).toContain('The note.')
    expect(words).toContain('[1]')
    expect(words).not.toContain('↑')
    const prefixed = await bring(
      'letter.docx',
      docx('', {
        'word/document.xml': strToU8(
          `<?xml version="1.0"?><x:document xmlns:x="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><x:body>${`${para(run('In red', '<w:color w:val="C00000"/>'))}${para(run('Hidden', '<w:vanish/>'))}`.replaceAll('w:', 'x:')}</x:body></x:document>`,
        ),
      }),
    )
    expect(JSON.stringify(prefixed.letter.body)).toMatch(/#C00000/)
    expect(JSON.stringify(prefixed.letter.body)).not.toMatch(/Hidden/)
  })
  test('HTML gives its title as the subject, plain text its paragraphs', async () => {
    const html = await bring(
      'l.html',
      strToU8('<html><title>Permits &amp; {{Area}}</title><body><p>Hi {{Name}}<script>x</script></p>'),
    )
    expect([html.letter.subject, html.said.join()]).toEqual([
      'Permits & {{Area}}',
      'Left out: a script (nothing of it was run).',
    ])
    const plain = await bring('l.txt', strToU8('Dear {{Name}},\n\ntwo\nlines'))
    expect(plain.letter.body.content).toHaveLength(2)
  })
  test('what is no letter is refused in words, and the letter stays', async () => {
    const round = await roundOf()
    const broken = docx(para(run('x'))).subarray(0, 400)
    const locked = Buffer.concat([Buffer.from([0xd0, 0xcf, 0x11, 0xe0]), Buffer.from('EncryptedPackage', 'utf16le')])
    expect(await fault(bring('a.docx', broken, round))).toMatch(/damaged or not whole|not a document/)
    expect(await fault(bring('a.docx', zipSync({ x: strToU8('y') }), round))).toMatch(/not a document/)
    expect(await fault(bring('a.docx', locked, round))).toMatch(/locked with a password/)
    expect(await fault(bring('a.txt', new Uint8Array([0, 1, 2, 0]), round))).toMatch(/neither a document nor text/)
    expect(await fault(bring('a.txt', new Uint8Array(0), round))).toMatch(/it is empty/)
    expect((await world.call(routes.round, { params: { round } })).letter.subject).toBe('Kept')
  })
  test('handed out as HTML it is read back the same; as .eml it is the message that would leave', async () => {
    const round = await world.round(people, {
      subject: 'Hi {{Name}}',
      html: '<p>Dear <b>{{Name, or "you"}}</b></p><ul><li>one</li></ul>',
    })
    const at = `${world.handPost.address}/api/rounds/${round.id}/letter-file`
    const html = await fetch(`${at}?as=html`)
    expect(html.headers.get('content-disposition')).toContain('.html')
    const back = await bring('back.html', Buffer.from(await html.arrayBuffer()))
    expect(back.letter.body).toEqual(round.letter.body)
    const eml = Buffer.from(await (await fetch(`${at}?as=eml&row=2`)).arrayBuffer())
    const read = await simpleParser(eml)
    expect([read.subject, [read.to].flat()[0]?.text]).toEqual([
      'Hi Bram Tolland',
      '"Bram Tolland" <bram@village.example>',
    ])
    expect(unflowText(read.text!)).toContain('Dear Bram Tolland')
    expect((await fetch(`${at}?as=eml`)).status).toBe(422)
  })
})

test('renaming a column renames it in copies, in where answers go and in the rules of passages', async () => {
  const passage: Block = {
    type: 'passage',
    attrs: { selection: { match: 'all', rules: [{ column: 'Area', comparison: 'is', value: 'x' }] } },
    content: [line('x')],
  }
  const round = await world.round(people, empty, {
    cc: ['{{Deputy}}'],
    sender: { replyTo: '{{Deputy, or "m@q.example"}}' },
  })
  await world.call(routes.changeRound, { params: { round: round.id }, body: { letter: letterOf('S', passage) } })
  const list = round.list!
  for (const [from, to] of [
    ['Deputy', 'Second'],
    ['Area', 'Part'],
  ]) {
    const column = list.columns.find((c) => c.name === from)!.id
    await world.edit(list.id, { do: 'changeColumn', column, changes: { name: to } })
  }
  const after = await world.call(routes.round, { params: { round: round.id } })
  expect([after.cc, after.sender.replyTo]).toEqual([['{{Second}}'], '{{Second, or "m@q.example"}}'])
  expect(JSON.stringify(after.letter)).toContain('"column":"Part"')
})

test('an address that is not the mailbox’s own is not taken for From; what is no address for copies is kept, and stops the proof', async () => {
  const round = await world.round(people, empty)
  const change = (body: object) =>
    world.call(routes.changeRound, { params: { round: round.id }, body }).then(
      () => 'taken',
      (e: ProblemError) => e.problem.detail,
    )
  expect(await change({ sender: { address: 'other@elsewhere.example' } })).toMatch(/not an address of the mailbox/)
  // With its name it is an address like any other.
  expect(
    await change({ cc: ['nobody', 'Ada Penrose <ada.penrose@village.example>'], sender: { replyTo: 'no one' } }),
  ).toBe('taken')
  const { cc, sender } = await world.call(routes.round, { params: { round: round.id } })
  expect([cc, sender.replyTo]).toEqual([['nobody', 'Ada Penrose <ada.penrose@village.example>'], 'no one'])
  const { findings, mayPost } = await world.call(routes.proof, { params: { round: round.id } })
  expect(mayPost).toBe(false)
  expect(findings.filter((f) => f.check === 'copyAddress').map((f) => [f.grade, f.message])).toEqual(
    expect.arrayContaining([['stop', '“nobody” stands in Cc, Bcc or Reply-To, but is not an address.']]),
  )
})
