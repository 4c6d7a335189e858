import { languageNumber, languageOfNumber } from '@hand-post/core'
import { tokenize } from 'numfmt'
import type { XmlHandler } from '../../files/sax.ts'
import { xmlText } from '../../files/xml.ts'

const odf = 'urn:oasis:names:tc:opendocument:xmlns'
/** The namespaces of an OpenDocument workbook (ISO/IEC 26300-1, 3.1) that are read. */
export const odsNamespaces: Record<string, string> = {
  [`${odf}:office:1.0`]: 'office',
  [`${odf}:table:1.0`]: 'table',
  [`${odf}:text:1.0`]: 'text',
  [`${odf}:style:1.0`]: 'style',
  [`${odf}:datastyle:1.0`]: 'number',
  [`${odf}:drawing:1.0`]: 'draw',
  [`${odf}:xsl-fo-compatible:1.0`]: 'fo',
  'urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0': 'calcext',
}

const dataStyles = new Set([
  'number:number-style',
  'number:currency-style',
  'number:percentage-style',
  'number:date-style',
  'number:time-style',
  'number:boolean-style',
  'number:text-style',
])

const literal = (text: string) => (text === '' ? '' : /^[ \-/:]$/.test(text) ? text : `"${text.replaceAll('"', '')}"`)

/**
 * The styles of an OpenDocument workbook as far as they say how values are shown (ISO/IEC 26300-1, 16.27): each is written as the
 * code of ECMA-376 that means the same.
 */
export class DataStyles {
  /** Codes by the name of the data style, and the conditions by which others stand in its place. */
  private readonly codes = new Map<string, string>()
  private readonly maps = new Map<string, { condition: string; style: string }[]>()
  /** What a style of cells says: its data style, and the style that it is made from. */
  private readonly cells = new Map<string, { data: string | null; parent: string | null }>()
  private readonly hidden = new Set<string>()
  /** The language of cells that say nothing else, where the workbook has one. */
  language: string | null = null

  /** Whether a style of tables keeps them out of sight. */
  hidesTable = (style: string): boolean => this.hidden.has(style)

  /** The code of the format that cells of a style have; null when they have none. */
  codeOf(style: string): string | null {
    let at: string | null = style
    for (let deep = 0; at && deep < 20; deep++) {
      const said = this.cells.get(at)
      if (said?.data) return this.codeOfData(said.data)
      at = said?.parent ?? null
    }
    const standard = this.cells.get('default')?.data
    return standard ? this.codeOfData(standard) : null
  }

  private codeOfData(name: string): string | null {
    const own = this.codes.get(name)
    if (own === undefined) return null
    const maps = this.maps.get(name) ?? []
    if (maps.length === 0) return own
    // value()>=0 and the like, each with the style that then counts; what is left is the style's own.
    const sections = maps.slice(0, 2).flatMap(({ condition, style }) => {
      const found = /^value\(\)\s?(<=|>=|<|>|=|!=)\s?(-?[\d.]{1,20})$/.exec(condition.trim())
      const code = this.codes.get(style)
      return found && code !== undefined ? [`[${found[1] === '!=' ? '<>' : found[1]}${found[2]}]${code}`] : []
    })
    return [...sections, own].join(';')
  }

