import { deflateRawSync } from 'node:zlib'
import { strToU8, type Zippable, zipSync } from 'fflate'

// Files and messages that were made to stop whoever reads them.

const head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>'
const ns = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
const pack = (parts: Zippable) => Buffer.from(zipSync(parts))

/** A .xlsx workbook with one sheet (ECMA-376 Part 1, 18.3) whose inside is given. */
export const workbookOf = (sheet: string) =>
  pack({
    '[Content_Types].xml': strToU8(
      `${head}<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>`,
    ),
    '_rels/.rels': strToU8(
      `${head}<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
    ),
    'xl/workbook.xml': strToU8(
      `${head}<workbook ${ns} xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="A" sheetId="1" r:id="r1"/></sheets></workbook>`,
    ),
    'xl/_rels/workbook.xml.rels': strToU8(
      `${head}<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
    ),
    'xl/worksheets/sheet1.xml': strToU8(`${head}<worksheet ${ns}>${sheet}</worksheet>`),
  })
const text = (at: string, words: string) => `<c r="${at}" t="inlineStr"><is><t>${words}</t></is></c>`
const people = `<row r="1">${text('A1', 'Name')}${text('B1', 'Email')}</row><row r="2">${text('A2', 'Ada')}${text('B2', 'ada@village.example')}</row>`

/** An OpenDocument workbook (ISO/IEC 26300-1) with one table whose inside is given. */
export const openDocumentOf = (rows: string) => {
  const type = 'application/vnd.oasis.opendocument.spreadsheet'
  return pack({
    mimetype: [strToU8(type), { level: 0 }],
    'content.xml': strToU8(
      `${head}<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.3"><office:body><office:spreadsheet><table:table table:name="A">${rows}</table:table></office:spreadsheet></office:body></office:document-content>`,
    ),
    'META-INF/manifest.xml': strToU8(
      `${head}<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"><manifest:file-entry manifest:full-path="/" manifest:media-type="${type}"/></manifest:manifest>`,
    ),
  })
}
const cell = (words: string, more = '') =>
  `<table:table-cell office:value-type="string"${more}><text:p>${words}</text:p></table:table-cell>`

/** A .docx document (ECMA-376 Part 1, 17.2) whose body is given. */
export const documentOf = (body: string) =>
  pack({
    '[Content_Types].xml': strToU8(
      `${head}<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/word/document.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"/></Types>`,
    ),
    '_rels/.rels': strToU8(
      `${head}<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="word/document.xml"/></Relationships>`,
    ),
    'word/document.xml': strToU8(
      `${head}<w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body>${body}</w:body></w:document>`,
    ),
  })
const run = (words: string) => `<w:p><w:r><w:t>${words}</w:t></w:r></w:p>`

/** A zip whose one part says that it is smaller than what comes out of it: in both of its headers (APPNOTE 4.3.7, 4.3.12). */
export function lyingZip(path: string, content: Buffer, stated: number): Buffer {
  const packed = deflateRawSync(content)
  const name = Buffer.from(path)
  const facts = (at: number, header: Buffer) => {
    header.writeUInt16LE(20, at)
    header.writeUInt16LE(8, at + 4)
    header.writeUInt32LE(packed.length, at + 14)
    header.writeUInt32LE(stated, at + 18)
    header.writeUInt16LE(name.length, at + 22)
    return header
  }
  const local = facts(4, Buffer.alloc(30))
  local.write('PK\x03\x04', 'latin1')
  const central = facts(6, Buffer.alloc(46))
  central.write('PK\x01\x02', 'latin1')
  const end = Buffer.alloc(22)
  end.write('PK\x05\x06', 'latin1')
  end.writeUInt16LE(1, 8)
  end.writeUInt16LE(1, 10)
  end.writeUInt32LE(46 + name.length, 12)
  end.writeUInt32LE(30 + name.length + packed.length, 16)
  return Buffer.concat([local, name, packed, central, name, end])
}

