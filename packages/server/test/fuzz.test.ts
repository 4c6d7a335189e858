import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import * as XLSX from '@e965/xlsx'
import { openApiDocument, routes } from '@hand-post/contract'
import { unzipSync, zipSync } from 'fflate'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Jobs } from '../src/app/jobs.ts'
import { threads } from '../src/app/threads.ts'
import { type OpenDatabase, openDatabase } from '../src/db/open.ts'
import { signToken } from '../src/secrets.ts'
import { Lane } from '../src/threads/lane.ts'
import { fitting, foundBefore, keepFound, mutate, odd, pick, random } from './fuzz.ts'
import { answers, documentOf, openDocumentOf, workbookOf } from './hostile.ts'
import { bare } from './http.ts'
import { giveDatabase } from './template.ts'
import { tinyPdf } from './tinyPdf.ts'
import { office, World } from './world.ts'

// Readers and routes are given what was changed at random, the same for the same seed. In `npm test` for two minutes at most, all
// together; longer, and with a seed of its own, by `npm run fuzz`. What is found is kept in test/found, and tried first from then on.
const seed = Number(process.env.FUZZ_SEED ?? 20261126)
const seconds = Number(process.env.FUZZ_SECONDS ?? 40)

const texts = (...all: string[]) => all.map((text) => Buffer.from(text))
const cell = '<table:table-cell office:value-type="string"><text:p>x</text:p></table:table-cell>'
const sheet =
  '<cols><col min="1" max="2" hidden="1"/></cols><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>Name</t></is></c><c r="B1"><v>46115</v></c></row><row r="2" hidden="1"><c r="A2" t="s"><v>0</v></c></row></sheetData><mergeCells><mergeCell ref="A1:B2"/></mergeCells>'
const card =
  'BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ada Penrose\r\nN:Penrose;Ada;;;\r\nEMAIL;PREF=1:ada@village.example\r\nADR:;;1 Quay;Brindle;;B1;\r\nNOTE:folded\r\n line\r\nEND:VCARD\r\n'
const letterHtml =
  '<h1>Dear {{Name, or "neighbour", in capitals}}</h1><p style="font-weight:bold">See <a href="https://quay.example/?n={{Name}}">this</a></p><ul><li>one</li></ul><table><tr><th>A</th><td>B</td></tr></table>'
const signed = [
  signToken(Buffer.alloc(32, 7), { key: 'AbCdEfGhIjKlMnOpQrStUw', what: 7, to: 'https://quay.example/a' }),
  signToken(Buffer.alloc(32, 7), { key: 'AbCdEfGhIjKlMnOpQrStUw', what: 'picture' }),
]
const stored = {
  subject: 'For {{Name}}',
  body: {
    type: 'doc',
    content: [
      {
        type: 'paragraph',
        content: [
          { type: 'field', attrs: { column: 'Name', standIn: null, format: null } },
          { type: 'text', text: ' words', marks: [{ type: 'link', attrs: { href: 'https://quay.example' } }] },
        ],
      },
      {
        type: 'passage',
        attrs: { selection: { match: 'all', rules: [{ column: 'Name', comparison: 'is', value: 'Ada' }] } },
        content: [{ type: 'bulletList', content: [{ type: 'listItem', content: [{ type: 'paragraph' }] }] }],
      },
      { type: 'rowsTable', attrs: { columns: ['Name'] } },
      {
        type: 'twoColumns',
        content: [{ type: 'column', content: [{ type: 'image', attrs: { src: 'file:a', alt: '{{Name}}' } }] }],
      },
    ],
  },
}
/** A packed document with one of its parts changed. */
const inside = (whole: Buffer, part: string) => (inner: Buffer) => {
  const parts = unzipSync(whole)
  return Buffer.from(zipSync({ ...parts, [part]: inner }, { level: 1 }))
}
const innerOf = (whole: Buffer, part: string) => [Buffer.from(unzipSync(whole)[part])]
const xlsx = workbookOf(sheet)
const made = XLSX.write(
  {
    SheetNames: ['A'],
    Sheets: {
      A: XLSX.utils.aoa_to_sheet([
        ['Name', 'Due'],
        ['Ada', new Date(0)],
      ]),
    },
  },
  { type: 'buffer', bookType: 'xlsx' },
) as Buffer
const ods = openDocumentOf(
  `<table:table-row>${cell}${cell}</table:table-row><table:table-row table:number-rows-repeated="2">${cell}<table:table-cell table:number-columns-repeated="3"/></table:table-row>`,
)
const docx = documentOf(
  '<w:p><w:r><w:t>Dear {{Name}}, {{Email, or "x"}}</w:t></w:r></w:p><w:tbl><w:tr><w:tc><w:p/></w:tc></w:tr></w:tbl>',
)