  /** Takes the styles out of a part of the workbook. */
  handler(): Required<XmlHandler> {
    let data: { name: string; code: string[]; kind: string } | null = null
    let cellStyle: string | null = null
    let tableStyle: string | null = null
    let taking: 'text' | 'currency' | null = null
    let words = ''
    let money = ''
    let inDefault = false
    const long = (a: Record<string, string>) => a['number:style'] === 'long'
    const put = (code: string) => data?.code.push(code)
    return {
      open: (tag, a) => {
        if (dataStyles.has(tag)) {
          const language = a['number:language']
            ? languageNumber(`${a['number:language']}-${a['number:country'] ?? ''}`)
            : null
          data = { name: a['style:name'] ?? '', code: [], kind: tag }
          if (language !== null && /[a-z]/i.test(a['number:language']))
            put(`[$-${language.toString(16).toUpperCase()}]`)
          // Hours that go on beyond a day (16.27.19, truncate-on-overflow).
          if (tag === 'number:time-style' && a['number:truncate-on-overflow'] === 'false') data.kind = 'duration'
          return
        }
        if (data) {
          switch (tag) {
            case 'number:number':
            case 'number:scientific-number':
              put(numberCode(a, tag))
              break
            case 'number:fraction':
              put(
                `${'#'.repeat(a['number:min-integer-digits'] === undefined ? 0 : 1)}${a['number:min-integer-digits'] === undefined ? '' : ' '}${'?'.repeat(clamp(a['number:min-numerator-digits'], 1))}/${a['number:denominator-value'] ?? '?'.repeat(clamp(a['number:min-denominator-digits'], 1))}`,
              )
              break
            case 'number:day':
              put(long(a) ? 'dd' : 'd')
              break
            case 'number:month':
              put(a['number:textual'] === 'true' ? (long(a) ? 'mmmm' : 'mmm') : long(a) ? 'mm' : 'm')
              break
            case 'number:year':
              put(long(a) ? 'yyyy' : 'yy')
              break
            case 'number:day-of-week':
              put(long(a) ? 'dddd' : 'ddd')
              break
            case 'number:hours':
              put(data.kind === 'duration' ? (long(a) ? '[hh]' : '[h]') : long(a) ? 'hh' : 'h')
              if (data.kind === 'duration') data.kind = ''
              break
            case 'number:minutes':
              put(data.kind === 'duration' ? '[mm]' : long(a) ? 'mm' : 'm')
              if (data.kind === 'duration') data.kind = ''
              break
            case 'number:seconds': {
              const places = clamp(a['number:decimal-places'], 0)
              put(
                `${data.kind === 'duration' ? '[ss]' : long(a) ? 'ss' : 's'}${places > 0 ? `.${'0'.repeat(places)}` : ''}`,
              )
              break
            }
            case 'number:am-pm':
              put('AM/PM')
              break
            case 'number:era':
              put(long(a) ? 'ggg' : 'g')
              break
            case 'number:text-content':
              put('@')
              break
            case 'number:text':
              taking = 'text'
              words = ''
              break
            case 'number:currency-symbol':
              taking = 'currency'
              words = ''
              money = a['number:language']
                ? (languageNumber(`${a['number:language']}-${a['number:country'] ?? ''}`)
                    ?.toString(16)
                    .toUpperCase() ?? '')
                : ''
              break
            case 'style:map':
              this.mapTo(data.name, a)
              break
          }
          return
        }
        if (tag === 'style:style' || tag === 'style:default-style') {
          inDefault = tag === 'style:default-style'
          const name = inDefault ? 'default' : (a['style:name'] ?? '')
          cellStyle = a['style:family'] === 'table-cell' ? name : null
          tableStyle = a['style:family'] === 'table' ? name : null
          if (cellStyle !== null)
            this.cells.set(name, {
              data: a['style:data-style-name'] ?? null,
              parent: a['style:parent-style-name'] ?? null,
            })
        } else if (tag === 'style:table-properties' && tableStyle !== null && a['table:display'] === 'false')
          this.hidden.add(tableStyle)
        else if (tag === 'style:text-properties' && inDefault && cellStyle !== null && a['fo:language'])
          this.language ??=
            languageNumber(`${a['fo:language']}-${a['fo:country'] ?? ''}`) === null
              ? null
              : `${a['fo:language']}-${a['fo:country'] ?? ''}`
      },
      text: (more) => {
        if (taking) words += more
      },
      close: (tag) => {
        if (taking && (tag === 'number:text' || tag === 'number:currency-symbol')) {
          // A currency character by itself needs no mark of a language; with one it is the money of that country.
          if (taking === 'currency') put(`[$${words.replace(/[[\]-]/g, '')}${money ? `-${money}` : ''}]`)
          // In a percentage its character is no mere word: it is what makes a hundredth of one (16.27.13).
          else put(data?.kind === 'number:percentage-style' ? words.split('%').map(literal).join('%') : literal(words))
          taking = null
        } else if (data && dataStyles.has(tag)) {
          this.codes.set(data.name, data.code.join(''))
          data = null
        } else if (tag === 'style:style' || tag === 'style:default-style') {
          cellStyle = null
          tableStyle = null
        }
      },
    }
  }

  private mapTo(name: string, a: Record<string, string>): void {
    const maps = this.maps.get(name) ?? []
    if (maps.length < 4) maps.push({ condition: a['style:condition'] ?? '', style: a['style:apply-style-name'] ?? '' })
    this.maps.set(name, maps)
  }
}

const clamp = (text: string | undefined, standard: number) => {
  const n = Number.parseInt(text ?? '', 10)
  return Number.isNaN(n) ? standard : Math.max(0, Math.min(n, 20))
}

