import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { routes } from '@hand-post/contract'
import { type Column, cellProblem, findTable, type SheetCells, shown } from '@hand-post/core'
import Other from 'exceljs'
import { strToU8, type Zippable, zipSync } from 'fflate'
import Papa from 'papaparse'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { readAddresses } from '../src/people/pasted.ts'
import { rowsWanted } from '../src/people/readFile.ts'
import { readingJobs } from '../src/people/readingJobs.ts'
import type { JobContext } from '../src/threads/job.ts'
import { readPasted, readTableFile, rowsFound } from './sheets.ts'
import { World } from './world.ts'

let world: World
beforeAll(async () => {
  world = await World.open({ allThreads: true })
})
afterAll(() => world.close())

test('a list that is large for the embedded database is read, and it is said where it would be better off; on a server nothing is said', async () => {
  const read = async (rows: number, place: string) => {
    const path = join(world.folder, `large-${rows}`)
    await writeFile(path, ['Email', ...Array.from({ length: rows }, (_, i) => `p${i}@v.example`)].join('\n'))
    const file = { path, name: 'large.csv', pasted: false }
    const { rowCount, said } = await readingJobs.readTable({ file, options: { sheet: 0 } }, { place } as JobContext)
    expect(rowCount).toBe(rows)
    return said.filter((words) => words.includes('PostgreSQL'))
  }
  expect(await read(200_000, '')).toEqual([])
  expect(await read(200_001, '')).toEqual([
    expect.stringMatching(
      /^It has 200,001 rows. From about 200,000 on, a database on a PostgreSQL server is the better place/,
    ),
  ])
  expect(await read(200_001, 'elsewhere')).toEqual([])
})

const texts = (rows: readonly SheetCells[]) => rows.map((row) => row.map((cell) => shown(cell)))
const give = (name: string, bytes: Uint8Array | string, pasted = false) =>
  world.call(routes.readFile, {
    query: { name, ...(pasted ? { pasted: 'yes' as const } : {}) },
    file: typeof bytes === 'string' ? new TextEncoder().encode(bytes) : bytes,
  })
const detail = (refused: Promise<unknown>) =>
  refused.then(
    () => 'not refused',
    (e: { problem: { detail: string } }) => e.problem.detail,
  )