interface Target {
  job: string
  corpus: Buffer[]
  words: string[]
  pack?: (inner: Buffer) => Buffer
}
const xmlWords = [
  '<row r="',
  '<c r="',
  '"/>',
  '</row>',
  'hidden="1"',
  '<mergeCell ref="A1:',
  'table:number-rows-repeated="',
  'table:number-columns-repeated="',
  'office:value-type="date" office:date-value="',
  '<w:p>',
  '</w:p>',
  '<w:r><w:t>',
  '{{',
  '}}',
  '<!--',
  '<![CDATA[',
  '&#',
  't="s"',
  's="99"',
]
const targets: Record<string, Target> = {
  csv: {
    job: 'table',
    corpus: texts('Name,Email\r\n"Ada, P",ada@village.example\r\n', 'a;b\n1;2\n', '\ufeffName\tEmail\nx\ty\n'),
    words: ['"', ',', ';', '\t', '\r\n', '\n', '""', '@village.example'],
  },
  cards: {
    job: 'table',
    corpus: texts(card, card.repeat(3)),
    words: ['BEGIN:VCARD\r\n', 'END:VCARD\r\n', ';TYPE=', '\r\n ', 'item1.', 'PHOTO;ENCODING=b:', ':', ';', ','],
  },
  xlsx: {
    job: 'table',
    corpus: innerOf(xlsx, 'xl/worksheets/sheet1.xml'),
    words: xmlWords,
    pack: inside(xlsx, 'xl/worksheets/sheet1.xml'),
  },
  xlsxStyles: {
    job: 'table',
    corpus: innerOf(made, 'xl/styles.xml'),
    words: xmlWords,
    pack: inside(made, 'xl/styles.xml'),
  },
  ods: { job: 'table', corpus: innerOf(ods, 'content.xml'), words: xmlWords, pack: inside(ods, 'content.xml') },
  packed: {
    job: 'table',
    corpus: [xlsx, ods, made],
    words: ['PK\x01\x02', 'PK\x03\x04', 'PK\x05\x06', '\xff\xff\xff\xff', '\0\0\0\0'],
  },
  pasted: {
    job: 'pasted',
    corpus: texts('Ada Penrose <ada@village.example>; "B, T" <b@village.example>', 'a\tb\nc\td'),
    words: ['<', '>', ';', ',', '"', '@', ':', '\n'],
  },
  html: {
    job: 'html',
    corpus: texts(letterHtml, '<p>plain</p>'),
    words: [
      '<b>',
      '</b>',
      '<table>',
      '<td>',
      '</table>',
      '<ul><li>',
      '<img src="data:image/png;base64,',
      '{{',
      '}}',
      ', or "',
      '<style>',
      '<constructor>',
      '&nbsp;',
    ],
  },
  letterFile: {
    job: 'letter',
    corpus: innerOf(docx, 'word/document.xml'),
    words: xmlWords,
    pack: inside(docx, 'word/document.xml'),
  },
  model: {
    job: 'model',
    corpus: innerOf(docx, 'word/document.xml'),
    words: xmlWords,
    pack: inside(docx, 'word/document.xml'),
  },
  content: {
    job: 'content',
    corpus: [docx, ods, xlsx, tinyPdf('Permit for Ada', 'B'), ...texts('{\\rtf1 words}', letterHtml, '%PDF-1.4\n')],
    words: ['%PDF-', 'obj', 'stream', 'endstream', '/Length ', '<< /Kids [', 'PK\x03\x04', '\\bin', '#!'],
  },
  pdf: {
    job: 'content',
    corpus: [tinyPdf('Permit for Ada', 'B')],
    words: [
      'obj',
      'endobj',
      'stream\n',
      'endstream',
      '/Length ',
      '/Kids [',
      '/Count 999999999',
      '/Parent 1 0 R',
      'xref',
      'trailer',
      'startxref\n0',
      '(',
      ')',
      'Tj',
      'BT',
      '/Filter /FlateDecode',
    ],
  },
  zip: {
    job: 'zip',
    corpus: [xlsx, docx],
    words: ['PK\x01\x02', 'PK\x03\x04', 'PK\x05\x06', 'PK\x06\x06', '\xff\xff\xff\xff'],
  },
  mail: {
    job: 'mail',
    corpus: answers.filter(([name]) => !/megabytes|sixty|thousand/.test(name)).map(([, mail]) => mail('<a@b.example>')),
    words: [
      '\r\n\r\n',
      'Content-Type: multipart/report; boundary=b\r\n',
      '--b\r\n',
      '--b--\r\n',
      'Content-Transfer-Encoding: base64\r\n',
      '=?utf-8?Q?',
      '?=',
      'message/delivery-status',
      'message/rfc822',
      'Final-Recipient: rfc822;',
      'In-Reply-To: <',
      'charset=utf-16',
    ],
  },
  token: { job: 'token', corpus: signed.map((t) => Buffer.from(t)), words: ['.', '=', '-', '_', '.p.', '.07.', 'A'] },
  document: {
    job: 'document',
    corpus: texts(JSON.stringify(stored)),
    words: ['"content":[', '{"type":"', 'passage', 'marquee', '"attrs":{', 'null', '[[', '"constructor"', '"text":"'],
  },
}

