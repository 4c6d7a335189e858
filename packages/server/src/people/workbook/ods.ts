import { type Cell, homeLanguage, isErrorValue, isoDuration, secondsOfIso, truthIn } from '@hand-post/core'
import { readXml } from '../../files/sax.ts'
import { WorkbookFault, WorkbookLimits } from './limits.ts'
import { DataStyles, odsNamespaces } from './odsStyles.ts'
import { languageSaid } from './properties.ts'
import { Formats, SheetMaker } from './sheet.ts'
import type { WorkbookRead } from './xlsx.ts'

/** What a cell says of itself (ISO/IEC 26300-1, 19.385 and on). */
interface CellSaid {
  type: string
  value: string
  style: string
  times: number
  isError: boolean
  spanned: { columns: number; rows: number }
  covered: boolean
}

/** Parts of a cell whose words are not what it shows: notes, drawings, tables in it, how a word is pronounced. */
const aside = new Set([
  'office:annotation',
  'draw:frame',
  'table:table',
  'text:ruby-text',
  'text:note',
  'draw:custom-shape',
  'table:detective',
])
/** Parts of a workbook that hold cells which stand in no table of it. */
const outside = new Set([
  'table:tracked-changes',
  'table:dde-links',
  'table:content-validations',
  'table:data-pilot-tables',
  'table:source-cell-range',
])

/**
 * Reads a .ods workbook (ISO/IEC 26300): what each cell shows, beside the value that it keeps. A cell has the text that it showed
 * with it; where it has none, or nothing but the bare value, it is written by the cell's own style.
 * @param wanted the language of names and separators where a style names none; left out, it is found.
 */
