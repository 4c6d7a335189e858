import * as XLSX from '@e965/xlsx'
import { type Cell, compileCellFormat, findTable, isoOfSerial, shown } from '@hand-post/core'
import Other from 'exceljs'
import fc from 'fast-check'
import { strToU8, zipSync } from 'fflate'
import { describe, expect, test } from 'vitest'
import { styleOfCode } from '../src/people/workbook/odsStyles.ts'
import { writeTable } from '../src/people/writeFile.ts'
import { readTableFile, rowsFound } from './sheets.ts'

// Workbooks in the formats of many languages, written by two libraries that share no code with the reader, and as OpenDocument with
// styles alone, so that nothing but the style says how a value is shown. What each cell shows is said by `Intl` (Unicode CLDR) or by hand.

const utc = (y: number, m: number, d: number, h = 0, min = 0) => Date.UTC(y, m - 1, d, h, min)
const serial = (at: number) => at / 86_400_000 + 25_569
/** A day with figures of one and of two digits. */
const days = [utc(2026, 4, 3), utc(2025, 12, 9), utc(2027, 10, 31)]
const two = (n: number) => String(n).padStart(2, '0')

interface Spoken {
  language: string
  lcid: string
  /** How money is written: its code, and its sign before or behind. */
  money: [code: string, write: (figures: string) => string]
  longDay: string
  percent: [code: string, write: (n: string) => string]
}
const behind = (character: string) => (figures: string) => `${figures} ${character}`
const spoken: Spoken[] = [
  {
    language: 'en-GB',
    lcid: '809',
    money: ['[$£-809]#,##0.00', (f) => `£${f}`],
    longDay: 'd mmmm yyyy',
    percent: ['0%', (n) => `${n}%`],
  },
  {
    language: 'en-US',
    lcid: '409',
    money: ['[$$-409]#,##0.00', (f) => `$${f}`],
    longDay: 'mmmm d, yyyy',
    percent: ['0%', (n) => `${n}%`],
  },
  {
    language: 'de-DE',
    lcid: '407',
    money: ['#,##0.00\\ [$€-407]', behind('€')],
    longDay: 'd. mmmm yyyy',
    percent: ['0\\ %', (n) => `${n} %`],
  },
  {
    language: 'fr-FR',
    lcid: '40C',
    money: ['#,##0.00\\ [$€-40C]', behind('€')],
    longDay: 'd mmmm yyyy',
    percent: ['0\\ %', (n) => `${n} %`],
  },
  {
    language: 'sv-SE',
    lcid: '41D',
    money: ['#,##0.00\\ [$kr-41D]', behind('kr')],
    longDay: 'd mmmm yyyy',
    percent: ['0\\ %', (n) => `${n} %`],
  },
  {
    language: 'fi-FI',
    lcid: '40B',
    money: ['#,##0.00\\ [$€-40B]', behind('€')],
    longDay: 'd. mmmm yyyy',
    percent: ['0\\ %', (n) => `${n} %`],
  },
  {
    language: 'pt-BR',
    lcid: '416',
    money: ['[$R$-416]\\ #,##0.00', (f) => `R$ ${f}`],
    longDay: 'd" de "mmmm" de "yyyy',
    percent: ['0%', (n) => `${n}%`],
  },
  {
    language: 'ja-JP',
    lcid: '411',
    money: ['[$¥-411]#,##0.00', (f) => `¥${f}`],
    longDay: 'yyyy"年"m"月"d"日"',
    percent: ['0%', (n) => `${n}%`],
  },
  {
    language: 'hi-IN',
    lcid: '439',
    money: ['[$₹-439]\\ ##,##,##0.00', (f) => `₹ ${f}`],
    longDay: 'd mmmm yyyy',
    percent: ['0%', (n) => `${n}%`],
  },
  {
    language: 'es-ES',
    lcid: 'C0A',
    money: ['#,##0.00\\ [$€-C0A]', behind('€')],
    longDay: 'd" de "mmmm" de "yyyy',
    percent: ['0\\ %', (n) => `${n} %`],
  },
  {
    language: 'it-IT',
    lcid: '410',
    money: ['#,##0.00\\ [$€-410]', behind('€')],
    longDay: 'd mmmm yyyy',
    percent: ['0%', (n) => `${n}%`],
  },
  {
    language: 'nl-NL',
    lcid: '413',
    money: ['[$€-413]\\ #,##0.00', (f) => `€ ${f}`],
    longDay: 'd mmmm yyyy',
    percent: ['0%', (n) => `${n}%`],
  },
  {
    language: 'pl-PL',
    lcid: '415',
    money: ['#,##0.00\\ [$zł-415]', behind('zł')],
    longDay: 'd mmmm yyyy',
    percent: ['0%', (n) => `${n}%`],
  },
]