let folder: string
let db: OpenDatabase
let lane: Lane
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'hand-post-fuzz-'))
  giveDatabase(folder)
  db = await openDatabase(join(folder, 'database'))
  lane = new Lane(db, folder, '', threads.entry, {
    memory: 512,
    young: 16,
    patience: 20_000,
    forgets: true,
    restsFor: null,
    reads: true,
    jobs: new URL('./fuzzJobs.ts', import.meta.url).href,
  })
})
afterAll(async () => {
  await lane.close()
  await db.close()
  rmSync(folder, { recursive: true })
})

describe('readers', () => {
  const each = (seconds * 0.7 * 1000) / Object.keys(targets).length
  test.each(Object.entries(targets))('%s', async (name, { job, corpus, words, pack = (inner) => inner }) => {
    const run = (bytes: Buffer) => lane.run('fuzz' as keyof Jobs, { target: job, bytes: pack(bytes) } as never)
    for (const { name: file, bytes } of foundBefore(name)) await expect(run(bytes), file).resolves.toBeTypeOf('string')
    const next = random(seed)
    // The first of each sort begins the thread, or loads the reader of that sort, which takes its time.
    for (const first of corpus) await run(first)
    let tried = 0
    for (const end = Date.now() + each; Date.now() < end; tried++) {
      const bytes = mutate(next, corpus, words)
      await run(bytes).catch((error) => {
        throw new Error(`${keepFound(name, bytes)} (seed ${seed}, number ${tried}): ${error.message}`)
      })
    }
    expect(tried).toBeGreaterThan(2)
  })
})

test('every JSON route, from its schema', async () => {
  const world = await World.open({ allThreads: true })
  const { id } = await world.round('Name,Email\nAda,ada@village.example\nBo,bo@village.example\n', {
    subject: 'S',
    html: '<p>Dear {{Name}}</p>',
  })
  await world.call(routes.addFile, {
    params: { round: id },
    query: { name: 'a.txt', role: 'own' },
    file: Buffer.from('x'),
  })
  const { paths } = openApiDocument() as {
    paths: Record<
      string,
      Record<
        string,
        {
          parameters?: { name: string; in: string; schema: object }[]
          requestBody?: { content: Record<string, { schema: object }> }
        }
      >
    >
  }
  // Listening for events has no end, and what is posted here would be waited for.
  const all = Object.entries(paths)
    .flatMap(([path, methods]) => Object.entries(methods).map(([method, described]) => ({ path, method, described })))
    .filter(({ path }) => !/events|rehearsal$/.test(path))
  const next = random(seed)
  /** No host but this machine is ever named, and no port at which somebody listens. */
  const tame = (value: unknown): unknown =>
    JSON.parse(JSON.stringify(value ?? null), (name, part) =>
      name === 'host' ? '127.0.0.1' : name === 'port' ? 9 : part,
    )
  const statuses = new Map<number, number>()
  const broken = new Map<string, string>()
  let tried = 0
  for (const end = Date.now() + seconds * 0.3 * 1000; Date.now() < end || tried < all.length; tried++) {
    const { path, method, described } = tried < all.length ? all[tried] : pick(next, all)
    const query = new URLSearchParams()
    let at = path
    for (const parameter of described.parameters ?? []) {
      const value = fitting(next, parameter.schema as never)
      const text = typeof value === 'string' ? value : JSON.stringify(value)
      if (parameter.in === 'path')
        at = at.replace(`{${parameter.name}}`, next() < 0.8 ? '1' : encodeURIComponent(text.toWellFormed()))
      else if (next() < 0.8) query.set(parameter.name, text)
    }
    const json = described.requestBody?.content['application/json']
    const body =
      method === 'get' ? '' : json ? JSON.stringify(tame(fitting(next, json.schema as never))) : pick(next, odd)
    const { status } = await bare(
      world.handPost.address,
      `${at}?${query}`,
      { 'content-type': json ? 'application/json' : 'application/octet-stream' },
      method.toUpperCase(),
      method === 'get' ? '' : body,
    )
    statuses.set(status, (statuses.get(status) ?? 0) + 1)
    if (status === 500)
      broken.set(`${method} ${path}`, `${at}?${query} ${body.slice(0, 500)} (seed ${seed}, number ${tried})`)
  }
  expect(Object.fromEntries(broken)).toEqual({})
  // Most fit well enough to be understood, or to be refused for what they say and not for how.
  expect((statuses.get(200) ?? 0) + (statuses.get(404) ?? 0) + (statuses.get(409) ?? 0)).toBeGreaterThan(20)
  expect((await world.call(routes.mailboxes))[0].address.length).toBeGreaterThan(0)
  expect(office.length).toBeGreaterThan(0)
  await world.close()
})
