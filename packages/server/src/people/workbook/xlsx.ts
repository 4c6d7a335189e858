import { builtInFormat, homeLanguage, languagesOfFormat, truthIn } from '@hand-post/core'
import { readXml } from '../../files/sax.ts'
import { WorkbookFault, WorkbookLimits } from './limits.ts'
import { languageSaid } from './properties.ts'
import { Formats, SheetMaker, type SheetRead } from './sheet.ts'

/** The namespaces of a .xlsx workbook: those of ECMA-376 as it is mostly written, and of its strict form. */
const namespaces: Record<string, string> = {
  'http://schemas.openxmlformats.org/spreadsheetml/2006/main': '',
  'http://purl.oclc.org/ooxml/spreadsheetml/main': '',
  'http://schemas.openxmlformats.org/package/2006/relationships': '',
  'http://schemas.openxmlformats.org/officeDocument/2006/relationships': 'r',
  'http://purl.oclc.org/ooxml/officeDocument/relationships': 'r',
}

/** A workbook as read, and the language by which its names and separators were written. */
export interface WorkbookRead {
  sheets: SheetRead[]
  language: string
}

const isTrue = (value: string | undefined) => value === '1' || value === 'true' || value === 'on'

/** Text as a workbook writes it: characters that XML cannot hold stand as _xHHHH_ (ECMA-376 Part 1, 22.9.2.19, ST_Xstring). */
const unescaped = (text: string) =>
  text.includes('_x')
    ? text
        .replace(/_x([0-9A-Fa-f]{4})_/g, (_, hex) => String.fromCharCode(Number.parseInt(hex, 16)))
        .replaceAll('\0', '')
    : text

/** The column (from 0) and row (from 0) of a reference such as "AB12"; -1 for what it lacks. */
function placeOf(reference: string): { column: number; row: number } {
  let at = 0
  let column = 0
  for (; at < reference.length && at < 20; at++) {
    const code = reference.charCodeAt(at)
    if (code === 36) continue
    if (code < 65 || code > 90) break
    column = 26 * column + code - 64
  }
  const row = Number(reference.slice(at).replace('$', ''))
  return { column: column - 1, row: Number.isInteger(row) ? row - 1 : -1 }
}

/** Where a part lies that another names by a relative path. */
function partAt(target: string, folder: string): string {
  const parts = target.startsWith('/') ? [] : folder.split('/').filter(Boolean)
  for (const part of target.split('/')) {
    if (part === '..') parts.pop()
    else if (part !== '' && part !== '.') parts.push(part)
  }
  return parts.join('/')
}

/**
 * Reads a .xlsx workbook (ECMA-376 Part 1, chapter 18): what each cell shows, beside the value that it keeps.
 * @param wanted the language of names and separators; left out, it is found.
 * @throws WorkbookFault for what is no workbook in words; XmlFault where its parts are damaged.
 */
export function readXlsx(parts: ReadonlyMap<string, Buffer>, wanted?: string): WorkbookRead {
  const limits = new WorkbookLimits()
  const { sheets, date1904 } = readContents(parts.get('xl/workbook.xml')!)
  const targets = readRelations(parts.get('xl/_rels/workbook.xml.rels'))
  const texts = readTexts(parts.get('xl/sharedStrings.xml'))
  const { codes, ids } = readStyles(parts.get('xl/styles.xml'))
  const language = wanted ?? findLanguage(parts, [...codes.values()])
  const formats = new Formats(language)
  const codeOf = ids.map((id) => codes.get(id) ?? builtInFormat(id, language) ?? 'General')
  return {
    language,
    sheets: sheets.map(({ name, id, hidden }) => {
      const content = parts.get(targets.get(id) ?? '')
      if (!content) throw new WorkbookFault('the workbook is damaged: a sheet that it names is not in it.')
      return readSheet(content, { texts, codeOf, formats, date1904, limits }).done(name, hidden)
    }),
  }
}

export function readContents(content: Buffer) {
  const sheets: { name: string; id: string; hidden: boolean }[] = []
  let date1904 = false
  readXml(content, namespaces, {
    open(tag, a) {
      if (tag === 'workbookPr') date1904 = isTrue(a.date1904)
      else if (tag === 'sheet' && sheets.length < 10_000)
        sheets.push({ name: unescaped(a.name ?? ''), id: a['r:id'] ?? '', hidden: /hidden/i.test(a.state ?? '') })
    },
  })
  return { sheets, date1904 }
}

export function readRelations(content: Buffer | undefined): Map<string, string> {
  const targets = new Map<string, string>()
  if (content)
    readXml(content, namespaces, {
      open(tag, a) {
        // Sheets of charts and dialogues have no cells.
        if (tag === 'Relationship' && /\/(work|macro|chart|dialog)sheet$/i.test(a.Type ?? ''))
          targets.set(a.Id ?? '', partAt(a.Target ?? '', 'xl'))
      },
    })
  return targets
}

/** The texts that cells share (18.4). How a word is pronounced stands beside it, and is no part of it. */
function readTexts(content: Buffer | undefined): string[] {
  const texts: string[] = []
  if (!content) return texts
  let inText = false
  let aside = 0
  let text = ''
  readXml(content, namespaces, {
    open(tag) {
      if (tag === 'si') text = ''
      else if (tag === 'rPh') aside++
      else if (tag === 't') inText = aside === 0
    },
    text(more) {
      if (inText) text += more
    },
    close(tag) {
      if (tag === 'si') texts.push(unescaped(text))
      else if (tag === 'rPh') aside--
      else if (tag === 't') inText = false
    },
  })
  return texts
}