/** Tables that are none, or make whoever reads them work without an end. Each with what is to be said of it; null: it is read. */
export const tables: [name: string, file: () => Buffer, says: RegExp | null][] = [
  [
    'row-two-thousand-million.xlsx',
    () => workbookOf(`<sheetData>${people}<row r="2000000000">${text('A2000000000', 'x')}</row></sheetData>`),
    /numbers a row 2,000,000,000/,
  ],
  [
    'column-two-thousand-million.xlsx',
    () => workbookOf(`<cols><col min="1" max="2000000000" width="9"/></cols><sheetData>${people}</sheetData>`),
    /numbers a column 2,000,000,000/,
  ],
  [
    'cell-far-right.xlsx',
    () => workbookOf(`<sheetData><row r="1">${text('ZZZZZZ1', 'x')}</row></sheetData>`),
    /numbers a column/,
  ],
  [
    'merged-all-over.xlsx',
    () =>
      workbookOf(
        `<sheetData>${people}</sheetData><mergeCells>${'<mergeCell ref="A1:B1048576"/>'.repeat(500)}</mergeCells>`,
      ),
    /merged cells/,
  ],
  [
    'merged-far-right.xlsx',
    () => workbookOf(`<sheetData>${people}</sheetData><mergeCells><mergeCell ref="A1:ZZZZZZZZ1"/></mergeCells>`),
    /numbers a column/,
  ],
  [
    'columns-from-below-nought.xlsx',
    () => workbookOf(`<cols><col min="-900000000000" max="5" hidden="1"/></cols><sheetData>${people}</sheetData>`),
    null,
  ],
  [
    'columns-hidden-again-and-again.xlsx',
    () =>
      workbookOf(
        `<cols>${'<col min="1" max="16384" hidden="1"/>'.repeat(300_000)}</cols><sheetData>${people}</sheetData>`,
      ),
    null,
  ],
  [
    'rows-hidden-far-down.xlsx',
    () => workbookOf(`<sheetData>${people}<row r="4000000000" hidden="1"/></sheetData>`),
    /numbers a row/,
  ],
  [
    'repeated-rows.ods',
    () => openDocumentOf(`<table:table-row table:number-rows-repeated="900000000">${cell('x')}</table:table-row>`),
    /more than 5,000,000 filled cells/,
  ],
  [
    'repeated-columns.ods',
    () =>
      openDocumentOf(`<table:table-row>${cell('x', ' table:number-columns-repeated="900000000"')}</table:table-row>`),
    /numbers a column/,
  ],
  [
    'merged-far-right.ods',
    () =>
      openDocumentOf(
        `<table:table-row><table:table-cell table:number-columns-repeated="900000000"/>${cell('x', ' table:number-columns-spanned="3"')}</table:table-row>`,
      ),
    /numbers a column/,
  ],
  [
    'merged-blank-far-right.ods',
    () =>
      openDocumentOf(
        `<table:table-row>${cell('Name')}<table:table-cell table:number-columns-repeated="900000000"/><table:table-cell table:number-columns-spanned="3"/></table:table-row><table:table-row>${cell('Ada')}</table:table-row>`,
      ),
    /numbers a column/,
  ],
  [
    'repeated-both.ods',
    () =>
      openDocumentOf(
        `<table:table-row table:number-rows-repeated="1000000">${cell('x', ' table:number-columns-repeated="16000"')}</table:table-row>`,
      ),
    /more than 5,000,000 filled cells/,
  ],
  [
    'repeated-by-exponent.ods',
    () => openDocumentOf(`<table:table-row table:number-rows-repeated="9e8">${cell('x')}</table:table-row>`),
    // No whole number by XML Schema, so it repeats nothing.
    null,
  ],
  // What every office program writes below a table: a million rows with nothing in them.
  [
    'rest-of-the-sheet.ods',
    () =>
      openDocumentOf(
        `<table:table-row>${cell('Name')}${cell('Email')}</table:table-row><table:table-row>${cell('Ada')}${cell('ada@village.example')}</table:table-row><table:table-row table:number-rows-repeated="1048574"><table:table-cell table:number-columns-repeated="16384"/></table:table-row>`,
      ),
    null,
  ],
  [
    'sizes-that-lie.xlsx',
    () => lyingZip('xl/workbook.xml', Buffer.alloc(5_000_000), 1000),
    /sizes that it states of its parts are not true/,
  ],
  ['bomb.xlsx', () => workbookOf(`<sheetData>${' '.repeat(60_000_000)}</sheetData>`), /unpack to a size/],
  [
    'a-tag-without-end.xlsx',
    () => workbookOf(`<sheetData><row r="1" ${'a="b" '.repeat(200_000)}></row></sheetData>`),
    /damaged or not whole/,
  ],
  [
    'a-tag-of-many-attributes.xlsx',
    () =>
      workbookOf(
        `<sheetData>${people}<row r="3" ${Array.from({ length: 200_000 }, (_, i) => `a${i}="b"`).join(' ')}></row></sheetData>`,
      ),
    null,
  ],
  ['nine-megabytes-of-begin.vcf', () => Buffer.from('BEGIN:VCARD\n'.repeat(800_000)), /none of its cards can be read/],
  [
    'a-line-of-parameters.vcf',
    () => Buffer.from(`BEGIN:VCARD\nVERSION:4.0\nFN${';A=1'.repeat(2_500_000)}:Ada\nEND:VCARD\n`),
    /none of its cards can be read/,
  ],
  [
    'one-long-quotation.csv',
    () => Buffer.from(`Name,Email\n"${'a,'.repeat(5_000_000)}`),
    /row 2 holds more than 2 million characters/,
  ],
  [
    'quotation-marks.csv',
    () => Buffer.from(`Name,Email\n${'"'.repeat(3_000_001)}`),
    /cell in row 2|Quotation|quotation|cannot be read/,
  ],
]