/** One cell: its value and code, and what is to be read of it. */
type Told = [value: number | string, code: string, text: string]

/** The columns of a language's workbooks: what an office there keeps every day. */
function everyday({ language, lcid, money, longDay, percent }: Spoken): Record<string, Told[]> {
  const numbers = (options: Intl.NumberFormatOptions) =>
    new Intl.NumberFormat(language, {
      numberingSystem: 'latn',
      useGrouping: 'always',
      ...options,
    } as Intl.NumberFormatOptions)
  const cents = numbers({ minimumFractionDigits: 2, maximumFractionDigits: 2 })
  const whole = numbers({ maximumFractionDigits: 0 })
  const mark = `[$-${lcid}]`
  const date = (options: Intl.DateTimeFormatOptions) =>
    new Intl.DateTimeFormat(language, { ...options, timeZone: 'UTC', calendar: 'gregory', numberingSystem: 'latn' })
  const at = (day: number) => new Date(day)
  return {
    money: [1235.5, 0.25, 1_234_567.891].map((n) => [n, mark + money[0], money[1](cents.format(n))]),
    figures: [1235, 98_765_432].map((n) => [n, `${mark}#,##0`, whole.format(n)]),
    share: [0.13, 0.5, 1].map((n) => [n, percent[0], percent[1](String(n * 100))]),
    longDay: days.map((d) => [serial(d), mark + longDay, date({ dateStyle: 'long' }).format(d)]),
    weekday: days.map((d) => [serial(d), `${mark}dddd`, date({ weekday: 'long' }).format(d)]),
    figuresDay: days.map((d) => [
      serial(d),
      'dd\\.mm\\.yyyy',
      `${two(at(d).getUTCDate())}.${two(at(d).getUTCMonth() + 1)}.${at(d).getUTCFullYear()}`,
    ]),
    slashDay: days.map((d) => [
      serial(d),
      'd/m/yy',
      `${at(d).getUTCDate()}/${at(d).getUTCMonth() + 1}/${String(at(d).getUTCFullYear()).slice(2)}`,
    ]),
    isoDay: days.map((d) => [serial(d), 'yyyy-mm-dd', at(d).toISOString().slice(0, 10)]),
    moment: days.map((d) => [serial(d) + 9.5 / 24, 'yyyy-mm-dd hh:mm', `${at(d).toISOString().slice(0, 10)} 09:30`]),
    clock: [
      [10 / 24, 'hh.mm', '10.00'],
      [18.25 / 24, 'hh:mm', '18:15'],
      [1.5, '[h]:mm', '36:00'],
    ],
    permit: [
      [71, '0000', '0071'],
      [7, `${mark}000000`, '000007'],
    ],
    long: [
      [447_700_900_121, 'General', '447700900121'],
      [4_929_000_000_001, '0', '4929000000001'],
    ],
    words: [
      ['Zoë Ødegård', 'General', 'Zoë Ødegård'],
      ['Ada', '"Mr "@', 'Mr Ada'],
      ['0071', '@', '0071'],
    ],
    boxes: [[3, 'General" boxes"', '3 boxes']],
  }
}

/** A workbook of .xlsx by the first library. */
function byFirst(cells: Told[]): Buffer {
  const book = XLSX.utils.book_new()
  const sheet = XLSX.utils.aoa_to_sheet(cells.map(([v, z]) => [{ t: typeof v === 'number' ? 'n' : 's', v, z }]))
  XLSX.utils.book_append_sheet(book, sheet, 'A & B')
  return XLSX.write(book, { type: 'buffer', bookType: 'xlsx' })
}
/** By the second. */
async function bySecond(cells: Told[]): Promise<Buffer> {
  const book = new Other.Workbook()
  const sheet = book.addWorksheet('A & B')
  for (const [value, code] of cells) {
    const cell = sheet.addRow([value]).getCell(1)
    if (code !== 'General') cell.numFmt = code
  }
  return Buffer.from(await book.xlsx.writeBuffer())
}