// Written by a library which shares no code with the reader.
describe('workbooks written by another library', () => {
  const book = async (fill: (sheet: Other.Worksheet, book: Other.Workbook) => void, date1904 = false) => {
    const workbook = new Other.Workbook()
    workbook.properties.date1904 = date1904
    fill(workbook.addWorksheet('People'), workbook)
    return Buffer.from(await workbook.xlsx.writeBuffer())
  }
  test('date serials are ECMA-376’s: day 60 is the 29 February 1900 that never was, 61 the first of March', async () => {
    const bytes = await book((sheet) => {
      sheet.addRow(['Day'])
      for (const serial of [1, 59, 60, 61, 46_115]) sheet.addRow([serial]).getCell(1).numFmt = 'dd/mm/yyyy'
    })
    const { rows } = (await readTableFile(bytes, 'x.xlsx')).sheets[0]
    expect(rows.slice(1).map(([cell]) => (cell as { value: string }).value)).toEqual([
      '1900-01-01',
      '1900-02-28',
      '1900-02-29',
      '1900-03-01',
      '2026-04-03',
    ])
  })
  test('the 1904 system counts from its own day', async () => {
    const bytes = await book((sheet) => {
      sheet.addRow(['Day'])
      sheet.addRow([44_653]).getCell(1).numFmt = 'yyyy-mm-dd'
    }, true)
    expect((await readTableFile(bytes, 'x.xlsx')).sheets[0].rows[1][0]).toEqual({
      shown: '2026-04-03',
      value: '2026-04-03',
    })
  })
  test('percent, currency, leading zeros and long figures keep what was shown', async () => {
    const bytes = await book((sheet) => {
      sheet.addRow(['Share', 'Fee', 'Permit', 'Card', 'Sum'])
      const row = sheet.addRow([0.125, 1234.5, 71, '4929000000000006', { formula: 'B2*2', result: 2469 }])
      row.getCell(1).numFmt = '0.0%'
      row.getCell(2).numFmt = '"£"#,##0.00'
      row.getCell(3).numFmt = '0000'
      row.getCell(5).numFmt = '0.00'
    })
    const { rows } = (await readTableFile(bytes, 'x.xlsx')).sheets[0]
    expect(texts(rows)[1]).toEqual(['12.5%', '£1,234.50', '0071', '4929000000000006', '2469.00'])
    const { columns } = findTable(rows)
    expect(columns.map((c) => c.kind)).toEqual(['number', 'amount', 'text', 'text', 'number'])
  })
  test('what is hidden is told and can be left out; merged cells and headings mean each of theirs; errors are marked', async () => {
    const bytes = await book((sheet, workbook) => {
      sheet.addRow(['Contact', undefined, 'Group', 'Fee'])
      sheet.mergeCells('A1:B1')
      sheet.addRow(['Ada', 'ada@quay.example', 'Pontoon A', 10])
      sheet.addRow(['Bram', 'bram@quay.example', undefined, { error: '#N/A' }])
      sheet.mergeCells('C2:C3')
      sheet.addRow(['Cy', 'cy@quay.example', 'Pontoon B', 20]).hidden = true
      sheet.getColumn(4).hidden = true
      workbook.addWorksheet('Secret', { state: 'hidden' }).addRow(['x'])
    })
    const read = await readTableFile(bytes, 'x.xlsx')
    expect(read.sheets.map((s) => [s.name, s.hidden])).toEqual([
      ['People', false],
      ['Secret', true],
    ])
    const [sheet] = read.sheets
    expect([sheet.hiddenRows, sheet.hiddenColumns]).toEqual([[3], [3]])
    const all = findTable(rowsWanted(sheet, 'in', 0), { headingsRow: 0 })
    expect(all.columns.map((c) => c.name)).toEqual(['Contact', 'Contact (2)', 'Group', 'Fee'])
    expect(rowsFound(all).map((r) => shown(r.c3))).toEqual(['Pontoon A', 'Pontoon A', 'Pontoon B'])
    expect(cellProblem(rowsFound(all)[1].c4, all.columns[3])).toContain('formula of the workbook failed')
    const without = findTable(rowsWanted(sheet, 'out', 0), { headingsRow: 0 })
    expect([without.rowCount, without.columns.length]).toEqual([2, 3])
    // Through the API the question is asked, and its answer followed.
    const { id } = await give('hidden.xlsx', bytes)
    const params = { reading: id }
    expect((await world.call(routes.readTable, { params })).hidden).toEqual({ rows: 1, filtered: 0, columns: 1 })
    const list = await world.call(routes.makeList, { body: { reading: id, hidden: 'out' } })
    expect([list.rowCount, list.columns.length]).toEqual([2, 3])
  })
})

// Put together by hand from ISO/IEC 26300-1: office:value-type and its values, repeated and covered cells.
test('an OpenDocument spreadsheet is read: dates, currency, repeated and hidden parts', async () => {
  const cell = (value: string, more = 'office:value-type="string"') =>
    `<table:table-cell ${more}><text:p>${value}</text:p></table:table-cell>`
  const content = `<?xml version="1.0" encoding="UTF-8"?><office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.3"><office:body><office:spreadsheet><table:table table:name="Leute">
<table:table-row>${cell('Name')}${cell('Email')}${cell('Due')}${cell('Fee')}</table:table-row>
<table:table-row>${cell('Zoë')}${cell('zoe@hafen.example')}${cell('03/04/26', 'office:value-type="date" office:date-value="2026-04-03"')}${cell('£12.50', 'office:value-type="currency" office:currency="GBP" office:value="12.5"')}</table:table-row>
<table:table-row table:number-rows-repeated="2"><table:table-cell table:number-columns-repeated="4"/></table:table-row>
<table:table-row>${cell('Ödön')}${cell('odon@hafen.example')}<table:table-cell table:number-columns-repeated="2"/></table:table-row>
</table:table></office:spreadsheet></office:body></office:document-content>`
  const type = 'application/vnd.oasis.opendocument.spreadsheet'
  const manifest = `<?xml version="1.0" encoding="UTF-8"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3"><manifest:file-entry manifest:full-path="/" manifest:media-type="${type}"/><manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>`
  const parts: Zippable = {
    mimetype: [strToU8(type), { level: 0 }],
    'content.xml': strToU8(content),
    'styles.xml': strToU8(
      '<?xml version="1.0" encoding="UTF-8"?><office:document-styles xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" office:version="1.3"/>',
    ),
    'META-INF/manifest.xml': strToU8(manifest),
  }
  const bytes = zipSync(parts)
  // The styles may be missing (part 2, section 2.2.1 wants the content alone).
  const { 'styles.xml': _, ...bare } = parts
  expect(await readTableFile(Buffer.from(zipSync(bare)), 'leute.ods')).toEqual(
    await readTableFile(Buffer.from(bytes), 'leute.ods'),
  )
  const found = findTable((await readTableFile(Buffer.from(bytes), 'leute.ods')).sheets[0].rows)
  expect(found.columns.map((c) => [c.name, c.kind])).toEqual([
    ['Name', 'text'],
    ['Email', 'address'],
    ['Due', 'date'],
    ['Fee', 'amount'],
  ])
  expect(rowsFound(found).map((r) => shown(r.c1))).toEqual(['Zoë', 'Ödön'])
  expect((rowsFound(found)[0].c3 as { value: string }).value).toBe('2026-04-03')
  expect(found.said.join()).toContain('2 blank rows')
})