export function readOds(parts: ReadonlyMap<string, Buffer>, wanted?: string): WorkbookRead {
  const limits = new WorkbookLimits()
  const styles = new DataStyles()
  const shared = parts.get('styles.xml')
  if (shared) readXml(shared, odsNamespaces, styles.handler())
  const language = wanted ?? languageSaid(parts.get('meta.xml')) ?? styles.language ?? homeLanguage
  const formats = new Formats(language)
  const sheets: WorkbookRead['sheets'] = []

  const styleOf = styles.handler()
  let inBody = false
  let skipping = 0
  let sheet: SheetMaker | null = null
  let name = ''
  let isHidden = false
  // Default styles of the columns, for cells that have none of their own: up to which column, and its style.
  let columns: { upTo: number; style: string }[] = []
  let column = 0
  let row = 0
  let rowTimes = 1
  let rowStyle = ''
  let rowCells: { column: number; times: number; cell: Cell }[] = []
  let cell: CellSaid | null = null
  let paragraphs: string[] = []
  let line: string | null = null
  let lineOpen = 0

  const numberOf = (text: string | undefined, standard: number) => {
    const n = /^\d{1,12}$/.test(text ?? '') ? Number(text) : 0
    return n < 1 ? standard : n
  }
  /** Adds words to a paragraph. White space between them counts as one blank, and none at its beginning (ISO 26300-1, 6.1.2). */
  const addWords = (words: string) => {
    if (line === null) return
    let more = words.replace(/[ \t\r\n]+/g, ' ')
    if (more.startsWith(' ') && (line === '' || line.endsWith(' '))) more = more.slice(1)
    line += more
  }

  const endRow = () => {
    if (!sheet) return
    if (rowCells.length > 0) {
      limits.place('row', row + rowTimes)
      for (let r = row; r < row + rowTimes; r++)
        for (const { column: from, times, cell: one } of rowCells)
          for (let c = from; c < from + times; c++) sheet.put(r, c, one)
    }
    row += rowTimes
    rowCells = []
  }

  const endCell = (said: CellSaid) => {
    if (!sheet) return
    const { times } = said
    const shown = paragraphs.join('\n')
    const made = said.covered ? undefined : makeCell(said, shown, sheet)
    if (made !== undefined) {
      limits.place('column', column + times)
      limits.filled(times * rowTimes)
      rowCells.push({ column, times, cell: made })
    }
    if (said.spanned.rows > 1 || said.spanned.columns > 1) {
      limits.place('column', column + said.spanned.columns)
      if (said.spanned.rows > 1) limits.merge(said.spanned.rows)
      sheet.merges.push({
        top: row,
        left: column,
        bottom: Math.min(row + said.spanned.rows, row + 1_048_576) - 1,
        right: column + said.spanned.columns - 1,
      })
    }
    column += times
  }

  /** A cell, of its type, value, style, and the text that it showed. */
  const makeCell = (said: CellSaid, shown: string, into: SheetMaker): Cell | undefined => {
    const text = shown.replaceAll('\0', '')
    // A failed formula is written as a text by programs that know no other way; ISO 26300 leaves the words to them.
    if (said.isError || isErrorValue(text)) return into.error(column, isErrorValue(text) ? text.trim() : '#ERROR')
    const ownStyle = said.style || rowStyle || (columns.find((c) => column < c.upTo)?.style ?? '')
    const code = styles.codeOf(ownStyle)
    const own = code === null ? formats.of('General') : formats.of(code)
    const written = (value: number, serial: number, bare: readonly string[]): Cell | undefined => {
      const made = into.number(column, value, serial, own, code ?? 'General')
      const asMade = made === undefined ? '' : typeof made === 'string' ? made : made.shown
      // What the workbook showed itself counts; not so the bare value, which some programs put in its place.
      const trimmed = text.trim()
      const seen = trimmed === '' || (code !== null && bare.includes(trimmed)) ? asMade : trimmed
      if (seen === '') return undefined
      if (typeof made === 'object') return { shown: seen, value: made.value }
      return seen === String(value) ? seen : { shown: seen, value }
    }
    switch (said.type) {
      case 'float':
      case 'currency':
      case 'percentage': {
        const value = Number(said.value)
        if (said.value === '' || Number.isNaN(value)) return text.trim() || undefined
        return written(value, value, [said.value, String(value)])
      }
      case 'date': {
        const iso = /^(-?\d{4,5}-\d\d-\d\d)(?:T(\d\d:\d\d)(?::(\d\d)(?:\.\d{1,9})?)?)?/.exec(said.value)
        if (!iso) return text.trim() || undefined
        const [, day, time, seconds] = iso
        const at = Date.parse(`${day}T${time ?? '00:00'}:${seconds ?? '00'}Z`)
        if (Number.isNaN(at)) return text.trim() || undefined
        const hasTime = time !== undefined && !(time === '00:00' && (seconds ?? '00') === '00')
        const value = hasTime ? `${day}T${time}${seconds && seconds !== '00' ? `:${seconds}` : ''}` : day
        const serial = at / 86_400_000 + 25_569
        const format =
          own.means === 'date' || own.means === 'dateTime'
            ? own
            : formats.of(hasTime ? 'dd/mm/yyyy hh:mm' : 'dd/mm/yyyy')
        const trimmed = text.trim()
        const seen = trimmed !== '' && (trimmed !== said.value || code === null) ? trimmed : format.show(serial)
        return seen === '' ? undefined : { shown: seen, value }
      }
      case 'time': {
        const seconds = secondsOfIso(said.value)
        if (seconds === null) return text.trim() || undefined
        const days = seconds / 86_400
        const format =
          own.means === 'time' || own.means === 'duration' ? own : formats.of(days >= 1 ? '[h]:mm' : 'hh:mm')
        const trimmed = text.trim()
        const seen = trimmed !== '' && trimmed !== said.value ? trimmed : format.show(days)
        if (seen === '') return undefined
        if (format.means === 'duration' || seconds < 0 || days >= 1) return { shown: seen, value: isoDuration(seconds) }
        const clock = new Date(Math.round(seconds) * 1000).toISOString().slice(11, 19)
        return { shown: seen, value: clock.endsWith(':00') ? clock.slice(0, 5) : clock }
      }
      case 'boolean': {
        const value = said.value === 'true'
        return { shown: text.trim() || truthIn(language, value), value }
      }
      default:
        // A text may stand in an attribute alone.
        return (text === '' ? said.value : text) || undefined
    }
  }

  readXml(parts.get('content.xml')!, odsNamespaces, {
    open(tag, a) {
      if (!inBody) {
        styleOf.open(tag, a)
        if (tag === 'office:body') inBody = true
        return
      }
      if (skipping > 0 || (cell !== null ? aside.has(tag) : outside.has(tag))) {
        skipping++
        return
      }
      switch (tag) {
        case 'table:table':
          sheet = new SheetMaker()
          name = a['table:name'] ?? ''
          isHidden = styles.hidesTable(a['table:style-name'] ?? '')
          columns = []
          column = 0
          row = 0
          break
        case 'table:table-column': {
          if (!sheet) break
          const times = numberOf(a['table:number-columns-repeated'], 1)
          const from = columns.at(-1)?.upTo ?? 0
          columns.push({ upTo: from + times, style: a['table:default-cell-style-name'] ?? '' })
          if (columns.length > 16_384)
            throw new WorkbookFault('it describes more columns than a sheet has; the file is damaged.')
          if (/collapse|filter/.test(a['table:visibility'] ?? ''))
            for (let c = from; c < Math.min(from + times, 16_384); c++) sheet.hiddenColumns.push(c)
          break
        }
        case 'table:table-row': {
          if (!sheet) break
          column = 0
          rowTimes = numberOf(a['table:number-rows-repeated'], 1)
          rowStyle = a['table:default-cell-style-name'] ?? ''
          const visibility = a['table:visibility'] ?? ''
          if (visibility === 'collapse' || visibility === 'filter') {
            const into = visibility === 'filter' ? sheet.filteredRows : sheet.hiddenRows
            // Beyond the last filled row nothing is hidden from anybody.
            for (let r = row; r < Math.min(row + rowTimes, 1_048_576); r++) into.push(r)
          }
          break
        }
        case 'table:table-cell':
        case 'table:covered-table-cell':
          if (!sheet) break
          cell = {
            type: a['office:value-type'] ?? '',
            value:
              a['office:value'] ??
              a['office:date-value'] ??
              a['office:time-value'] ??
              a['office:boolean-value'] ??
              a['office:string-value'] ??
              '',
            style: a['table:style-name'] ?? '',
            times: numberOf(a['table:number-columns-repeated'], 1),
            isError: a['calcext:value-type'] === 'error',
            spanned: {
              columns: numberOf(a['table:number-columns-spanned'], 1),
              rows: numberOf(a['table:number-rows-spanned'], 1),
            },
            covered: tag === 'table:covered-table-cell',
          }
          paragraphs = []
          line = null
          lineOpen = 0
          break
        case 'text:p':
        case 'text:h':
          if (cell && lineOpen++ === 0) line = ''
          break
        case 'text:s':
          if (line !== null) line += ' '.repeat(Math.min(numberOf(a['text:c'], 1), 1000))
          break
        case 'text:tab':
          if (line !== null) line += '\t'
          break
        case 'text:line-break':
          if (line !== null) line += '\n'
          break
      }
    },
    text(words) {
      if (!inBody) styleOf.text?.(words)
      else if (skipping === 0) addWords(words)
    },
    close(tag) {
      if (!inBody) {
        styleOf.close?.(tag)
        return
      }
      if (skipping > 0) {
        skipping--
        return
      }
      switch (tag) {
        case 'text:p':
        case 'text:h':
          if (line !== null && --lineOpen === 0) {
            paragraphs.push(line)
            line = null
          }
          break
        case 'table:table-cell':
        case 'table:covered-table-cell':
          if (cell) endCell(cell)
          cell = null
          break
        case 'table:table-row':
          endRow()
          break
        case 'table:table':
          if (sheet) sheets.push(sheet.done(name, isHidden))
          sheet = null
          break
      }
    },
  })
  return { sheets, language }
}