const odf = 'urn:oasis:names:tc:opendocument:xmlns'
const names = `xmlns:office="${odf}:office:1.0" xmlns:table="${odf}:table:1.0" xmlns:text="${odf}:text:1.0" xmlns:style="${odf}:style:1.0" xmlns:number="${odf}:datastyle:1.0" xmlns:fo="${odf}:xsl-fo-compatible:1.0" xmlns:calcext="urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0" office:version="1.3"`
/** An OpenDocument workbook from its inside (ISO/IEC 26300-1, chapter 9). */
function openDocument(tables: string, styles = '', meta = ''): Buffer {
  const type = 'application/vnd.oasis.opendocument.spreadsheet'
  return Buffer.from(
    zipSync({
      mimetype: [strToU8(type), { level: 0 }],
      'content.xml': strToU8(
        `<?xml version="1.0" encoding="UTF-8"?><office:document-content ${names}><office:automatic-styles>${styles}</office:automatic-styles><office:body><office:spreadsheet>${tables}</office:spreadsheet></office:body></office:document-content>`,
      ),
      'META-INF/manifest.xml': strToU8(`<manifest:manifest xmlns:manifest="${odf}:manifest:1.0"/>`),
      ...(meta ? { 'meta.xml': strToU8(meta) } : {}),
    }),
  )
}
/** The same cells as OpenDocument: values and styles, and no text that was shown. */
function asOpenDocument(cells: Told[]): Buffer {
  const styles = cells
    .map(
      ([, code], i) =>
        `${styleOfCode(code === 'General' ? '0' : code, `N${i}`)}<style:style style:name="c${i}" style:family="table-cell" style:data-style-name="N${i}"/>`,
    )
    .join('')
  const rows = cells.map(([value, code], i) => {
    const { means } = compileCellFormat(code)
    const day =
      typeof value === 'number' && means.startsWith('date')
        ? new Date(Math.round((value - 25_569) * 86_400_000)).toISOString()
        : ''
    const said =
      typeof value === 'string'
        ? `office:value-type="string" office:string-value="${compileCellFormat(code).show(value)}"`
        : means === 'date' || means === 'dateTime'
          ? `office:value-type="date" office:date-value="${means === 'date' ? day.slice(0, 10) : day.slice(0, 19)}"`
          : means === 'time' || means === 'duration'
            ? `office:value-type="time" office:time-value="PT${Math.round(value * 1440)}M"`
            : `office:value-type="${code.includes('%') ? 'percentage' : 'float'}" office:value="${value}"`
    return `<table:table-row><table:table-cell table:style-name="c${i}" ${said}/></table:table-row>`
  })
  return openDocument(`<table:table table:name="A &amp; B">${rows.join('')}</table:table>`, styles)
}

describe.each(spoken)('workbooks of $language', (one) => {
  const columns = everyday(one)
  test.each(Object.keys(columns))('%s: each cell is read as it is shown', async (name) => {
    const cells = columns[name]
    for (const [writer, bytes] of [
      ['first.xlsx', byFirst(cells)],
      ['second.xlsx', await bySecond(cells)],
      ...(name === 'boxes' ? [] : [['styles.ods', asOpenDocument(cells)] as const]),
    ] as const) {
      const read = await readTableFile(bytes, writer)
      expect(
        read.sheets[0].rows.map(([cell]) => shown(cell)),
        writer,
      ).toEqual(cells.map(([, , text]) => text))
      expect(read.sheets[0].name).toBe('A & B')
      expect(read.sheets[0].unclear).toEqual([])
    }
  })
})

test('the letter’s cells: each says what the sheet showed, or it is said that it cannot', async () => {
  const cells: Told[] = [
    [1235.5, '[$£-809]#,##0.00', '£1,235.50'],
    [71, '[$-409]0000', '0071'],
    [0.125, '0\\ %', '13 %'],
    [447_700_900_121, 'General', '447700900121'],
    [10 / 24, 'hh.mm', '10.00'],
    [1, 'General" boxes"', '1 boxes'],
  ]
  for (const bytes of [byFirst(cells), await bySecond(cells)])
    expect((await readTableFile(bytes, 'x.xlsx')).sheets[0].rows.map(([c]) => shown(c))).toEqual(
      cells.map(([, , t]) => t),
    )
})