describe('contact cards', () => {
  // The card of RFC 6350, section 8, typed from memory; its addresses are the standard's own.
  const printed = [
    'BEGIN:VCARD',
    'VERSION:4.0',
    'FN:Simon Perreault',
    'N:Perreault;Simon;;;ing. jr,M.Sc.',
    'BDAY:--0203',
    'ANNIVERSARY:20090808T1430-0500',
    'GENDER:M',
    'LANG;PREF=1:fr',
    'LANG;PREF=2:en',
    'ORG;TYPE=work:Viagenie',
    'ADR;TYPE=work:;Suite D2-630;2875 Laurier;',
    ' Quebec;QC;G1V 2M2;Canada',
    'TEL;VALUE=uri;TYPE="work,voice";PREF=1:tel:+1-418-656-9254;ext=102',
    'TEL;VALUE=uri;TYPE="work,cell,voice,video,text":tel:+1-418-262-6501',
    'EMAIL;TYPE=work:simon.perreault@viagenie.ca',
    'GEO;TYPE=work:geo:46.772673,-71.282945',
    'TZ:-0500',
    'URL;TYPE=home:http://nomis80.org',
    'END:VCARD',
  ].join('\r\n')
  test('the printed card of RFC 6350, and one of version 3 with its folds and groups', async () => {
    const older =
      'BEGIN:VCARD\r\nVERSION:3.0\r\nN:Penrose;Ada;;;\r\nFN:Ada Penrose\r\nEMAIL:second@quay.example\r\nitem1.EMAIL;type=INTERNET;type=pref:ada@quay.example\r\nNOTE:A long line that is fo\r\n lded\\, twice\\nover\r\nCATEGORIES:Pontoon A,Members\r\nEND:VCARD\r\n'
    const { rows } = (await readTableFile(Buffer.from(`${printed}\r\n${older}`), 'x.vcf')).sheets[0]
    const [heads, ...people] = texts(rows)
    const of = (i: number) => Object.fromEntries(heads.map((h, n) => [h, people[i][n]]))
    expect(of(0)).toMatchObject({
      Name: 'Simon Perreault',
      'First name': 'Simon',
      'Last name': 'Perreault',
      Email: 'simon.perreault@viagenie.ca',
      Telephone: '+1-418-656-9254;ext=102',
      'Telephone 2': '+1-418-262-6501',
      Organisation: 'Viagenie',
      Street: '2875 Laurier',
      Town: 'Quebec',
      Postcode: 'G1V 2M2',
      Country: 'Canada',
    })
    expect(of(1)).toMatchObject({
      Email: 'ada@quay.example',
      'Email 2': 'second@quay.example',
      Note: 'A long line that is folded, twice\nover',
      Groups: 'Pontoon A, Members',
    })
  })
  test('broken folding is mended and said; a card without an end is said, and none at all is refused', async () => {
    const broken = printed.replace('\r\n Quebec', '\r\nQuebec').replace('nomis80', '\r\nnomis80')
    const { said, rows } = (await readTableFile(Buffer.from(`${broken}\r\nBEGIN:VCARD\r\nFN:No End\r\n`), 'x.vcf'))
      .sheets[0]
    expect(rows).toEqual((await readTableFile(Buffer.from(printed), 'x.vcf')).sheets[0].rows)
    expect(said.join()).toMatch(/2 long lines were broken.*1 card has no end/)
    expect(await detail(give('broken.vcf', 'BEGIN:VCARD\nFN:No End\n'))).toMatch(/none of its cards can be read/)
  })
  test('written out as cards and read back, a list is the same people', async () => {
    const csv =
      'Name,Email,Telephone,Berth,Note\n"Łucja, Q; \\x",l@quay.example,01999 5,A1,"two\nlines"\nBram,b@quay.example,,B2,\n'
    const list = await world.call(routes.makeList, { body: { reading: (await give('cards.csv', csv)).id } })
    const file = await (await fetch(`${world.handPost.address}/api/lists/${list.id}/file?as=vcf`)).text()
    expect(file.match(/^VERSION:4.0\r$/gm)).toHaveLength(2)
    const [heads, ...people] = texts((await readTableFile(Buffer.from(file), 'x.vcf')).sheets[0].rows)
    const of = (head: string) => people.map((p) => p[heads.indexOf(head)])
    expect(of('Name')).toEqual(['Łucja, Q; \\x', 'Bram'])
    expect(of('Email')).toEqual(['l@quay.example', 'b@quay.example'])
    expect(of('Note')).toEqual(['two\nlines\nBerth: A1', 'Berth: B2'])
  })
})

