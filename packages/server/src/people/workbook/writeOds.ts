import { strToU8, zipSync } from 'fflate'
import { xmlText } from '../../files/xml.ts'
import type { CellOut } from './codes.ts'
import { styleOfCode } from './odsStyles.ts'

const head = '<?xml version="1.0" encoding="UTF-8"?>'
const odf = 'urn:oasis:names:tc:opendocument:xmlns'
const type = 'application/vnd.oasis.opendocument.spreadsheet'

/** The paragraphs of a text; blanks that XML would make one are written out (ISO/IEC 26300-1, 6.1.3). */
const paragraphs = (text: string) =>
  text
    .split(/\r\n?|\n/)
    .map(
      (line) =>
        `<text:p>${xmlText(line)
          .replace(/ {2,}|^ | $/g, (blanks) => `<text:s text:c="${blanks.length}"/>`)
          .replaceAll('\t', '<text:tab/>')}</text:p>`,
    )
    .join('')

/** Seconds as the standard writes durations (xsd:duration): "PT36H00M00S". */
const durationOf = (days: number) => {
  const seconds = Math.round(Math.abs(days) * 86_400)
  const two = (n: number) => String(n).padStart(2, '0')
  return `${days < 0 ? '-' : ''}PT${two(Math.floor(seconds / 3600))}H${two(Math.floor((seconds % 3600) / 60))}M${two(seconds % 60)}S`
}

/** Writes an OpenDocument workbook (ISO/IEC 26300) of one sheet: values, and the styles by which they show their texts. */
export function writeOds(name: string, rows: (CellOut | null)[][]): Buffer {
  const styles = new Map<string, number>()
  const styleFor = (code: string) => {
    if (code === 'General') return ''
    if (!styles.has(code)) styles.set(code, styles.size + 1)
    return ` table:style-name="ce${styles.get(code)}"`
  }
  const cellXml = (cell: CellOut | null): string => {
    if (cell === null) return '<table:table-cell/>'
    const shown = paragraphs(cell.text)
    if ('truth' in cell)
      return `<table:table-cell office:value-type="boolean" office:boolean-value="${cell.truth}">${shown}</table:table-cell>`
    if (!('number' in cell)) return `<table:table-cell office:value-type="string">${shown}</table:table-cell>`
    const said =
      cell.means === 'date'
        ? `office:value-type="date" office:date-value="${cell.iso.length === 16 ? `${cell.iso}:00` : cell.iso}"`
        : cell.means === 'time'
          ? `office:value-type="time" office:time-value="${durationOf(cell.number)}"`
          : `office:value-type="${/%/.test(cell.code) ? 'percentage' : 'float'}" office:value="${cell.number}"`
    return `<table:table-cell${styleFor(cell.code)} ${said}>${shown}</table:table-cell>`
  }
  const body = rows.map((row) => `<table:table-row>${row.map(cellXml).join('')}</table:table-row>`).join('\n')
  const automatic = [...styles]
    .map(
      ([code, n]) =>
        `${styleOfCode(code, `N${n}`)}<style:style style:name="ce${n}" style:family="table-cell" style:parent-style-name="Default" style:data-style-name="N${n}"/>`,
    )
    .join('')
  const names = `xmlns:office="${odf}:office:1.0" xmlns:table="${odf}:table:1.0" xmlns:text="${odf}:text:1.0" xmlns:style="${odf}:style:1.0" xmlns:number="${odf}:datastyle:1.0" xmlns:fo="${odf}:xsl-fo-compatible:1.0" office:version="1.3"`
  return Buffer.from(
    zipSync({
      mimetype: [strToU8(type), { level: 0 }],
      'content.xml': strToU8(
        `${head}<office:document-content ${names}><office:automatic-styles>${automatic}</office:automatic-styles><office:body><office:spreadsheet><table:table table:name="${xmlText(name)}">${body}</table:table></office:spreadsheet></office:body></office:document-content>`,
      ),
      'styles.xml': strToU8(
        `${head}<office:document-styles ${names}><office:styles><style:style style:name="Default" style:family="table-cell"/></office:styles></office:document-styles>`,
      ),
      'META-INF/manifest.xml': strToU8(
        `${head}<manifest:manifest xmlns:manifest="${odf}:manifest:1.0" manifest:version="1.3"><manifest:file-entry manifest:full-path="/" manifest:version="1.3" manifest:media-type="${type}"/><manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/><manifest:file-entry manifest:full-path="styles.xml" manifest:media-type="text/xml"/></manifest:manifest>`,
      ),
    }),
  )
}