describe('what a .xlsx workbook says of itself', () => {
  const head = '<?xml version="1.0" encoding="UTF-8"?>'
  const main = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main'
  const rels = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships'
  const book = (sheet: string, more: Record<string, string> = {}, prefix = '') =>
    Buffer.from(
      zipSync({
        'xl/workbook.xml': strToU8(
          `${head}<workbook xmlns="${main}" xmlns:r="${rels}"><sheets><sheet name="Caf&#233; _x0041_" sheetId="1" r:id="r1"/></sheets></workbook>`,
        ),
        'xl/_rels/workbook.xml.rels': strToU8(
          `${head}<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="${rels}/worksheet" Target="/xl/worksheets/sheet1.xml"/></Relationships>`,
        ),
        'xl/worksheets/sheet1.xml': strToU8(
          prefix === ''
            ? `${head}<worksheet xmlns="${main}">${sheet}</worksheet>`
            : `${head}<${prefix}:worksheet xmlns:${prefix}="${main}">${sheet.replace(/<(\/?)/g, `<$1${prefix}:`)}</${prefix}:worksheet>`,
        ),
        ...Object.fromEntries(Object.entries(more).map(([path, xml]) => [path, strToU8(head + xml)])),
      }),
    )
  const read = async (bytes: Buffer) => (await readTableFile(bytes, 'x.xlsx')).sheets[0]
  const styles = (codes: [id: number, code: string | null][]) => ({
    'xl/styles.xml': `<styleSheet xmlns="${main}"><numFmts>${codes.map(([id, code]) => (code === null ? '' : `<numFmt numFmtId="${id}" formatCode="${code}"/>`)).join('')}</numFmts><cellStyleXfs><xf numFmtId="9"/></cellStyleXfs><cellXfs>${codes.map(([id]) => `<xf numFmtId="${id}"/>`).join('')}</cellXfs></styleSheet>`,
  })
  const core = (language: string) => ({
    'docProps/core.xml': `<cp:coreProperties xmlns:cp="http://schemas.openxmlformats.org/package/2006/metadata/core-properties" xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:language>${language}</dc:language></cp:coreProperties>`,
  })
  const row =
    '<sheetData><row r="1"><c r="A1" s="1"><v>46000</v></c><c r="B1" s="2"><v>1235.5</v></c></row></sheetData>'
  const codes = styles([
    [0, null],
    [14, null],
    [4, null],
  ])

  test('its language writes the short date and the separators, and can be chosen', async () => {
    const texts = async (bytes: Buffer, language?: string) =>
      (await readTableFile(bytes, 'x.xlsx', { language })).sheets[0].rows[0].map((c) => shown(c))
    expect(await texts(book(row, codes))).toEqual(['09/12/2025', '1,235.50'])
    expect(await texts(book(row, { ...codes, ...core('de-DE') }))).toEqual(['09.12.2025', '1.235,50'])
    expect(await texts(book(row, { ...codes, ...core('en-US') }))).toEqual(['12/9/2025', '1,235.50'])
    expect(await texts(book(row, { ...codes, ...core('tlh') }))).toEqual(['09/12/2025', '1,235.50'])
    expect(await texts(book(row, { ...codes, ...core('de-DE') }), 'sv-SE')).toEqual(['2025-12-09', '1\u00a0235,50'])
    // Where it says nothing, the money in its formats tells; the language of a single column's words does not.
    const money = styles([
      [0, null],
      [14, null],
      [164, '#,##0.00\\ [$€-407]'],
    ])
    expect(await texts(book(row, money))).toEqual(['09.12.2025', '1.235,50 €'])
    const words = styles([
      [0, null],
      [164, '[$-40C]d mmmm yyyy'],
      [4, null],
    ])
    expect(await texts(book(row, words))).toEqual(['9 décembre 2025', '1,235.50'])
  })

  test('a format that is not understood is told by its column, with what is read', async () => {
    const { unclear } = await read(
      book(
        row,
        styles([
          [0, null],
          [14, null],
          [164, '[DBNum1]0.0'],
        ]),
      ),
    )
    expect(unclear).toEqual([{ column: 1, format: '[DBNum1]0.0', sample: '1235.5' }])
  })

  test('texts of every make: shared, with runs, said beside, in the cell, escaped, of formulas; and prefixes of any name', async () => {
    const sheet =
      '<sheetData><row><c t="s"><v>0</v></c><c t="s"><v>1</v></c><c t="inlineStr"><is><r><t>in </t></r><r><t>line</t></r></is></c><c t="str"><f>A1</f><v>of a formula</v></c><c t="b"><v>1</v></c><c t="e"><v>#N/A</v></c><c t="d"><v>2026-04-03</v></c><c><v></v></c><c t="s"><v>9</v></c></row></sheetData>'
    const texts = {
      'xl/sharedStrings.xml': `<sst xmlns="${main}"><si><t>_x0041_ _x005F_x0041_</t></si><si><r><t xml:space="preserve">東 </t></r><rPh sb="0" eb="1"><t>ヒガシ</t></rPh><r><t>京</t></r></si></sst>`,
    }
    const want = ['A _x0041_', '東 京', 'in line', 'of a formula', 'TRUE', '#N/A', '2026-04-03']
    for (const prefix of ['', 'x']) {
      const { rows, name, errors } = await read(book(sheet, texts, prefix))
      expect(rows[0].slice(0, 7).map((c) => shown(c))).toEqual(want)
      expect(name).toBe('Café A')
      expect(errors).toEqual([{ column: 5, count: 1, sample: '#N/A' }])
    }
  })

  test('texts go by their format too, also where it hides them or is not understood; times in the 1904 system keep their day', async () => {
    const own = styles([
      [164, ';;;'],
      [165, '0;-0;0;&quot;none&quot;'],
      [166, '[DBNum1]&quot;x&quot;@'],
      [167, 'hh:mm'],
    ])
    const cells = [0, 1, 2].map((s) => `<c t="str" s="${s}"><v>Ada</v></c>`).join('')
    const sheet = await read(book(`<sheetData><row>${cells}<c s="3"><v>44538.5</v></c></row></sheetData>`, own))
    expect(sheet.rows[0].map((cell) => cell && shown(cell))).toEqual([undefined, 'none', 'xAda', '12:00'])
    expect(sheet.unclear.map((one) => one.column)).toEqual([2])
    const in1904 = await read(
      book(`<sheetData><row>${cells}<c s="3"><v>44538.5</v></c></row></sheetData>`, {
        ...own,
        'xl/workbook.xml': `<workbook xmlns="${main}" xmlns:r="${rels}"><workbookPr date1904="1"/><sheets><sheet name="A" sheetId="1" r:id="r1"/></sheets></workbook>`,
      }),
    )
    expect((in1904.rows[0][3] as { value: string }).value).toBe('2025-12-09T12:00')
  })
  test('rows that a filter leaves out are told apart from hidden ones', async () => {
    const rows =
      '<sheetData><row r="1"><c t="str"><v>Name</v></c></row><row r="2" hidden="1"><c t="str"><v>Ada</v></c></row><row r="3"><c t="str"><v>Bram</v></c></row></sheetData>'
    expect((await read(book(rows))).hiddenRows).toEqual([1])
    const filtered = await read(
      book(
        `${rows}<autoFilter ref="A1:A3"><filterColumn colId="0"><filters><filter val="Bram"/></filters></filterColumn></autoFilter>`,
      ),
    )
    expect([filtered.hiddenRows, filtered.filteredRows]).toEqual([[], [1]])
  })

  test('damaged XML is said, and an entity of its own is not followed', async () => {
    const said = (bytes: Buffer) =>
      readTableFile(bytes, 'x.xlsx').then(
        () => '',
        (e: Error & { problem?: { detail: string } }) => e.problem?.detail ?? e.message,
      )
    expect(await said(book('<sheetData><row><c><v>1</v></row></sheetData>'))).toMatch(/damaged or not whole/)
    expect(await said(book('<sheetData><c><v>1</v></c></sheetData>'))).toMatch(/a cell of it stands in no row/)
    expect(await said(book('<sheetData><row><c t="str"><v>&own;</v></c></row></sheetData>'))).toMatch(
      /damaged or not whole/,
    )
  })
})