describe('what is pasted', () => {
  // Forms of RFC 5322, appendix A.1, with addresses of ours.
  test.each([
    ['Ada Penrose <ada@quay.example>; "Tolland, Bram" <bram@quay.example>', ['Ada Penrose', 'Tolland, Bram']],
    ['ada@quay.example, bram@quay.example', ['', '']],
    ['Ada <ada@quay.example>\nbram@quay.example\n', ['Ada', '']],
    ['ada@quay.example bram@quay.example', ['', '']],
    ['Ada <ada@quay.example>,  bram@quay.example', ['Ada', '']],
    ['Crew:Ada <ada@quay.example>,bram@quay.example;', ['Ada', '']],
    ['"Joe Q. \\"Bo\\" Bloggs" <ada@quay.example>, =?utf-8?q?Zo=C3=AB?= <bram@quay.example>', undefined],
  ])('%s', (text, names) => {
    const { rows } = readAddresses(text)!
    expect(rows.slice(1).map((r) => r[1])).toEqual(['ada@quay.example', 'bram@quay.example'])
    if (names) expect(rows.slice(1).map((r) => r[0] ?? '')).toEqual(names)
  })
  test('what is no address is said; prose and tables are not taken for a run of addresses', async () => {
    expect(readAddresses('Ada <ada@quay.example>, bram@@x, cy@quay.example')!.said).toHaveLength(1)
    expect(readAddresses('ada@quay.example bram@@x\tcy@quay.example')).toBeNull()
    expect(readAddresses('ada@quay.example bram@@x cy@quay.example')!.said).toEqual([
      '“bram@@x” is not an address, and was left out.',
    ])
    expect(readAddresses('Please write to ada@quay.example soon, or to nobody, thank you')).toBeNull()
    expect(texts(readPasted('Name\tEmail\nAda\tada@quay.example').sheets[0].rows)[1]).toEqual([
      'Ada',
      'ada@quay.example',
    ])
    const { id } = await give('Pasted', 'Ada <ada@quay.example>; bram@quay.example', true)
    const list = await world.call(routes.makeList, { body: { reading: id, name: 'Pasted' } })
    expect([list.rowCount, list.source.fileName]).toEqual([2, null])
  })
})