/** Letters that are none, or make whoever reads them work without an end. */
export const letters: [name: string, file: () => Buffer, says: RegExp | null][] = [
  ['five-megabytes-of-less-than.html', () => Buffer.from(`<p>${'<'.repeat(5_000_000)}`), null],
  ['eight-megabytes-of-braces.html', () => Buffer.from(`<p>${'{{'.repeat(4_000_000)}`), null],
  ['braces-and-quotation-marks.html', () => Buffer.from(`<p>${'{{“a, or “'.repeat(300_000)}`), null],
  ['a-hundred-thousand-nested.html', () => Buffer.from(`<p>${'<b><div><ul><li>'.repeat(25_000)}words`), null],
  ['nested-and-closed.html', () => Buffer.from(`${'<i>'.repeat(50_000)}words${'</b>'.repeat(50_000)}`), null],
  ['styles.html', () => Buffer.from(`<p style="${'text-decoration:'.repeat(60_000)}">words</p>`), null],
  ['hard-spaces.html', () => Buffer.from(`<p>a${'\u00a0'.repeat(500_000)}b</p>`), null],
  [
    'nested.docx',
    () => documentOf(`${'<w:sdt><w:sdtContent>'.repeat(50_000)}${run('x')}${'</w:sdtContent></w:sdt>'.repeat(50_000)}`),
    /deeper within one another/,
  ],
  [
    'sizes-that-lie.docx',
    () => lyingZip('word/document.xml', Buffer.alloc(5_000_000, '<'), 1000),
    /sizes that it states/,
  ],
  ['many-parts.docx', () => documentOf('<w:p/>'.repeat(600_000)), /more than 500,000 parts/],
]

