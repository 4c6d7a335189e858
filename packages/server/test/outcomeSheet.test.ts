import { spawnSync } from 'node:child_process'
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises'
import { createRequire } from 'node:module'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type * as Xlsx from '@e965/xlsx'
import { routes } from '@hand-post/contract'
import type { OutcomeColumn } from '@hand-post/core'
import Other from 'exceljs'
import fc from 'fast-check'
import { unzipSync, zipSync } from 'fflate'
import { SaxesParser } from 'saxes'
import { afterEach, describe, expect, test } from 'vitest'
import { addColumns } from '../src/people/workbook/addColumns.ts'
import { closeWorld, letter, minute, moveTo, open, refusal, world } from './lived.ts'
import { office } from './world.ts'

// What is handed back is read by two libraries that are not ours: exceljs, and SheetJS (@e965/xlsx) for .ods and .xlsx.

afterEach(closeWorld)
const SheetJs = createRequire(import.meta.url)('@e965/xlsx') as typeof Xlsx

/** A workbook as an office has it: a title over the table, formats, widths, a formula, what is frozen, filtered and hidden, and another sheet. */
async function officeWorkbook(people: number): Promise<Buffer> {
  const book = new Other.Workbook()
  const sheet = book.addWorksheet('Berths', { views: [{ state: 'frozen', xSplit: 1, ySplit: 3 }] })
  sheet.mergeCells('A1:E1')
  sheet.getCell('A1').value = 'Berths of the season'
  sheet.getCell('A1').font = { size: 18, bold: true, color: { argb: 'FF0B5A5E' } }
  sheet.addRow([])
  sheet.addRow(['Name', 'Email', 'Fee', 'Due', 'Twice the fee'])
  sheet.getRow(3).eachCell((cell) => {
    cell.fill = { type: 'pattern', pattern: 'solid', fgColor: { argb: 'FFDCEDEB' } }
    cell.border = { bottom: { style: 'double' } }
    cell.font = { bold: true }
  })
  for (let i = 0; i < people; i++) {
    const n = sheet.rowCount + 1
    sheet.addRow([`Person ${i}`, `person${i}@village.example`, 100 + i / 4, new Date(Date.UTC(2027, 0, 1 + i)), null])
    sheet.getCell(`C${n}`).numFmt = '"£"#,##0.00'
    sheet.getCell(`D${n}`).numFmt = 'd mmmm yyyy'
    sheet.getCell(`E${n}`).value = { formula: `C${n}*2`, result: 200 + i / 2 }
    // Now and then a row without anybody.
    if (i === 2) sheet.addRow([])
  }
  sheet.getColumn(2).width = 34
  sheet.getColumn(4).hidden = true
  sheet.autoFilter = 'A3:E3'
  sheet.addConditionalFormatting({
    ref: 'C4:C99',
    rules: [
      { type: 'cellIs', operator: 'greaterThan', priority: 1, formulae: [101], style: { font: { italic: true } } },
    ],
  })
  sheet.getCell('A4').note = 'Came in person'
  const other = book.addWorksheet('Rates')
  other.getCell('B2').value = { richText: [{ text: 'per ' }, { text: 'metre', font: { bold: true } }] }
  other.getCell('B3').value = 42.5
  return Buffer.from(await book.xlsx.writeBuffer())
}

/** A round to the people of a workbook, posted and gone. */
async function gone(bytes: Buffer, people: number, name = 'berths.xlsx') {
  await open(people, '2026-11-05T10:00:00Z', { perDay: 10_000, perMinute: 10_000 })
  const reading = await world.call(routes.readFile, { query: { name }, file: bytes })
  const list = await world.call(routes.makeList, { body: { reading: reading.id } })
  const { id } = await world.call(routes.startRound, { body: { title: 'Berths: 2027', listId: list.id } })
  await world.call(routes.changeRound, {
    params: { round: id },
    body: { letterHtml: letter, dispatch: { perMinute: 10_000 } },
  })
  await world.call(routes.post, { params: { round: id }, body: { messages: people } })
  for (let i = 0; i < 20; i++) await moveTo(world.clock.now() + 1000)
  return { round: id, list }
}
const sheetOf = async (round: number, as: string, columns: OutcomeColumn[] | null = null) => {
  const query = columns ? `&columns=${columns.join(',')}` : ''
  const answer = await fetch(`${world.handPost.address}/api/rounds/${round}/outcome-sheet?as=${as}${query}`)
  if (!answer.ok) throw new Error(((await answer.json()) as { detail: string }).detail)
  return {
    name: decodeURIComponent(
      /filename\*=UTF-8''([^;]+)/.exec(answer.headers.get('content-disposition') ?? '')?.[1] ?? '',
    ),
    bytes: Buffer.from(await answer.arrayBuffer()),
  }
}
const readBook = async (bytes: Buffer) => {
  const book = new Other.Workbook()
  await book.xlsx.load(bytes as never)
  return book
}
const answerOf = async (person: number, text: string) => {
  const [mail] = await world.inboxOf(`person${person}@village.example`)
  const messageId = /^Message-ID: (\S+)/im.exec(mail.toString())![1]
  await world.arrive({
    from: `person${person}@village.example`,
    to: office,
    subject: 'Re: To you',
    inReplyTo: messageId,
    text,
  })
}
/**
 * The cells of a workbook as an office suite reads it (by its command `soffice`, as a flat OpenDocument sheet: OASIS OpenDocument 1.3): of each what is
 * in it, and how it looks, by sheet, row and column. The same of its columns' widths.
 */