describe('which column is written to', () => {
  const csv = 'Name,Email,Secretary\nAda,ada@quay.example,office@quay.example\nBram,bram@quay.example,\n'
  test('of two columns of addresses each is shown with its first, and what the writer says is kept with the list', async () => {
    const { id, sheets } = await give('x.csv', csv)
    expect(sheets[0].hasAddresses).toBe(true)
    const found = await world.call(routes.readTable, { params: { reading: id } })
    expect(found.addressColumns).toEqual([
      { id: 'c2', name: 'Email', example: 'ada@quay.example' },
      { id: 'c3', name: 'Secretary', example: 'office@quay.example' },
    ])
    const list = await world.call(routes.makeList, { body: { reading: id, addressColumn: 'c3' } })
    expect(list.addressColumn).toBe('c3')
    const round = await world.call(routes.startRound, { body: { title: 'Asked already' } })
    const params = { round: round.id }
    expect(await world.call(routes.changeRound, { params, body: { listId: list.id } })).toMatchObject({
      addressColumn: 'c3',
      perhapsAddresses: null,
    })
    await expect(world.call(routes.makeList, { body: { reading: id, addressColumn: 'c9' } })).rejects.toThrow()
  })
  test('a round asks where nobody has said it; the answer holds for the next round too', async () => {
    const { id } = await give('x.csv', csv)
    const list = await world.call(routes.makeList, { body: { reading: id } })
    const start = async () => {
      const { id: round } = await world.call(routes.startRound, { body: { title: 'A round' } })
      return world.call(routes.changeRound, { params: { round }, body: { listId: list.id } })
    }
    const first = await start()
    expect([first.addressColumn, first.perhapsAddresses]).toEqual(['c2', ['c2', 'c3']])
    const answered = await world.call(routes.changeRound, {
      params: { round: first.id },
      body: { addressColumn: 'c3' },
    })
    expect(answered.perhapsAddresses).toBeNull()
    expect(await start()).toMatchObject({ addressColumn: 'c3', perhapsAddresses: null })
    // Once that column is gone there is but one, and nothing to ask.
    await world.edit(list.id, { do: 'deleteColumn', column: 'c3' })
    expect(await start()).toMatchObject({ addressColumn: 'c2', perhapsAddresses: null })
  })
})

describe('text that is read as the writer says', () => {
  test('delimiter, encoding and quotation mark are found, and can be overruled', async () => {
    const { id, delimiter, encoding, quote } = await give('x.csv', Buffer.from('Name;Town\nZoë;"a;b"\n', 'latin1'))
    expect([delimiter, encoding, quote]).toEqual([';', 'windows-1252', '"'])
    const table = async (query: object) =>
      (await world.call(routes.readTable, { params: { reading: id }, query })).firstRows
    expect(await table({ quote: 'none' })).toEqual([['Name', 'Town'], ['Zoë', '"a', 'b"'], ['']])
    expect((await table({ delimiter: ',' }))[0]).toEqual(['Name;Town'])
    expect((await table({ encoding: 'utf-8' }))[1][0]).toBe('Zo\ufffd')
  })
  test('where the table ends is found above remarks and totals, and can be changed', async () => {
    const csv =
      'Name,Email,Fee\nAda,ada@quay.example,1\nBram,bram@quay.example,2\nCy,cy@quay.example,3\nTotal,,6\n\nas of today,,\n'
    const { id } = await give('x.csv', csv)
    const params = { reading: id }
    const found = await world.call(routes.readTable, { params })
    expect([found.rowCount, found.lastRow]).toEqual([3, 3])
    expect(found.said.join()).toContain('2 rows below the table were left out, beginning with “Total”')
    expect((await world.call(routes.readTable, { params, query: { lastRow: 4 } })).rowCount).toBe(4)
  })
  test('dates that could be read either way are asked about, and read as answered', async () => {
    const { id } = await give('x.csv', 'Name,Email,Due\nAda,ada@quay.example,07/04/2026\n')
    expect((await world.call(routes.readTable, { params: { reading: id } })).undecided).toEqual([
      { name: 'Due', example: '07/04/2026' },
    ])
    const list = await world.call(routes.makeList, { body: { reading: id, monthFirst: ['Due'] } })
    expect(list.columns[2].dayFirst).toBe(false)
  })
})

