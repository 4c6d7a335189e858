import type { Cell, Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { onOneLine } from '../people/plainText.ts'
import { inCase } from '../people/recipes.ts'
import { compileSelection, isRule, type Selection } from '../people/rules.ts'
import { closeUp, type Piece } from './blanks.ts'
import {
  type Block,
  type HolderBlock,
  type Inline,
  isLine,
  type LeafBlock,
  type Letter,
  type LineBlock,
  type Mark,
} from './document.ts'
import { escapeHtml, htmlLines } from './escape.ts'
import { type Field, parseTemplate, type Segment, serializeField } from './field.ts'
import { cellWriter } from './format.ts'
import { cellsAsText, rowsTable } from './tables.ts'

/** One person's letter. */
export interface Merged {
  subject: string
  html: string
  text: string
}

/** What the html should carry besides the letter itself. */
export interface MergeOptions {
  /** Mark every field's value, for display beside the row. Never for sending. */
  tint?: boolean
  /** Where a picture of the letter is found; its own `src` when left out. */
  pictureAddress?: (src: string) => string
  /** The day that rules of passages reckon from, as ISO text. */
  today?: string
  /** The lines that stand where the letter keeps the place for a signature. */
  signature?: string
  /** The letter ends with a line by which its reader can opt out; {@link optOutPlace} stands for the address. */
  optOut?: boolean
  /** Fields stand in their typed form and every passage is shown: a letter that is handed out for others to read. */
  asWritten?: boolean
}

export interface CompiledLetter {
  /**
   * Makes one person's letter.
   * @param rows the rows that go with it where one message is for several; what the letter's table of rows shows.
   * @param note the person's own words, as plain text.
   */
  merge(row: Row, rows?: Row[], note?: string): Merged
  /** The fields whose cell is blank for this person and which have no stand-in, in what they are shown; each column's name once. */
  blanks(row: Row): string[]
  /** For each passage, in reading order, whether this person sees it. */
  passages(row: Row): boolean[]
  /** The fields, and columns of rules, that match no column, each name once. */
  unknown: string[]
  /** The ids of the columns that the letter uses. */
  columnIds: string[]
}

// A header is one line whatever a cell holds: line breaks would add another (RFC 5322, section 2.2).
const oneLine = (text: string) => (/[\r\n\t]/.test(text) ? text.replace(/[\r\n\t]+/g, ' ') : text)
/** Which schemes a link of a letter may have; anything else is written as plain words. */
export function isSafeLink(href: string): boolean {
  return /^(https?:\/\/|mailto:|tel:)/i.test(href.trim())
}
const isColor = (color: string | null | undefined): color is string =>
  /^(#[0-9a-f]{3,6}|rgb\([\d\s,]+\)|[a-z]+)$/i.test(color ?? '')

/** What stands in a merged letter for the address by which its reader opts out, until the message has its own. */
export const optOutPlace = 'https://opt-out.invalid/'

// Typefaces that have the scripts which the first ones lack, for programs that look no further by themselves.
const scripts = ['', ' Arabic', ' Hebrew', ' Devanagari', ' Thai', ' JP', ' KR', ' SC']
  .map((s) => `'Noto Sans${s}'`)
  .join()
const font = `font-family:Arial,Helvetica,${scripts},'Noto Emoji',sans-serif;font-size:16px;line-height:1.5;color:#1b1b1b`
const paragraphStyle = 'margin:0 0 16px 0'
const headingStyles = [
  'margin:24px 0 12px 0;font-size:24px;line-height:1.25',
  'margin:20px 0 10px 0;font-size:20px;line-height:1.3',
  'margin:16px 0 8px 0;font-size:17px;line-height:1.3',
]
/** The colour of buttons and links. */
const accent = '#0b5a5e'

/** What mail programs that can do it use in the dark; the others keep the colours that stand in the letter itself. */
export const letterStyle =
  '@media (prefers-color-scheme:dark){body.sheet{background:#1b2326!important}.words{color:#eef3f1!important}.words a.plain{color:#8fd0d3!important}.words .tone{color:#ffd28a!important}}'

/** Fixed text and the numbers of places to be filled. */
type Run = (string | number)[]
interface Out {
  html: string
  text: string
}
/** Writes its part of the letter for the person in hand. */
type Write = (out: Out) => void

const optOutWords = 'If you do not want letters like this one'
const optOutLine: Write = (out) => {
  out.html += `<p style="margin:24px 0 0 0;font-size:13px">${optOutWords}, <a class="opt-out" href="${optOutPlace}" style="color:inherit">opt out here</a>.</p>`
  out.text += `${optOutWords}: ${optOutPlace}\n`
}

/** Adds to a run, joining neighbouring fixed words. */
function add(run: Run, ...parts: Run): void {
  for (const part of parts) {
    const last = run.length - 1
    if (part === '') continue
    if (typeof part === 'string' && typeof run[last] === 'string') run[last] += part
    else run.push(part)
  }
}
function fill(run: Run, values: string[]): string {
  let out = ''
  for (const part of run) out += typeof part === 'string' ? part : values[part]
  return out
}

/** White or ink, whichever is read better on a colour given as #rrggbb (WCAG 2.2, relative luminance). */
function inkOn(color: string): string {
  const [r, g, b] = [1, 3, 5].map((at) => {
    const c = Number.parseInt(color.slice(at, at + 2), 16) / 255
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4
  })
  return 0.2126 * r + 0.7152 * g + 0.0722 * b > 0.18 ? '#1b1b1b' : '#ffffff'
}

/**
 * Compiles a letter for a list's columns, once for all people.
 * Columns are found by name exactly, then without regard to case.
 */
export function compileLetter(letter: Letter, columns: Column[], options: MergeOptions = {}): CompiledLetter {
  const exact = new Map(columns.map((c) => [c.name, c]))
  const folded = new Map(columns.map((c) => [c.name.trim().toLowerCase(), c]))
  const columnNamed = (name: string) => exact.get(name) ?? folded.get(name.trim().toLowerCase())
  const unknown = new Set<string>()
  const used = new Set<string>()
  const use = (name: string): Column | undefined => {
    const column = columnNamed(name)
    if (column) used.add(column.id)
    else unknown.add(name)
    return column
  }

  // The person in hand, and what fills the places for them.
  let row: Row = { id: 0, position: '', cells: {} }
  let rows: Row[] = []
  let note = ''
  const asText: string[] = []
  const asHtml: string[] = []
  /** Fills each place anew, in order: fields first come before the addresses that they stand in. */
  const places: (() => void)[] = []

  interface Slot {
    field: Field
    place: number
    columnId: string | null
    write: (cell: Cell | undefined) => string
  }
  const slots: Slot[] = []
  const written = (slot: Slot) => slot.write(slot.columnId === null ? undefined : row.cells[slot.columnId])
  const slotOf = (field: Field): number => {
    const typed = serializeField(field)
    const same = slots.find((s) => serializeField(s.field) === typed)
    if (same) return same.place
    const column = options.asWritten ? undefined : use(field.column)
    const cased = column && field.letterCase ? field.letterCase : null
    const plain = column ? cellWriter(column, field.format) : () => typed
    const slot: Slot = {
      field,
      place: places.length,
      columnId: column?.id ?? null,
      write: cased ? (cell) => inCase(plain(cell), cased) : plain,
    }
    places.push(() => {
      const value = written(slot)
      const text = value === '' ? (field.standIn ?? '') : value
      asText[slot.place] = text
      asHtml[slot.place] = htmlLines(text)
    })
    slots.push(slot)
    return slot.place
  }

  /** Which fields are shown to whom: the slot, and the passages around it with the side of each that it stands on. */
  const shownWhere: { slot: Slot; within: [number, boolean][] }[] = []
  let within: [number, boolean][] = []
  const passageTests: ((row: Row) => boolean)[] = []

  /** A line's words and fields as pieces: fixed text, or the number of a place. */
  const piece = (segment: Segment): string | number => {
    if (typeof segment === 'string') return segment
    const place = slotOf(segment)
    shownWhere.push({ slot: slots.find((s) => s.place === place)!, within })
    return place
  }
  /** The pieces as they are for the person in hand, closed up around what is blank; null when the line goes. */
  const closed = (line: (string | number)[]): (string | number)[] | null => {
    if (!line.some((p) => typeof p === 'number' && asText[p] === '')) return line
    const pieces = line.map((p): Piece => {
      return typeof p === 'number' ? { text: asText[p], field: true } : { text: p, field: false }
    })
    return closeUp(pieces)?.map((text, i) => (typeof line[i] === 'number' && text !== '' ? line[i] : text)) ?? null
  }
  /** Typed text that is one line of words, for a header or an attribute. */
  const typedLine = (typed: string): (() => string) => {
    const line = parseTemplate(typed).map(piece)
    return () => oneLine(fill(closed(line) ?? [], asText)).trim()
  }

  /**
   * An address with fields in it: a place for it, ready for an attribute; nothing when it comes out as no safe link.
   * A field at its very start is the address itself; elsewhere its value is encoded (RFC 3986, section 2.1).
   */
  const addressOf = (typed: string): { place: number } => {
    const line = parseTemplate(typed.trim()).map(piece)
    const inMail = typeof line[0] === 'string' && /^(mailto|tel):/i.test(line[0])
    const place = places.length
    const make = () => {
      const address = line
        .map((part, i) => {
          if (typeof part === 'string') return part
          const value = asText[part].trim()
          if (i === 0) return isSafeLink(value) || !/^[\w-]+(\.[\w-]+)+/.test(value) ? value : `https://${value}`
          const encoded = encodeURIComponent(value.replace(/\p{Surrogate}/gu, '\ufffd'))
          return inMail ? encoded.replace(/%40/g, '@').replace(/%2B/g, '+') : encoded
        })
        .join('')
      return isSafeLink(address) ? address.trim().replace(/\s/g, '%20') : ''
    }
    const fixed = line.every((part) => typeof part === 'string') ? make() : null
    places.push(() => {
      asText[place] = fixed ?? make()
      asHtml[place] = asText[place] === '' ? '' : ` href="${escapeHtml(asText[place])}"`
    })
    return { place }
  }
  const addresses = new Map<string, { place: number }>()
  const addressPlace = (typed: string) => {
    let known = addresses.get(typed)
    if (!known) {
      known = addressOf(typed)
      addresses.set(typed, known)
    }
    return known.place
  }

  const open = (mark: Mark): Run => {
    switch (mark.type) {
      case 'bold':
        return ['<strong>']
      case 'italic':
        return ['<em>']
      case 'underline':
        return ['<u>']
      case 'highlight':
        return ['<span style="background-color:#fff3a3;color:#1b1b1b">']
      case 'textStyle':
        return [isColor(mark.attrs.color) ? `<span class="tone" style="color:${mark.attrs.color}">` : '<span>']
      case 'link':
        return ['<a class="plain"', addressPlace(mark.attrs.href), ` style="color:${accent}">`]
    }
  }
  const closings: Record<Mark['type'], string> = {
    bold: '</strong>',
    italic: '</em>',
    underline: '</u>',
    highlight: '</span>',
    textStyle: '</span>',
    link: '</a>',
  }
  // A mark that runs over several pieces (a bold phrase with a field in it) is opened once, so that a link is one link.
  const sameMark = (a: Mark | undefined, b: Mark | undefined) => JSON.stringify(a) === JSON.stringify(b)
  const linkOf = (inline: Inline | undefined) => inline?.marks?.find((m) => m.type === 'link')

  /** A line as html and as text, of pieces that stand for its inline parts. */
  const lineRuns = (line: Inline[], pieces: (string | number)[], indent: string): { html: Run; text: Run } => {
    const html: Run = []
    const text: Run = []
    let opened: Mark[] = []
    let linkWords = ''
    line.forEach((inline, i) => {
      const wanted = inline.marks ?? []
      let kept = 0
      while (kept < opened.length && sameMark(opened[kept], wanted[kept])) kept++
      for (const mark of opened.slice(kept).reverse()) add(html, closings[mark.type])
      for (const mark of wanted.slice(kept)) add(html, ...open(mark))
      opened = wanted
      const part = pieces[i]
      if (inline.type === 'hardBreak') {
        add(html, part === '' ? '' : '<br>')
        add(text, part === '' ? '' : `\n${indent}`)
      } else if (typeof part === 'string') {
        add(html, escapeHtml(part))
        add(text, part)
      } else if (options.tint) {
        const slot = slots.find((s) => s.place === part)
        add(html, `<span data-field="${escapeHtml(slot?.columnId ?? '')}">`, part, '</span>')
        add(text, part)
      } else {
        add(html, part)
        add(text, part)
      }
      const link = linkOf(inline)
      if (link?.type !== 'link') return
      linkWords += inline.type === 'text' ? inline.text : '{}'
      if (sameMark(link, linkOf(line[i + 1]))) return
      // Where the words are the address, it need not be said twice.
      if (linkWords.trim() !== link.attrs.href.trim().replace(/^mailto:/, ''))
        add(text, linkPlace(addressPlace(link.attrs.href)))
      linkWords = ''
    })
    for (const mark of opened.slice().reverse()) add(html, closings[mark.type])
    return { html, text }
  }
  /** The place of an address as text shows it behind the words of its link. */
  const linkPlaces = new Map<number, number>()
  const linkPlace = (address: number): number => {
    let place = linkPlaces.get(address)
    if (place === undefined) {
      place = places.length
      linkPlaces.set(address, place)
      const own = place
      places.push(() => {
        const href = asText[address].replace(/^mailto:/, '')
        asText[own] = href === '' ? '' : ` (${href})`
      })
    }
    return place
  }

  /** A line of the letter between its opening and closing tags; left out when it turns out to say nothing. */
  const writeLine = (line: Inline[], wrap: { html: [Run, string]; text: [string, Run]; indent?: string }): Write => {
    const indent = wrap.indent ?? ''
    const pieces = line.map((i) => piece(i.type === 'text' ? i.text : i.type === 'field' ? i.attrs : '\n'))
    const whole = lineRuns(line, pieces, indent)
    const html: Run = []
    const text: Run = []
    add(html, ...wrap.html[0], ...whole.html, wrap.html[1])
    add(text, wrap.text[0], ...whole.text, ...wrap.text[1])
    const fields = pieces.filter((p): p is number => typeof p === 'number')
    return (out) => {
      if (!fields.some((place) => asText[place] === '')) {
        out.html += fill(html, asHtml)
        out.text += fill(text, asText)
        return
      }
      const left = closed(pieces)
      if (!left) return
      const runs = lineRuns(line, left, indent)
      out.html += fill(wrap.html[0], asHtml) + fill(runs.html, asHtml) + wrap.html[1]
      out.text += wrap.text[0] + fill(runs.text, asText) + fill(wrap.text[1], asText)
    }
  }

  const fixed =
    (html: string, text: string): Write =>
    (out) => {
      out.html += html
      out.text += text
    }
  const all =
    (writes: Write[]): Write =>
    (out) => {
      for (const write of writes) write(out)
    }

  const lineBlock = (block: LineBlock, lead: string, indent: string): Write => {
    const line = block.content ?? []
    const end = indent === '' ? '\n\n' : '\n'
    switch (block.type) {
      case 'paragraph': {
        const open = `<p style="${indent === '' ? paragraphStyle : 'margin:0'}">`
        const empty = line.length === 0 ? '&nbsp;' : ''
        return writeLine(line, { html: [[open], `${empty}</p>`], text: [lead, [end]], indent })
      }
      case 'heading': {
        const level = Math.min(3, Math.max(1, block.attrs.level))
        const open = `<h${level} style="${headingStyles[level - 1]}">`
        return writeLine(line, { html: [[open], `</h${level}>`], text: [lead, [end]], indent })
      }
      case 'band': {
        const color = /^#[0-9a-f]{6}$/i.test(block.attrs.color) ? block.attrs.color : accent
        const open = `<table role="presentation" width="100%" cellpadding="0" cellspacing="0" style="margin:0 0 20px 0"><tr><td style="background-color:${color};color:${inkOn(color)};padding:18px 20px;font-size:20px;font-weight:bold;line-height:1.3">`
        return writeLine(line, { html: [[open], '</td></tr></table>'], text: [lead, [end]], indent })
      }
      case 'button': {
        const place = addressPlace(block.attrs.href)
        const open = [
          `<table role="presentation" cellpadding="0" cellspacing="0" style="margin:0 0 16px 0"><tr><td style="background-color:${accent};border-radius:3px"><a`,
          place,
          ' style="display:inline-block;padding:10px 22px;color:#ffffff;font-weight:bold;text-decoration:none">',
        ]
        return writeLine(line, {
          html: [open, '</a></td></tr></table>'],
          text: [lead, [linkPlace(place), end]],
          indent,
        })
      }
    }
  }

  const leafBlock = (block: LeafBlock, lead: string): Write => {
    switch (block.type) {
      case 'image': {
        const { src, alt, width } = block.attrs
        const words = typedLine(alt ?? '')
        const address = escapeHtml(options.pictureAddress ? options.pictureAddress(src) : src)
        const size = width ? ` width="${Math.round(width)}"` : ''
        return (out) => {
          const said = words()
          out.html += `<p style="${paragraphStyle}"><img src="${address}" alt="${escapeHtml(said)}"${size} style="max-width:100%;height:auto;border:0"></p>`
          if (said) out.text += `${lead}[${said}]\n\n`
        }
      }
      case 'rowsTable': {
        const found = block.attrs.columns.flatMap((name) => use(name) ?? [])
        const totals = (block.attrs.totals ?? []).flatMap((name) => use(name)?.id ?? [])
        return (out) => {
          const table = rowsTable(found, rows, totals)
          out.html += table.html
          out.text += `${table.text}\n`
        }
      }
      case 'horizontalRule':
        return fixed('<hr style="border:0;border-top:1px solid #c6d1cc;margin:20px 0">', `${lead}${'-'.repeat(20)}\n\n`)
      case 'personalNote':
        return (out) => {
          for (const words of note.trim().split(/\n[ \t]*\n/)) {
            if (words.trim() === '') continue
            out.html += `<p style="${paragraphStyle}">${htmlLines(words.trim())}</p>`
            out.text += `${lead}${words.trim()}\n\n`
          }
        }
      case 'signature': {
        const lines = (options.signature ?? '').trim()
        return lines === ''
          ? () => undefined
          : fixed(`<p style="${paragraphStyle}">${htmlLines(lines)}</p>`, `${lead}${lines}\n\n`)
      }
    }
  }

  const holderBlock = (block: HolderBlock, lead: string, indent: string): Write => {
    switch (block.type) {
      case 'bulletList':
      case 'orderedList': {
        const tag = block.type === 'bulletList' ? 'ul' : 'ol'
        const items = (block.content ?? []).map((item, n) => {
          const bullet = tag === 'ul' ? '- ' : `${n + 1}. `
          const inside = blocks(item.content ?? [], indent + ' '.repeat(bullet.length), indent + bullet)
          return (out: Out) => {
            const own: Out = { html: '', text: '' }
            inside(own)
            if (own.html === '') return
            out.html += `<li style="margin:0 0 6px 0">${own.html}</li>`
            out.text += own.text
          }
        })
        const write = all(items)
        return (out) => {
          out.html += `<${tag} style="margin:0 0 16px 0;padding:0 0 0 26px">`
          write(out)
          out.html += `</${tag}>`
          if (indent === '') out.text += '\n'
        }
      }
      case 'table': {
        const lines = (block.content ?? []).map((line) =>
          (line.content ?? []).map((cell) => ({
            tag: cell.type === 'tableHeader' ? 'th' : 'td',
            write: blocks(cell.content ?? [], ' ', ''),
          })),
        )
        return (out) => {
          out.html += '<table cellpadding="0" cellspacing="0" style="border-collapse:collapse;margin:0 0 16px 0">'
          const texts = lines.map((line) => {
            out.html += '<tr>'
            const cells = line.map(({ tag, write }) => {
              const own: Out = { html: '', text: '' }
              write(own)
              out.html += `<${tag} style="border:1px solid #c6d1cc;padding:6px 10px;text-align:left;vertical-align:top">${own.html}</${tag}>`
              return onOneLine(own.text.trim(), ' ')
            })
            out.html += '</tr>'
            return cells
          })
          out.html += '</table>'
          out.text += `${cellsAsText(texts)}\n`
        }
      }
      case 'twoColumns': {
        const sides = (block.content ?? []).map((side) => blocks(side.content ?? [], '', ''))
        // Side by side where there is room, one below the other where there is not; a table where only tables are understood.
        return (out) => {
          out.html += '<!--[if mso]><table role="presentation" width="600"><tr><![endif]-->'
          for (const side of sides) {
            out.html += `<!--[if mso]><td width="290" valign="top"><![endif]--><div style="display:inline-block;width:100%;max-width:278px;vertical-align:top;margin-right:10px">`
            side(out)
            out.html += '</div><!--[if mso]></td><![endif]-->'
          }
          out.html += '<!--[if mso]></tr></table><![endif]-->'
        }
      }
      case 'passage': {
        const selection = byId(block.attrs.selection)
        const test = compileSelection(selection, columns, { today: options.today ?? '' })
        const number = passageTests.length
        passageTests.push(options.asWritten ? () => true : (row) => test(row, 0))
        const around = within
        const side = (parts: (Block | { type: 'otherwise'; content?: Block[] })[], isIn: boolean) => {
          within = [...around, [number, isIn]]
          const write = blocks(parts as Block[], indent, lead)
          within = around
          return write
        }
        const parts = block.content ?? []
        const yes = side(
          parts.filter((p) => p.type !== 'otherwise'),
          true,
        )
        const no = side(
          parts.flatMap((p) => (p.type === 'otherwise' ? (p.content ?? []) : [])),
          false,
        )
        return (out) => (passageTests[number](row) ? yes : no)(out)
      }
    }
  }
  /** A rule of a passage with the ids of the columns that it names. */
  const byId = (selection: Selection): Selection => ({
    ...selection,
    rules: selection.rules.map((rule) =>
      isRule(rule) ? { ...rule, column: options.asWritten ? '' : (use(rule.column)?.id ?? '') } : byId(rule),
    ),
  })

  /** Blocks one after another. `lead` stands before the text of the first, `indent` before that of the others. */
  const blocks = (parts: Block[], indent: string, lead: string): Write =>
    all(
      parts.map((block, i) => {
        const before = i === 0 ? lead : indent
        if (isLine(block)) return lineBlock(block, before, indent)
        return isHolder(block) ? holderBlock(block, before, indent) : leafBlock(block, before)
      }),
    )

  const subject = typedLine(letter.subject)
  const firstLine = typedLine(letter.firstLine ?? '')
  // The editor keeps an empty line at the end to write on: it is no part of the letter.
  const isEmpty = (block: Block) => block.type === 'paragraph' && (block.content ?? []).length === 0
  const end = letter.body.content.findLastIndex((block) => !isEmpty(block))
  const body = blocks(letter.body.content.slice(0, end + 1), '', '')
  const foot = options.optOut ? optOutLine : () => undefined

  const fillPlaces = () => {
    for (const fillPlace of places) fillPlace()
  }
  const isShown = (around: [number, boolean][]) => around.every(([n, isIn]) => passageTests[n](row) === isIn)

  return {
    merge(person, theirRows = [person], theirNote = '') {
      row = person
      rows = theirRows
      note = theirNote
      fillPlaces()
      const out: Out = { html: '', text: '' }
      body(out)
      foot(out)
      const first = firstLine()
      // Behind the first line, characters that take room but show nothing, so that inboxes do not go on with the letter's words.
      const hidden =
        first === ''
          ? ''
          : `<div style="display:none;font-size:1px;line-height:1px;max-height:0;overflow:hidden;mso-hide:all">${escapeHtml(first)}${'&#847;&zwnj;&nbsp;'.repeat(30)}</div>`
      return {
        subject: subject(),
        html: `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><meta name="color-scheme" content="light dark"><style>${letterStyle}</style></head><body class="sheet" style="margin:0;padding:16px;background:#ffffff">${hidden}<div class="words" style="max-width:600px;${font}">${out.html}</div></body></html>`,
        text: `${out.text.trimEnd()}\n`,
      }
    },
    blanks(person) {
      row = person
      const names = new Set<string>()
      for (const { slot, within } of shownWhere)
        if (slot.columnId !== null && slot.field.standIn === null && written(slot) === '' && isShown(within))
          names.add(slot.field.column)
      return [...names]
    },
    passages: (person) => passageTests.map((test) => test(person)),
    unknown: [...unknown],
    columnIds: [...used],
  }
}

const holders = new Set(['bulletList', 'orderedList', 'table', 'twoColumns', 'passage'])
const isHolder = (block: Block): block is HolderBlock => holders.has(block.type)