async function asOfficeReads(bytes: Buffer): Promise<Map<string, string>> {
  const folder = await mkdtemp(join(tmpdir(), 'hand-post-'))
  try {
    await writeFile(join(folder, 'book.xlsx'), bytes)
    const said = spawnSync(
      'soffice',
      [
        `-env:UserInstallation=file://${folder}/profile`,
        '--headless',
        '--convert-to',
        'fods',
        '--outdir',
        folder,
        join(folder, 'book.xlsx'),
      ],
      { encoding: 'utf8' },
    )
    if (said.status !== 0) throw new Error(said.stderr)
    return cellsOf(await readFile(join(folder, 'book.fods'), 'utf8'))
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}
/** As far as a sheet is looked at. */
const [mostRows, mostColumns] = [40, 12]
function cellsOf(xml: string): Map<string, string> {
  const found = new Map<string, string>()
  /** What each style says, by its name: names are given anew each time. */
  const styles = new Map<string, string>()
  const defaults: string[] = []
  let style = ''
  let [sheet, row, column, rows, columnsDone] = ['', 0, 0, 1, 0]
  let cell: { text: string; kept: string; times: number } | null = null
  const parser = new SaxesParser()
  parser.on('opentag', ({ name, attributes }) => {
    const a = attributes as Record<string, string>
    const times = (what: string) => Number(a[`table:number-${what}-repeated`] ?? 1)
    if (name === 'style:style') style = a['style:name']
    if (/^style:(table-cell|text|paragraph|table-column)-properties$/.test(name)) {
      const says = Object.entries(a).sort().map(String).join(';')
      styles.set(style, `${styles.get(style) ?? ''}${name}{${says}}`)
    }
    if (name === 'table:table') [sheet, row, columnsDone] = [a['table:name'], 0, 0]
    if (name === 'table:table-column')
      for (let i = times('columns'); i > 0 && columnsDone < mostColumns; i--, columnsDone++) {
        defaults[columnsDone] = a['table:default-cell-style-name'] ?? ''
        const width = styles.get(a['table:style-name']) ?? ''
        found.set(`${sheet} column ${columnsDone}`, `${width} ${a['table:visibility'] ?? ''}`)
      }
    if (name === 'table:table-row') [column, rows] = [0, times('rows')]
    if (/^table:(covered-)?table-cell$/.test(name)) {
      const look = styles.get(a['table:style-name'] ?? defaults[column] ?? '') ?? ''
      const kept = [
        'table:formula',
        'office:value',
        'office:date-value',
        'office:currency',
        'table:number-columns-spanned',
      ].map((one) => a[one] ?? '')
      cell = { text: '', kept: `${kept.join('|')} ${look}`, times: times('columns') }
    }
  })
  parser.on('text', (text) => {
    if (cell) cell.text += text.trim()
  })
  parser.on('closetag', ({ name }) => {
    if (/^table:(covered-)?table-cell$/.test(name) && cell) {
      for (let r = row; r < Math.min(row + rows, mostRows); r++)
        for (let c = column; c < Math.min(column + cell.times, mostColumns); c++)
          found.set(`${sheet} ${r} ${c}`, `${cell.text} ${cell.kept}`)
      column += cell.times
      cell = null
    }
    if (name === 'table:table-row') row += rows
  })
  parser.write(xml).close()
  return found
}
const hasOffice = spawnSync('soffice', ['--version']).status === 0
test.skipIf(!hasOffice)(
  `an office suite finds every cell as it was${hasOffice ? '' : ' (skipped: there is no command soffice)'}`,
  async () => {
    const people = 6
    const original = await officeWorkbook(people)
    const { round } = await gone(original, people)
    world.clock.move(40 * minute)
    await answerOf(1, '=1+1 & <yes>')
    const [was, is] = [
      await asOfficeReads(original),
      await asOfficeReads((await sheetOf(round, 'original', columns)).bytes),
    ]
    const added = [...is].filter(([place, what]) => was.get(place) !== what)
    // The five columns of its right, from the sixth on, and nothing else.
    for (const [place] of added) expect(place).toMatch(/^Berths (\d+|column) ([5-9])$/)
    expect(was.get('Berths 3 4')).toMatch(/^200 ?of:=\[\.C4\]\*2/)
    expect(was.get('Berths 2 0')).toMatch(/fo:font-weight,bold/)
    expect(was.get('Berths column 1')).toMatch(/style:column-width/)
    expect(added.map(([, what]) => what.split(' ')[0])).toEqual(expect.arrayContaining(['Outcome', 'replied']))
  },
)

const columns: OutcomeColumn[] = ['outcome', 'sentAt', 'repliedAt', 'words', 'chasedTimes']

test('the workbook comes back as it was, cell by cell, with what came of each at its right', async () => {
  const people = 6
  const original = await officeWorkbook(people)
  const { round, list } = await gone(original, people)
  world.clock.move(40 * minute)
  await answerOf(1, '=1+1 & <yes>')
  const about = await world.call(routes.outcomeSheetAbout, { params: { round } })
  expect(about).toMatchObject({ original: 'berths.xlsx', said: [] })
  const { name, bytes } = await sheetOf(round, 'original', columns)
  expect(name).toBe('berths, outcomes of Berths 2027.xlsx')

  const [was, is] = [await readBook(original), await readBook(bytes)]
  expect(is.worksheets.map((s) => s.name)).toEqual(['Berths', 'Rates'])
  for (const [i, sheet] of was.worksheets.entries()) {
    const now = is.worksheets[i]
    expect(now.views).toEqual(sheet.views)
    expect(now.autoFilter).toEqual(sheet.autoFilter)
    for (let c = 1; c <= sheet.columnCount; c++)
      expect([now.getColumn(c).width, now.getColumn(c).hidden]).toEqual([
        sheet.getColumn(c).width,
        sheet.getColumn(c).hidden,
      ])
    sheet.eachRow({ includeEmpty: true }, (row, r) => {
      for (let c = 1; c <= sheet.columnCount; c++) {
        const [before, after] = [row.getCell(c), now.getRow(r).getCell(c)]
        expect(after.value, before.address).toEqual(before.value)
        expect(after.style, before.address).toEqual(before.style)
        expect(after.note, before.address).toEqual(before.note)
      }
    })
  }
  // Whatever is not this sheet, or its styles, is the same to the byte.
  const [partsWere, partsAre] = [unzipSync(original), unzipSync(bytes)]
  expect(Object.keys(partsAre)).toEqual(Object.keys(partsWere))
  const others = Object.keys(partsWere).filter(
    (path) => !Buffer.from(partsWere[path]).equals(Buffer.from(partsAre[path])),
  )
  expect(others.sort()).toEqual(['xl/styles.xml', 'xl/worksheets/sheet1.xml'])

  const sheet = is.worksheets[0]
  const added = (r: number) => [6, 7, 8, 9, 10].map((c) => sheet.getRow(r).getCell(c).value)
  expect(added(3)).toEqual(['Outcome', 'Sent', 'Answered', 'Their words', 'Times chased'])
  expect(sheet.getCell('F3').style).toEqual(was.worksheets[0].getCell('E3').style)
  const sent = new Date(Date.UTC(2026, 10, 5, 10, 0))
  const at = (value: unknown) => (value instanceof Date ? Math.abs(value.getTime() - sent.getTime()) : null)
  expect(added(4)[0]).toBe('sent, nothing heard')
  expect(at(added(4)[1])).toBeLessThan(minute)
  expect(sheet.getCell('G4').numFmt).toBe('yyyy-mm-dd hh:mm')
  // Words are words, whatever they look like.
  expect(added(5)[0]).toBe('replied')
  expect(added(5)[3]).toBe('=1+1 & <yes>')
  expect(at(added(5)[2])).toBeGreaterThan(39 * minute)
  // Behind the row without anybody each has their own still.
  expect([sheet.getCell('A9').value, sheet.getCell('F7').value, sheet.getCell('F9').value]).toEqual([
    'Person 4',
    null,
    'sent, nothing heard',
  ])

  // What has become of the list since is said, and those who are gone are told of all the same.
  const rows = await world.rows(list.id)
  await world.edit(list.id, { do: 'cells', cells: [[rows[0].id, list.columns[0].id, 'Persis']] })
  await world.edit(list.id, { do: 'deleteRows', rows: [rows[1].id] })
  await world.edit(list.id, {
    do: 'addRows',
    rows: [{ [list.columns[0].id]: 'New' }, { [list.columns[0].id]: 'Newer' }],
  })
  expect((await world.call(routes.outcomeSheetAbout, { params: { round } })).said).toEqual([
    '2 rows came to the list later and stand in no row of the workbook: what came of them is not in it. It is in the other formats.',
    '1 row of the list was changed since: the workbook has it as it was brought in.',
    '1 row of the workbook is not in the list any more; what came of its letter stands there all the same.',
  ])
  // In a table of its own, who is gone from the list stands behind the others, by their address.
  const csv = (await sheetOf(round, 'csv', ['outcome'])).bytes.toString().trim().split('\r\n')
  expect([csv.length, csv.at(-1)]).toEqual([1 + people + 2, ',person1@village.example,,,,replied'])
  const later = (await readBook((await sheetOf(round, 'original', columns)).bytes)).worksheets[0]
  expect([later.getCell('A4').value, later.getCell('F5').value]).toEqual(['Person 0', 'replied'])
})

test('as .xlsx, .ods and .csv it is a table of its own: real dates in workbooks, ISO 8601 in text', async () => {
  const { round } = await gone(await officeWorkbook(3), 3)
  await answerOf(2, 'Yes.')
  await world.call(routes.rememberOutcomeColumns, { params: { round }, body: { columns } })
  expect((await world.call(routes.outcomeSheetAbout, { params: { round } })).columns).toEqual(columns)
  for (const as of ['xlsx', 'ods'] as const) {
    const { name, bytes } = await sheetOf(round, as)
    expect(name).toBe(`Berths 2027, outcomes.${as}`)
    const book = SheetJs.read(bytes, { cellDates: true })
    const table = SheetJs.utils.sheet_to_json<unknown[]>(book.Sheets[book.SheetNames[0]], { header: 1 })
    expect(table[0]).toEqual([
      'Name',
      'Email',
      'Fee',
      'Due',
      'Twice the fee',
      'Outcome',
      'Sent',
      'Answered',
      'Their words',
      'Times chased',
    ])
    expect(table[3].slice(5, 6).concat(table[3].slice(8))).toEqual(['replied', 'Yes.'])
    expect(table[3][6]).toBeInstanceOf(Date)
  }
  const csv = (await sheetOf(round, 'csv')).bytes.toString()
  expect(csv.split('\r\n')[3]).toMatch(
    /^Person 2,person2@village.example,£100\.50,.*,replied,2026-11-05T10:00:\d\d\+00:00,2026-11-05T10:00:\d\d\+00:00,Yes\.,$/,
  )
  await expect(sheetOf(round, 'csv', ['outcome', 'nonsense' as OutcomeColumn])).rejects.toThrow()
})

test('a list that was made of no workbook has none to be handed back; one that is gone from the disk is said', async () => {
  const text = Buffer.from('Name,Email\r\nPerson 0,person0@village.example\r\n')
  const { round } = await gone(text, 1, 'people.csv')
  expect(await world.call(routes.outcomeSheetAbout, { params: { round } })).toMatchObject({ original: null, said: [] })
  await expect(sheetOf(round, 'original')).rejects.toThrow(
    'The list was not made of a workbook that could be handed back.',
  )
  await closeWorld()
  const second = await gone(await officeWorkbook(2), 2)
  const { db, files } = world.handPost.parts
  const [{ hash }] = await db.query<{ hash: string }>('SELECT hash FROM list_sources')
  const { writeFile } = await import('node:fs/promises')
  const path = (files as unknown as { path: (hash: string) => string }).path(hash)
  await writeFile(path, 'something else')
  await expect(sheetOf(second.round, 'original')).rejects.toThrow('is not on the disk as it was when it was brought in')
  await (await import('node:fs/promises')).rm(path)
  expect((await world.call(routes.outcomeSheetAbout, { params: { round: second.round } })).said[0]).toContain(
    'is not on the disk any more',
  )
  expect(await refusal(world.call(routes.outcomeSheetAbout, { params: { round: 99 } }))).not.toBe('was not refused')
})

describe('columns added to a sheet', () => {
  const styles =
    '<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><fonts count="1"><font/></fonts><fills count="1"><fill/></fills><borders count="1"><border/></borders><cellStyleXfs count="1"><xf/></cellStyleXfs><cellXfs count="1"><xf/></cellXfs></styleSheet>'
  /** A workbook of one sheet whose XML is given. */
  const workbook = (sheet: string, own = styles, properties = ''): Map<string, Buffer> =>
    new Map(
      Object.entries({
        '[Content_Types].xml':
          '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/><Override PartName="/xl/styles.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.styles+xml"/></Types>',
        '_rels/.rels':
          '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        'xl/workbook.xml': `<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships">${properties}<sheets><sheet name="S" sheetId="1" r:id="rId1"/></sheets></workbook>`,
        'xl/_rels/workbook.xml.rels':
          '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="rId2" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/styles" Target="styles.xml"/></Relationships>',
        'xl/worksheets/sheet1.xml': sheet,
        'xl/styles.xml': own,
      }).map(([path, text]) => [path, Buffer.from(text)]),
    )
  const packed = (parts: ReadonlyMap<string, Buffer>) =>
    Buffer.from(zipSync(Object.fromEntries([...parts].map(([path, content]) => [path, new Uint8Array(content)]))))
  const made = (
    parts: Map<string, Buffer>,
    rows: Map<number, ({ text: string } | { number: number } | { wall: number } | null)[]>,
    headingsAt = 1,
  ) => {
    const changed = addColumns(parts, { sheet: 0, headingsAt, headings: ['First', 'Second'], rows })
    return new Map([...parts, ...changed])
  }
  const ns = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'

  test('any sheet keeps each of its cells, and has what was added, as SheetJS reads it', () => {
    const cell = fc.record({
      row: fc.integer({ min: 1, max: 12 }),
      column: fc.integer({ min: 1, max: 30 }),
      value: fc.integer(),
    })
    fc.assert(
      fc.property(
        fc.uniqueArray(cell, { selector: ({ row, column }) => `${row}/${column}`, minLength: 1, maxLength: 25 }),
        fc.dictionary(fc.integer({ min: 2, max: 15 }).map(String), fc.tuple(fc.string(), fc.integer()), { maxKeys: 8 }),
        fc.record({
          prefix: fc.constantFrom('', 'x:'),
          numbered: fc.boolean(),
          empties: fc.boolean(),
          cols: fc.constantFrom('', 'all', 'some'),
          newline: fc.constantFrom('', '\r\n  '),
        }),
        (cells, given, how) => {
          const p = how.prefix
          const name = (n: number) => SheetJs.utils.encode_col(n - 1)
          const byRow = new Map<number, typeof cells>()
          for (const one of cells) byRow.set(one.row, [...(byRow.get(one.row) ?? []), one])
          const lines = Array.from({ length: 12 }, (_, i) => i + 1).flatMap((r) => {
            const own = (byRow.get(r) ?? []).sort((a, b) => a.column - b.column)
            if (own.length === 0) return how.empties ? [`<${p}row r="${r}" ht="20"/>`] : []
            return [
              `<${p}row r="${r}" spans="1:9">${own.map((c) => `<${p}c r="${name(c.column)}${r}"><${p}v>${c.value}</${p}v></${p}c>`).join('')}</${p}row>`,
            ]
          })
          const cols =
            how.cols === ''
              ? ''
              : `<${p}cols><${p}col min="1" max="${how.cols === 'all' ? 16384 : 2}" width="9" hidden="1"/></${p}cols>`
          const root = p === '' ? `worksheet ${ns}` : `${p}worksheet ${ns.replace('xmlns', 'xmlns:x')}`
          const sheet = `<?xml version="1.0"?><!-- <row> --><${root}>${how.newline}<${p}dimension ref="A1"/>${cols}<${p}sheetData>${lines.join(how.newline)}</${p}sheetData></${root.split(' ')[0]}>`
          const rows = new Map(
            Object.entries(given).map(([r, [text, n]]) => [Number(r), [{ text: `t${text}` }, { number: n }]] as const),
          )
          const read = SheetJs.read(packed(made(workbook(sheet), new Map(rows as never)))).Sheets.S
          for (const { row, column, value } of cells) expect(read[`${name(column)}${row}`]?.v).toBe(value)
          const last = Math.max(...cells.map((c) => c.column))
          expect([read[`${name(last + 1)}1`]?.v, read[`${name(last + 2)}1`]?.v]).toEqual(['First', 'Second'])
          for (const [r, [text, n]] of Object.entries(given)) {
            expect(read[`${name(last + 1)}${r}`]?.v).toBe(`t${text}`)
            expect(read[`${name(last + 2)}${r}`]?.v).toBe(n)
          }
        },
      ),
    )
  })

  test('columns that were hidden to the end of the sheet are not hidden where something is added', async () => {
    const sheet = `<worksheet ${ns}><cols><col min="1" max="1" width="9"/><col min="2" max="16384" width="9" hidden="1"/></cols><sheetData><row r="1"><c r="A1"><v>1</v></c></row></sheetData></worksheet>`
    const book = await readBook(packed(made(workbook(sheet), new Map())))
    const hidden = (n: number) => book.worksheets[0].getColumn(n).hidden
    expect([1, 2, 3, 4, 16_384].map(hidden)).toEqual([false, false, false, true, true])
  })

  test('a moment is shown as one where the code stands in the workbook already, for what no cell can name', async () => {
    const shownUnderCondition =
      '<dxfs count="1"><dxf><numFmt numFmtId="170" formatCode="yyyy-mm-dd hh:mm"/></dxf></dxfs>'
    const sheet = `<worksheet ${ns}><sheetData><row r="1"><c r="A1"><v>1</v></c></row></sheetData></worksheet>`
    const own = styles.replace('</styleSheet>', `${shownUnderCondition}</styleSheet>`)
    const rows = new Map([[2, [{ wall: Date.UTC(2026, 10, 5, 10, 30) }, null]]])
    const book = await readBook(packed(made(workbook(sheet, own), rows)))
    expect(book.worksheets[0].getCell('B2').numFmt).toBe('yyyy-mm-dd hh:mm')
    expect(book.worksheets[0].getCell('B2').value).toEqual(new Date(Date.UTC(2026, 10, 5, 10, 30)))
  })

  test('a comment between rows, and words in CDATA, hinder nothing', () => {
    const sheet = `<worksheet ${ns}><sheetData><!-- <row r="9"><c r="Z9"/></row> --><row r="1"><c r="A1" t="inlineStr"><is><t><![CDATA[a < b]]></t></is></c></row></sheetData></worksheet>`
    const read = SheetJs.read(packed(made(workbook(sheet), new Map([[2, [{ text: 'c' }, null]]])))).Sheets.S
    expect([read.A1.v, read.B1.v, read.C1.v, read.B2.v]).toEqual(['a < b', 'First', 'Second', 'c'])
    expect(() => made(workbook(sheet.replace('-->', '')), new Map())).toThrow('not whole')
  })

  test('days count from 1904 where the workbook counts so', () => {
    const sheet = `<worksheet ${ns}><sheetData><row r="1"><c r="A1"><v>1</v></c></row></sheetData></worksheet>`
    const wall = Date.UTC(2026, 10, 5, 10, 30)
    const rows = new Map([[2, [{ wall }, null]]])
    // 1904-01-01 is day 0 of one system, 1899-12-31 day 1 of the other (ECMA-376 Part 1, 18.17.4.1).
    for (const [properties, day] of [
      ['', 46_331],
      ['<workbookPr date1904="1"/>', 46_331 - 1462],
    ] as const) {
      const read = SheetJs.read(packed(made(workbook(sheet, styles, properties), rows))).Sheets.S
      expect(read.B2.v).toBeCloseTo(day + 10.5 / 24, 8)
    }
  })

  test('a sheet that is full to its last column is refused in words, as is one that is not whole', () => {
    const full = `<worksheet ${ns}><sheetData><row r="1"><c r="XFC1"><v>1</v></c></row></sheetData></worksheet>`
    expect(() => made(workbook(full), new Map())).toThrow('full to the last column')
    const noCells = styles.replace(/<cellXfs.*<\/cellXfs>/, '')
    const plain = full.replace('XFC1', 'A1')
    expect(() => made(workbook(plain, noCells), new Map())).toThrow('its styles have no cells')
    expect(() => made(new Map([...workbook(plain)].filter(([path]) => !path.includes('sheet1'))), new Map())).toThrow(
      'not in it any more',
    )
  })
})