describe('bad input', () => {
  const row = 'Ada,ada@quay.example'
  test.each<[string, string | Uint8Array, RegExp]>([
    [
      '5,000 columns',
      `${Array(5000).fill('h').join(',')}\n${Array(5000).fill('1').join(',')}\n`,
      /5,000 columns, more than a list can have/,
    ],
    [
      'one huge cell',
      `Name,Email\n"${'x'.repeat(20_000_000)}",a@quay.example\n`,
      /row 2 holds more than 2 million characters, more than a row can. A quotation mark in it may never be closed/,
    ],
    [
      'one long cell',
      `Name,Email\nAda,${'x'.repeat(200_000)}\n`,
      /the cell in row 2, column 2 holds 200 thousand characters.*Shorten it/,
    ],
    [
      'a quote that swallows the file',
      `Name,Email\n"Ada,ada@quay.example\n${`${row}\n`.repeat(9000)}`,
      /quotation mark before it is never closed/,
    ],
    [
      'NULs',
      `Name,Email\n${`${row}\n`.repeat(100)}Bra\0m,b@quay.example\n`,
      /line 102 holds a character that no text has/,
    ],
    [
      'half a workbook',
      zipSync({ 'xl/workbook.xml': strToU8('<workbook/>') }).subarray(0, 60),
      /damaged or not whole|not a workbook/,
    ],
    ['another zip', zipSync({ 'a.txt': strToU8('x') }), /not a workbook/],
  ])('%s', async (_, bytes, words) => {
    const before = await world.call(routes.lists)
    expect(await detail(give('bad.csv', bytes))).toMatch(words)
    expect(await world.call(routes.lists)).toEqual(before)
  })
  test('mixed line ends, right-to-left and combining characters, headings that differ by case: read, and told apart', async () => {
    const { id } = await give(
      'x.csv',
      'Name,NAME,Email\r\nשרה,e\u0301,a@quay.example\nBram,x,b@quay.example\rCy,y,c@quay.example',
    )
    const list = await world.call(routes.makeList, { body: { reading: id } })
    expect(list.columns.map((c) => c.name)).toEqual(['Name', 'NAME (2)', 'Email'])
    expect((await world.rows(list.id)).map((r) => r.cells.c1)).toEqual(['שרה', 'Bram', 'Cy'])
  })
})

describe('tables out', () => {
  test('written as .xlsx, .ods and .csv and read back, a list is the same; formulas are defused in CSV', async () => {
    const csv =
      'Name,Email,Fee,Due,Permit,Seen\nZoë,z@quay.example,"£1,234.50",07/04/2026,0071,yes\n=1+1,b@quay.example,£3.00,25/12/2026,0072,no\n'
    const list = await world.call(routes.makeList, { body: { reading: (await give('x.csv', csv)).id } })
    const file = async (as: string) =>
      Buffer.from(await (await fetch(`${world.handPost.address}/api/lists/${list.id}/file?as=${as}`)).arrayBuffer())
    const stored = await world.rows(list.id)
    for (const as of ['xlsx', 'ods']) {
      const found = findTable((await readTableFile(await file(as), `x.${as}`)).sheets[0].rows)
      expect(
        found.columns.map((c) => [c.name, c.kind]),
        as,
      ).toEqual(list.columns.map((c) => [c.name, c.kind]))
      expect(
        rowsFound(found).map((r) => found.columns.map((c: Column) => shown(r[c.id]))),
        as,
      ).toEqual(stored.map((r) => list.columns.map((c) => shown(r.cells[c.id]))))
    }
    // The workbook says to another library what it says to us: a date is a date, an amount a number.
    const workbook = new Other.Workbook()
    await workbook.xlsx.load((await file('xlsx')) as never)
    const [, second] = workbook.worksheets[0].getSheetValues().slice(1) as unknown[][]
    expect(second.slice(3, 5)).toEqual([1234.5, new Date('2026-04-07')])
    const { data } = Papa.parse<string[]>((await file('csv')).toString('utf8').replace('\ufeff', ''))
    expect(data[2][0]).toBe("'=1+1")
    for (const as of ['csv', 'xlsx', 'ods']) {
      const sample = await fetch(`${world.handPost.address}/api/sample-table?as=${as}`)
      const { rows } = (await readTableFile(Buffer.from(await sample.arrayBuffer()), `sample.${as}`)).sheets[0]
      expect(findTable(rows).columns.map((c) => c.kind)).toContain('address')
    }
  })
})