describe('what an OpenDocument workbook says of itself', () => {
  const read = async (tables: string, styles = '', meta = '') =>
    (await readTableFile(openDocument(tables, styles, meta), 'x.ods')).sheets
  const cell = (words: string, more = 'office:value-type="string"') =>
    `<table:table-cell ${more}>${words}</table:table-cell>`
  const p = (words: string) => `<text:p>${words}</text:p>`
  const table = (rows: string, more = '') => `<table:table table:name="T &amp; _x0041_"${more}>${rows}</table:table>`

  test('hidden rows, columns and sheets, rows left out by a filter; names as they are', async () => {
    const sheets = await read(
      table(
        `<table:table-column/><table:table-column table:visibility="collapse"/><table:table-header-rows><table:table-row>${cell(p('A'))}${cell(p('B'))}</table:table-row></table:table-header-rows><table:table-row table:visibility="collapse">${cell(p('1'))}</table:table-row><table:table-row-group><table:table-row table:visibility="filter" table:number-rows-repeated="2">${cell(p('2'))}</table:table-row></table:table-row-group><table:table-row>${cell(p('3'))}</table:table-row><table:table-row table:visibility="collapse" table:number-rows-repeated="1048000"><table:table-cell/></table:table-row>`,
      ) + table(`<table:table-row>${cell(p('x'))}</table:table-row>`, ' table:style-name="ta2"'),
      '<style:style style:name="ta2" style:family="table"><style:table-properties table:display="false"/></style:style>',
    )
    expect(sheets.map((s) => [s.name, s.hidden, s.hiddenRows, s.filteredRows, s.hiddenColumns])).toEqual([
      ['T & _x0041_', false, [1], [2, 3], [1]],
      ['T & _x0041_', true, [], [], []],
    ])
  })

  test('text as it stands: blanks, tabs, line ends, paragraphs; notes, drawings and readings aside are no part of it', async () => {
    const [{ rows }] = await read(
      table(
        `<table:table-row>${cell(`${p('  a <text:span>b</text:span><text:s text:c="2"/>c\n d ')}${p('e<text:tab/>f<text:line-break/>g')}`)}${cell(`<office:annotation>${p('a note')}</office:annotation>${p('<text:ruby><text:ruby-base>東京</text:ruby-base><text:ruby-text>とうきょう</text:ruby-text></text:ruby>')}<draw:frame xmlns:draw="${odf}:drawing:1.0">${p('drawn')}</draw:frame>`)}${cell(p('_x0041_ &amp;lt;'))}</table:table-row>`,
      ),
    )
    expect(rows[0]).toEqual(['a b  c d \ne\tf\ng', '東京', '_x0041_ &lt;'])
  })

  test('cells that stand in no table, and were taken away, are not read', async () => {
    const [sheet, ...others] = await read(
      `<table:tracked-changes><table:cell-content-change><table:previous><table:change-track-table-cell>${p('old')}</table:change-track-table-cell></table:previous></table:cell-content-change></table:tracked-changes>${table(`<table:table-row>${cell(p('new'))}<table:covered-table-cell office:value-type="string">${p('under')}</table:covered-table-cell></table:table-row>`)}`,
    )
    expect([sheet.rows, others]).toEqual([[['new']], []])
  })

  test('the text that was shown counts, and not a bare value in its place', async () => {
    const styles =
      styleOfCode('dd/mm/yyyy', 'N1') +
      styleOfCode('0.00', 'N2') +
      ['1', '2']
        .map((n) => `<style:style style:name="c${n}" style:family="table-cell" style:data-style-name="N${n}"/>`)
        .join('')
    const date = (text: string) =>
      cell(p(text), 'table:style-name="c1" office:value-type="date" office:date-value="2026-04-03"')
    const figure = (text: string) =>
      cell(text && p(text), 'table:style-name="c2" office:value-type="float" office:value="12.5"')
    const [{ rows }] = await read(
      table(
        `<table:table-row>${date('Friday')}${date('2026-04-03')}${figure('12½')}${figure('12.5')}${figure('')}</table:table-row>`,
      ),
      styles,
    )
    expect(rows[0].map((c) => shown(c))).toEqual(['Friday', '03/04/2026', '12½', '12.50', '12.50'])
    expect((rows[0][0] as { value: string }).value).toBe('2026-04-03')
  })

  test('errors, in both ways that programs write them', async () => {
    const [{ rows, errors }] = await read(
      table(
        `<table:table-row>${cell(p('#VALUE!'), 'office:value-type="string" calcext:value-type="error"')}${cell(p('Err:502'), 'office:value-type="string" office:string-value=""')}${cell(p('#N/A'), 'office:value-type="float" office:value="0"')}</table:table-row>`,
      ),
    )
    expect(rows[0]).toEqual(['#VALUE!', 'Err:502', '#N/A'])
    expect(errors.map((e) => [e.column, e.sample])).toEqual([
      [0, '#VALUE!'],
      [1, 'Err:502'],
      [2, '#N/A'],
    ])
  })

  // ISO/IEC 26300-1, 16.27: the parts of dates, times, numbers and money, each with the style that its attributes give.
  test.each([
    [
      '<number:date-style style:name="N"><number:day-of-week number:style="long"/><number:text> </number:text><number:day/><number:text>. </number:text><number:month number:style="long" number:textual="true"/><number:text> </number:text><number:year number:style="long"/></number:date-style>',
      'date',
      '2025-12-09',
      'Tuesday 9. December 2025',
    ],
    [
      '<number:date-style style:name="N" number:language="fr" number:country="FR"><number:day number:style="long"/><number:text> </number:text><number:month number:textual="true" number:style="long"/></number:date-style>',
      'date',
      '2025-12-09',
      '09 décembre',
    ],
    [
      '<number:date-style style:name="N"><number:month/><number:text>/</number:text><number:year/></number:date-style>',
      'date',
      '2025-12-09',
      '12/25',
    ],
    [
      '<number:date-style style:name="N"><number:day/><number:text>/</number:text><number:month/><number:text> </number:text><number:hours/><number:text>:</number:text><number:minutes number:style="long"/><number:text> </number:text><number:am-pm/></number:date-style>',
      'date',
      '2025-12-09T18:05:00',
      '9/12 6:05 PM',
    ],
    [
      '<number:time-style style:name="N"><number:hours number:style="long"/><number:text>.</number:text><number:minutes number:style="long"/></number:time-style>',
      'time',
      'PT10H00M00S',
      '10.00',
    ],
    [
      '<number:time-style style:name="N" number:truncate-on-overflow="false"><number:hours/><number:text>:</number:text><number:minutes number:style="long"/></number:time-style>',
      'time',
      'PT36H15M00S',
      '36:15',
    ],
    [
      '<number:percentage-style style:name="N"><number:number number:decimal-places="1" number:min-integer-digits="1"/><number:text> %</number:text></number:percentage-style>',
      'percentage',
      '0.125',
      '12.5 %',
    ],
    [
      '<number:currency-style style:name="N"><number:currency-symbol number:language="en" number:country="GB">£</number:currency-symbol><number:number number:decimal-places="2" number:min-integer-digits="1" number:grouping="true"/></number:currency-style>',
      'currency',
      '1235.5',
      '£1,235.50',
    ],
    [
      '<number:number-style style:name="N" number:language="de" number:country="DE"><number:number number:decimal-places="2" number:min-integer-digits="1" number:grouping="true"/></number:number-style>',
      'float',
      '1235.5',
      '1.235,50',
    ],
    [
      '<number:number-style style:name="N"><number:number number:min-integer-digits="4" number:decimal-places="0"/></number:number-style>',
      'float',
      '71',
      '0071',
    ],
    [
      '<number:number-style style:name="N"><number:fraction number:min-integer-digits="0" number:min-numerator-digits="1" number:min-denominator-digits="1"/></number:number-style>',
      'float',
      '1.25',
      '1 1/4',
    ],
    [
      '<number:number-style style:name="N"><number:scientific-number number:decimal-places="2" number:min-integer-digits="1" number:min-exponent-digits="2"/></number:number-style>',
      'float',
      '12345.678',
      '1.23E+04',
    ],
    [
      '<number:number-style style:name="P"><number:text>+</number:text><number:number number:decimal-places="0" number:min-integer-digits="1"/></number:number-style><number:number-style style:name="N"><number:text>–</number:text><number:number number:decimal-places="0" number:min-integer-digits="1"/><style:map style:condition="value()&gt;=0" style:apply-style-name="P"/></number:number-style>',
      'float',
      '5',
      '+5',
    ],
  ])('a data style shows %#', async (style, type, value, text) => {
    const attribute = type === 'date' ? 'date-value' : type === 'time' ? 'time-value' : 'value'
    const [{ rows, unclear }] = await read(
      table(
        `<table:table-row>${cell('', `table:style-name="c" office:value-type="${type}" office:${attribute}="${value}"`)}</table:table-row>`,
      ),
      `${style}<style:style style:name="parent" style:family="table-cell" style:data-style-name="N"/><style:style style:name="c" style:family="table-cell" style:parent-style-name="parent"/>`,
    )
    expect(shown(rows[0][0])).toBe(text)
    expect(unclear).toEqual([])
  })
})