/** Models that are none, or make whoever reads them work without an end. */
export const models: [name: string, file: () => Buffer, says: RegExp][] = [
  ['braces.docx', () => documentOf(run('{{'.repeat(20_000))), /more than 2,000 fields/],
  [
    'more-braces.docx',
    () => documentOf(Array.from({ length: 90_000 }, (_, i) => run(`{{a${i}`)).join('')),
    /more than 2,000 fields/,
  ],
  [
    'nested.docx',
    () => documentOf(`${'<w:sdt>'.repeat(90_000)}${'</w:sdt>'.repeat(90_000)}`),
    /deeper within one another/,
  ],
  ['long.docx', () => documentOf(run('x'.repeat(6_000_000))), /longer than any letter/],
  [
    'sizes-that-lie.docx',
    () => lyingZip('word/document.xml', Buffer.alloc(5_000_000, '<'), 1000),
    /sizes that it states|no \.docx document/,
  ],
]

/** Answers to a message, by its Message-ID, that were made to stop whoever reads them. Each with whether it can be read. */
export const answers: [name: string, mail: (messageId: string) => Buffer, read: boolean][] = [
  ['a hundred kilobytes of less-than', (id) => mailOf(id, 'text/html', '<'.repeat(100_000)), true],
  ['quotations that are never closed', (id) => mailOf(id, 'text/html', '<blockquote><style>'.repeat(20_000)), true],
  ['NUL in its text', (id) => mailOf(id, 'text/plain', 'Yes\0no'), true],
  [
    'a character cut in half at the four thousandth',
    (id) => mailOf(id, 'text/plain', `${'a'.repeat(3999)}🚤 boats`),
    true,
  ],
  [
    'a subject that holds line ends',
    (id) => mailOf(id, 'text/plain', 'x', 'Subject: =?utf-8?Q?one=0D=0ABcc:_spy@evil.example?=\r\n'),
    true,
  ],
  ['two hundred and sixty parts within one another', (id) => nestedReport(id, 260), false],
  ['megabytes of headers', (id) => mailOf(id, 'text/plain', 'x', `${'X-A: b\r\n'.repeat(200_000)}`), false],
  [
    'a report whose fields bear odd names',
    (id) =>
      report(
        id,
        '__proto__: x\r\nconstructor: y\r\nFinal-Recipient: rfc822; a@b.example\r\nAction: failed\r\nStatus: constructor',
      ),
    true,
  ],
  [
    'a report on ten thousand recipients',
    (id) =>
      report(
        id,
        Array.from(
          { length: 10_000 },
          (_, i) => `Final-Recipient: rfc822; p${i}@b.example\r\nAction: failed\r\nStatus: 5.1.1`,
        ).join('\r\n\r\n'),
      ),
    true,
  ],
  [
    'a boundary of a thousand characters, ten thousand times',
    (id) => mailOf(id, `multipart/mixed; boundary="${'b'.repeat(60)}"`, `--${'b'.repeat(60)}\r\n\r\n`.repeat(10_000)),
    true,
  ],
]

function mailOf(messageId: string, type: string, body: string, headers = ''): Buffer {
  return Buffer.from(
    `From: Ada Penrose <ada@village.example>\r\nIn-Reply-To: ${messageId}\r\n${headers}${headers.includes('Subject:') ? '' : 'Subject: Re: your letter\r\n'}MIME-Version: 1.0\r\nContent-Type: ${type}${type.startsWith('text') ? '; charset=utf-8' : ''}\r\n\r\n${body}`,
  )
}
function report(messageId: string, fields: string): Buffer {
  return mailOf(
    messageId,
    'multipart/report; report-type=delivery-status; boundary=b',
    `--b\r\nContent-Type: text/plain\r\n\r\nwords\r\n--b\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: dns; b.example\r\n\r\n${fields}\r\n\r\n--b\r\nContent-Type: text/rfc822-headers\r\n\r\nMessage-ID: ${messageId}\r\n--b--\r\n`,
  )
}
function nestedReport(messageId: string, depth: number): Buffer {
  let body = ''
  for (let i = 1; i <= depth; i++) body += `--b${i - 1}\r\nContent-Type: multipart/mixed; boundary=b${i}\r\n\r\n`
  return mailOf(messageId, 'multipart/report; boundary=b0', `${body}--b${depth}\r\n\r\nx`)
}