/** A number's digits as a code: 16.27.3 and 16.27.4. */
function numberCode(a: Record<string, string>, tag: string): string {
  const whole = clamp(a['number:min-integer-digits'], 1)
  const places = a['number:decimal-places']
  const least = clamp(a['number:min-decimal-places'], clamp(places, 0))
  // Without a number of places it is shown as it comes.
  if (places === undefined && tag === 'number:number' && a['number:grouping'] !== 'true' && whole <= 1) return 'General'
  const digits = '0'.repeat(whole) || '#'
  const grouped =
    a['number:grouping'] === 'true' ? `#,${digits.length < 3 ? '#'.repeat(3 - digits.length) : ''}${digits}` : digits
  const decimals = clamp(places, 0)
  const behind =
    decimals > 0 ? `.${'0'.repeat(Math.min(least, decimals))}${'#'.repeat(Math.max(0, decimals - least))}` : ''
  // Shown in thousands or millions (16.27.3, display-factor).
  const factor = Math.round(Math.log10(Number(a['number:display-factor']) || 1) / 3)
  const exponent =
    tag === 'number:scientific-number' ? `E+${'0'.repeat(clamp(a['number:min-exponent-digits'], 2) || 1)}` : ''
  return `${grouped}${behind}${','.repeat(Math.max(0, Math.min(factor, 5)))}${exponent}`
}

/**
 * A number format as a data style (ISO/IEC 26300-1, 16.27): the formats that {@link Codes} gives, of one section.
 * @param name of the style.
 */
export function styleOfCode(code: string, name: string): string {
  const own = code.includes(';') ? code.slice(code.lastIndexOf(';') + 1) : code
  const tokens = tokenize(own)
  let language = ''
  let kind: 'number' | 'percentage' | 'currency' | 'date' | 'time' = 'number'
  let overflows = false
  let hours = false
  let digits = ''
  const parts: string[] = []
  const text = (words: string) => parts.push(`<number:text>${xmlText(words)}</number:text>`)
  const endDigits = () => {
    if (digits === '') return
    const [whole, behind] = digits.split('.')
    const least = whole.replace(/[^0]/g, '').length
    parts.push(
      `<number:number number:min-integer-digits="${least}" number:decimal-places="${behind?.length ?? 0}" number:min-decimal-places="${behind?.length ?? 0}"${whole.includes(',') ? ' number:grouping="true"' : ''}/>`,
    )
    digits = ''
  }
  const part = (element: string, isLong: boolean, more = '') =>
    parts.push(`<number:${element}${isLong ? ' number:style="long"' : ''}${more}/>`)
  for (const token of tokens) {
    const raw = token.raw
    if (
      token.type === 'ZERO' ||
      token.type === 'HASH' ||
      token.type === 'GROUP' ||
      token.type === 'POINT' ||
      token.type === 'COMMA'
    ) {
      if (digits === '' && (token.type === 'POINT' || token.type === 'GROUP' || token.type === 'COMMA')) text(raw)
      else digits += raw
      continue
    }
    endDigits()
    switch (token.type) {
      case 'LOCALE': {
        const hex = /-([0-9A-F]{1,8})\]$/i.exec(raw)?.[1]
        const tag = hex ? languageOfNumber(Number.parseInt(hex, 16)) : null
        const [spoken, country] = tag?.split('-') ?? []
        const said = spoken ? ` number:language="${spoken}" number:country="${country}"` : ''
        const character = /^\[\$([^-\]]{1,20})/.exec(raw)?.[1]
        if (character) {
          kind = 'currency'
          parts.push(`<number:currency-symbol${said}>${xmlText(character)}</number:currency-symbol>`)
        } else if (said) language = said
        break
      }
      case 'DURATION':
        kind = 'time'
        overflows = true
        hours = /h/i.test(raw)
        part(hours ? 'hours' : 'minutes', raw.length > 3)
        break
      case 'DATETIME': {
        const first = raw[0].toLowerCase()
        const long = raw.length > 1
        if (first === 'h') part('hours', long)
        else if (first === 's') part('seconds', long)
        else if (first === 'm' && hours) part('minutes', long)
        else if (first === 'd') part(raw.length > 2 ? 'day-of-week' : 'day', raw.length > 2 ? raw.length > 3 : long)
        else if (first === 'm')
          part('month', raw.length > 2 ? raw.length > 3 : long, raw.length > 2 ? ' number:textual="true"' : '')
        else if (first === 'y') part('year', raw.length > 2)
        if (first === 'h' || first === 's') kind = kind === 'date' ? 'date' : 'time'
        else if (!(first === 'm' && hours)) kind = 'date'
        hours = first === 'h' || (first === 'm' && hours)
        break
      }
      case 'AMPM':
        parts.push('<number:am-pm/>')
        break
      case 'PERCENT':
        kind = 'percentage'
        text('%')
        break
      case 'STRING':
        text(String(token.value))
        break
      case 'ESCAPED':
        text(raw.slice(1))
        break
      default:
        text(raw)
    }
  }
  endDigits()
  const more = overflows ? ' number:truncate-on-overflow="false"' : ''
  return `<number:${kind}-style style:name="${name}"${language}${more}>${parts.join('')}</number:${kind}-style>`
}