// Whatever is brought in and saved by us says to another library what it said to us.
describe('saved again', () => {
  const codes = [
    'General',
    '0.00',
    '#,##0',
    '"£"#,##0.00',
    '#,##0.00\\ [$€-407]',
    '0%',
    '0\\ %',
    '0000',
    '##,##,##0.00',
    '[$-407]#,##0.00',
    '[$-40C]#,##0.0',
    '#,##0.00" kg"',
    '(0);[Red](0)',
    '0.00E+00',
    '# ?/?',
    '"about "0',
  ]
  const dateCodes = [
    'dd/mm/yyyy',
    'd mmmm yyyy',
    '[$-40C]d mmmm yyyy',
    '[$-419]d mmmm yyyy',
    '[$-411]ggge"年"m"月"d"日"',
    'yyyy-mm-dd',
    'dd\\.mm\\.yy',
    'dddd',
    'dd/mm/yyyy hh:mm',
    'hh:mm',
    'hh.mm',
    '[h]:mm',
  ]
  const told = fc.oneof(
    fc.tuple(
      fc.oneof(
        fc.integer({ min: -9_999_999, max: 9_999_999 }).map((n) => n / 100),
        fc.integer({ min: 0, max: 999_999_999_999_999 }),
      ),
      fc.constantFrom(...codes),
    ),
    fc.tuple(
      fc.integer({ min: 61 * 96, max: 60_000 * 96 }).map((n) => n / 96),
      fc.constantFrom(...dateCodes.slice(0, 9)),
    ),
    fc.tuple(
      fc.integer({ min: 0, max: 95 }).map((n) => n / 96),
      fc.constantFrom('hh:mm', 'hh.mm', '[h]:mm'),
    ),
    fc.tuple(
      fc
        .string({ unit: 'grapheme', minLength: 1, maxLength: 20 })
        .filter((s) => s.trim() !== '' && !/[\ud800-\udfff\ufffe\uffff]/.test(s) && s === s.trim()),
      fc.constant('General'),
    ),
    fc.tuple(
      fc.constantFrom('0071', '+44 7700 900121', '=1+1', '_x0041_', ' two  blanks', 'line\nend', 'TRUE'),
      fc.constant('General'),
    ),
  )
  const columnOf = (cells: (Cell | undefined)[]) => findTable([['Value'], ...cells.map((c) => [c])], { headingsRow: 0 })

  test.each(['xlsx', 'ods'] as const)('as .%s: the same values and the same texts', async (as) => {
    await fc.assert(
      fc.asyncProperty(fc.array(told, { minLength: 1, maxLength: 12 }), async (pairs) => {
        const first = (await readTableFile(byFirst(pairs.map(([v, z]) => [v, z, ''])), 'x.xlsx')).sheets[0].rows.map(
          ([c]) => c,
        )
        const table = columnOf(first)
        fc.pre(table.rowCount > 0)
        const rows = rowsFound(table).map((cells, i) => ({ id: i + 1, position: '', cells }))
        const bytes = writeTable(as, 'People', table.columns, rows)
        const again = (await readTableFile(bytes, `x.${as}`)).sheets[0].rows.slice(1)
        const [{ id }] = table.columns
        expect(again.map(([c]) => shown(c))).toEqual(rows.map((r) => shown(r.cells[id])))
        const values = (cell: Cell | undefined) => (typeof cell === 'object' ? cell.value : cell)
        const want = rows.map((r) => values(r.cells[id]))
        again.forEach(([c], i) => {
          const value = values(c)
          if (typeof want[i] === 'number') expect(value).toBeCloseTo(want[i], 9)
          else if (typeof rows[i].cells[id] === 'object')
            // Where no date format shows a text, the text itself is the format, and the day its number.
            expect(typeof value === 'number' ? isoOfSerial(value) : value).toBe(want[i])
        })
        // By the other library: numbers and days are numbers and days, with the same worth.
        const sheet = Object.values(XLSX.read(bytes, { cellDates: false, cellNF: true }).Sheets)[0]
        rows.forEach((row, i) => {
          const kept = row.cells[id]
          const theirs = sheet[`A${i + 2}`] as XLSX.CellObject
          if (typeof kept === 'object' && typeof kept.value === 'number')
            expect(Number(theirs.v)).toBeCloseTo(kept.value, 6)
          if (typeof kept === 'object' && typeof kept.value === 'string') expect(theirs.t).toBe('n')
          if (typeof kept === 'string' && theirs.t === 's') expect(String(theirs.v).replaceAll('\r\n', '\n')).toBe(kept)
          if (as === 'ods') expect(String(theirs.w ?? theirs.v)).toBe(shown(kept))
          // It knows no language of a format, no era, no groups of two and no blank before a per cent sign, and rounds the smallest
          // and the largest otherwise.
          const code = String(theirs.z ?? 'General')
          const size = Math.abs(Number(theirs.v))
          const isExact = size === 0 || (size >= 1 && size < 1e12)
          if (as === 'xlsx' && theirs.t === 'n' && isExact && !/\[\$-|[g?%]|##,##/.test(code))
            expect(XLSX.SSF.format(code, theirs.v as number), code).toBe(shown(kept))
        })
      }),
      { numRuns: 60 },
    )
  })

  test('0071 stays what it is, a telephone number too, in every format that can hold it', async () => {
    const table = columnOf(['0071', '+44 7700 900121', '0072'])
    const rows = rowsFound(table).map((cells, i) => ({ id: i + 1, position: '', cells }))
    for (const as of ['csv', 'xlsx', 'ods'] as const) {
      const read = await readTableFile(writeTable(as, 'x', table.columns, rows), `x.${as}`)
      expect(
        read.sheets[0].rows.slice(1, 4).map(([c]) => c),
        as,
      ).toEqual(['0071', '+44 7700 900121', '0072'])
    }
    const csv = writeTable('csv', 'x', table.columns, rows).toString()
    expect(csv).toContain("'+44 7700 900121")
    expect((await readTableFile(Buffer.from(csv), 'x.csv')).sheets[0].said.join()).toContain(
      '1 cell began with an apostrophe',
    )
  })
})