/** The codes of number formats by their numbers (18.8.31), and which number each style of cells has (18.8.10). */
export function readStyles(content: Buffer | undefined): { codes: Map<number, string>; ids: number[] } {
  const codes = new Map<number, string>()
  const ids: number[] = []
  let inCells = false
  if (content)
    readXml(content, namespaces, {
      open(tag, a) {
        if (tag === 'numFmt') codes.set(Number(a.numFmtId), a.formatCode ?? 'General')
        else if (tag === 'cellXfs') inCells = true
        else if (tag === 'xf' && inCells) ids.push(Number(a.numFmtId) || 0)
      },
      close(tag) {
        if (tag === 'cellXfs') inCells = false
      },
    })
  return { codes, ids }
}

/** The language of a workbook: as its properties say, else that whose money most of its formats name. */
function findLanguage(parts: ReadonlyMap<string, Buffer>, codes: string[]): string {
  return languageSaid(parts.get('docProps/core.xml')) ?? maxNamed(codes) ?? homeLanguage
}

/** The language whose money most formats name. */
function maxNamed(codes: string[]): string | null {
  const counts = new Map<string, number>()
  for (const language of codes.flatMap(languagesOfFormat)) counts.set(language, (counts.get(language) ?? 0) + 1)
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? null
}

interface Around {
  texts: string[]
  /** The code of the number format that each style of cells has. */
  codeOf: string[]
  formats: Formats
  date1904: boolean
  limits: WorkbookLimits
}

/** Reads a sheet (18.3). */
function readSheet(content: Buffer, { texts, codeOf, formats, date1904, limits }: Around): SheetMaker {
  const sheet = new SheetMaker()
  let row = -1
  let column = -1
  let described = 0
  let filtered = false
  let type = 'n'
  let code = 'General'
  let text = ''
  let taking = false
  let aside = 0
  let hasText = false

  const cell = () => {
    if (!hasText) return undefined
    switch (type) {
      case 's':
        return shownText(texts[Number(text)] ?? '')
      case 'str':
      case 'inlineStr':
        return shownText(unescaped(text))
      case 'b': {
        const value = isTrue(text.trim())
        return { shown: truthIn(formats.language, value), value }
      }
      case 'e':
        return sheet.error(column, text.trim() || '#ERROR')
      case 'd': {
        const at = Date.parse(/T/.test(text) ? `${text.replace(/Z$/, '')}Z` : `${text}T00:00:00Z`)
        if (Number.isNaN(at)) return text
        const serial = at / 86_400_000 + 25_569
        const own = formats.of(/^general$/i.test(code) ? 'yyyy-mm-dd' : code)
        return sheet.number(column, serial, serial, own, code)
      }
      default: {
        const value = Number(text)
        if (text.trim() === '' || Number.isNaN(value)) return text.trim() || undefined
        return sheet.number(column, value, date1904 ? value + 1462 : value, formats.of(code), code)
      }
    }
  }
  const shownText = (own: string) => {
    if (own === '') return undefined
    // A format may write something beside a text ("Mr "@), or by its fourth section nothing of it.
    return sheet.words(column, own, formats.of(code), code)
  }

  readXml(content, namespaces, {
    open(tag, a) {
      switch (tag) {
        case 'c': {
          if (row < 0) throw new WorkbookFault('a cell of it stands in no row; the file is damaged.')
          const place = a.r === undefined ? null : placeOf(a.r)
          column = place && place.column >= 0 ? place.column : column + 1
          limits.place('column', column + 1)
          type = a.t ?? 'n'
          code = codeOf[Number(a.s ?? 0)] ?? 'General'
          text = ''
          hasText = false
          break
        }
        case 'v':
        case 't':
          taking = aside === 0
          hasText ||= taking
          break
        case 'rPh':
          aside++
          break
        case 'row': {
          row = a.r === undefined ? row + 1 : Number(a.r) - 1
          if (!Number.isInteger(row) || row < 0)
            throw new WorkbookFault('a row of it has no number; the file is damaged.')
          limits.place('row', row + 1)
          column = -1
          if (isTrue(a.hidden) || (a.ht !== undefined && Number(a.ht) === 0)) sheet.hiddenRows.push(row)
          break
        }
        case 'col': {
          const to = Math.max(Number(a.max), Number(a.min))
          limits.place('column', to)
          // Each column is described once, in their order.
          const from = Math.max(Number(a.min), described + 1)
          if (isTrue(a.hidden) || (a.width !== undefined && Number(a.width) === 0))
            for (let c = from; c <= to; c++) sheet.hiddenColumns.push(c - 1)
          if (to > described) described = to
          break
        }
        case 'filterColumn':
          filtered = true
          break
        case 'mergeCell': {
          const [from, to] = (a.ref ?? '').slice(0, 100).split(':').map(placeOf)
          if (!from || !to) break
          limits.place('column', to.column + 1)
          limits.place('row', to.row + 1)
          limits.merge(to.row - from.row)
          if (from.row >= 0 && from.column >= 0)
            sheet.merges.push({ top: from.row, left: from.column, bottom: to.row, right: to.column })
          break
        }
      }
    },
    text(more) {
      if (taking) text += more
    },
    close(tag) {
      if (tag === 'c') {
        if (hasText) {
          limits.filled(1)
          sheet.put(row, column, cell())
        }
      } else if (tag === 'v' || tag === 't') taking = false
      else if (tag === 'rPh') aside--
    },
  })
  // A filter hides rows as a hand does; where one is set, that is what hid them.
  if (filtered) for (const row of sheet.hiddenRows.splice(0)) sheet.filteredRows.push(row)
  return sheet
}
