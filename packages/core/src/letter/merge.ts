import { type Cell, type Column, type Row, shown } from '../people/table.ts'
import type { Block, Inline, Letter, Mark } from './document.ts'
import { type Field, parseTyped } from './field.ts'
import { cellWriter } from './format.ts'

/** One person's letter. */
export interface Merged {
  subject: string
  html: string
  text: string
}

/** A place to be filled: the column's cell, how it is written, and what stands in for a blank. */
interface Slot {
  field: Field
  columnId: string | null
  write: (cell: Cell | undefined) => string
}

/**
 * A part of a compiled text: fixed words, the value of a slot, a space beside fields that is left out when one of them
 * turns out blank, or a table of the rows that go with the message.
 */
type Part = string | { slot: number } | { gapOf: number[] } | { rows: number }

/** What the html should carry besides the letter itself. */
export interface MergeOptions {
  /** Mark every field's value, for display beside the row. Never for sending. */
  tint?: boolean
  /** Where a picture of the letter is found; its own `src` when left out. */
  pictureAddress?: (src: string) => string
}

export interface CompiledLetter {
  /**
   * Makes one person's letter.
   * @param rows the rows that go with it where one message is for several; what the letter's table of rows shows.
   */
  merge(row: Row, rows?: Row[]): Merged
  /** The fields whose cell is blank for this person and which have no stand-in; each column's name once. */
  blanks(row: Row): string[]
  /** The fields that match no column, each name once. */
  unknown: string[]
  /** The ids of the columns that the letter uses. */
  columnIds: string[]
}

const htmlSigns: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' }
const htmlSign = /[&<>"']/
const htmlSignsAll = /[&<>"']/g

/** Escapes text for HTML content and quoted attribute values. */
export function escapeHtml(text: string): string {
  return htmlSign.test(text) ? text.replace(htmlSignsAll, (sign) => htmlSigns[sign]) : text
}

// A subject is one line whatever a cell holds: line breaks would add a header (RFC 5322, section 2.2).
const oneLine = (text: string) => (/[\r\n\t]/.test(text) ? text.replace(/[\r\n\t]+/g, ' ') : text)
const htmlValue = (text: string) => {
  const escaped = escapeHtml(text)
  return escaped.includes('\n') ? escaped.replace(/\r?\n/g, '<br>') : escaped
}

/** Which schemes a link of a letter may have; anything else is written as plain words. */
export function isSafeLink(href: string): boolean {
  return /^(https?:\/\/|mailto:|tel:)/i.test(href.trim())
}

const font = 'font-family:Arial,Helvetica,sans-serif;font-size:16px;line-height:1.5;color:#1b1b1b'
const blockStyles = {
  paragraph: 'margin:0 0 16px 0',
  heading: [
    'margin:24px 0 12px 0;font-size:24px;line-height:1.25',
    'margin:20px 0 10px 0;font-size:20px;line-height:1.3',
    'margin:16px 0 8px 0;font-size:17px;line-height:1.3',
  ],
  list: 'margin:0 0 16px 0;padding:0 0 0 26px',
  item: 'margin:0 0 6px 0',
}

/** Builds the parts of one output (subject, html or text), joining neighbouring fixed words. */
class Parts {
  readonly list: Part[] = []
  add(...parts: Part[]): void {
    for (const part of parts) {
      const last = this.list.length - 1
      if (part === '') continue
      if (typeof part === 'string' && typeof this.list[last] === 'string') this.list[last] += part
      else this.list.push(part)
    }
  }
}

/** A table of rows as HTML that mail programs draw: lines, headings, figures to the right. */
function rowsAsHtml(columns: Column[], rows: Row[]): string {
  const cell = (tag: 'th' | 'td', column: Column, value: string) => {
    const right = column.kind === 'amount' || column.kind === 'number' ? 'right' : 'left'
    return `<${tag} style="text-align:${right};padding:4px 12px 4px 0;border-bottom:1px solid #c6d1cc">${htmlValue(value)}</${tag}>`
  }
  const heads = columns.map((c) => cell('th', c, c.name)).join('')
  const lines = rows.map(
    (row) => `<tr>${columns.map((c) => cell('td', c, shown(row.cells[c.id]).trim())).join('')}</tr>`,
  )
  return `<table style="border-collapse:collapse;margin:0 0 16px 0"><thead><tr>${heads}</tr></thead><tbody>${lines.join('')}</tbody></table>`
}

/** A table of rows as plain text, its columns as wide as their longest value. */
function rowsAsText(columns: Column[], rows: Row[]): string {
  const lines = [columns.map((c) => c.name), ...rows.map((row) => columns.map((c) => shown(row.cells[c.id]).trim()))]
  const widths = columns.map((_, i) => Math.max(...lines.map((line) => line[i].length)))
  return lines
    .map(
      (line) =>
        `${line
          .map((value, i) => value.padEnd(widths[i]))
          .join('  ')
          .trimEnd()}\n`,
    )
    .join('')
}

/**
 * Compiles a letter for a list's columns, once for all people.
 * Columns are found by name exactly, then without regard to case.
 */
export function compileLetter(letter: Letter, columns: Column[], options: MergeOptions = {}): CompiledLetter {
  const exact = new Map(columns.map((c) => [c.name, c]))
  const folded = new Map(columns.map((c) => [c.name.trim().toLowerCase(), c]))
  const slots: Slot[] = []
  const tables: Column[][] = []
  const columnNamed = (name: string) => exact.get(name) ?? folded.get(name.trim().toLowerCase())
  const unknown = new Set<string>()

  const slotOf = (field: Field): number => {
    const same = slots.findIndex(
      (s) => s.field.column === field.column && s.field.standIn === field.standIn && s.field.format === field.format,
    )
    if (same >= 0) return same
    const column = columnNamed(field.column)
    if (!column) unknown.add(field.column)
    slots.push({
      field,
      columnId: column?.id ?? null,
      write: column ? cellWriter(column, field.format) : () => `{{${field.column}}}`,
    })
    return slots.length - 1
  }

  /**
   * Cuts a line into words and slots. A space that would be left over beside a blank field becomes a gap: the space
   * before it when the line goes on with a space, punctuation or nothing, and the space after it at the line's start.
   */
  const cut = (line: { text?: string; field?: Field }[]): Exclude<Part, { rows: number }>[][] => {
    const pieces = line.map((p) => ({
      ...p,
      slot: p.field ? slotOf(p.field) : -1,
      head: [] as number[],
      tail: [] as number[],
    }))
    pieces.forEach((piece, i) => {
      if (piece.slot < 0) return
      const before = pieces[i - 1]
      const after = pieces[i + 1]
      const endsWithSpace = before?.text?.endsWith(' ') ?? false
      const goesOn = after === undefined || (after.text !== undefined && /^[\s,.;:!?)]/.test(after.text))
      if (endsWithSpace && goesOn) before.tail.push(piece.slot)
      else if (before === undefined && after?.text?.startsWith(' ')) after.head.push(piece.slot)
    })
    return pieces.map((piece) => {
      if (piece.slot >= 0) return [{ slot: piece.slot }]
      let text = piece.text ?? ''
      const parts: Exclude<Part, { rows: number }>[] = []
      if (piece.head.length > 0 && text === ' ') return [{ gapOf: [...piece.head, ...piece.tail] }]
      if (piece.head.length > 0) {
        parts.push({ gapOf: piece.head })
        text = text.slice(1)
      }
      if (piece.tail.length > 0) parts.push(text.slice(0, -1), { gapOf: piece.tail })
      else parts.push(text)
      return parts
    })
  }

  const subject = new Parts()
  for (const parts of cut(parseTyped(letter.subject).map((s) => (typeof s === 'string' ? { text: s } : { field: s }))))
    subject.add(...parts)

  const html = new Parts()
  const text = new Parts()

  const open = (mark: Mark) => {
    if (mark.type === 'bold') return '<strong>'
    if (mark.type === 'italic') return '<em>'
    if (mark.type === 'highlight') return '<span style="background-color:#fff3a3">'
    return isSafeLink(mark.attrs.href)
      ? `<a href="${escapeHtml(mark.attrs.href.trim())}" style="color:#0b5a5e">`
      : '<span>'
  }
  const close = (mark: Mark) => {
    if (mark.type === 'bold') return '</strong>'
    if (mark.type === 'italic') return '</em>'
    return mark.type === 'link' && isSafeLink(mark.attrs.href) ? '</a>' : '</span>'
  }
  // A mark that runs over several pieces (a bold phrase with a field in it) is opened once, so that a link is one link.
  const sameMark = (a: Mark | undefined, b: Mark | undefined) => JSON.stringify(a) === JSON.stringify(b)
  const linkOf = (inline: Inline | undefined) => inline?.marks?.find((m) => m.type === 'link')

  const addLine = (line: Inline[]) => {
    const cuts = cut(
      line.map((i) =>
        i.type === 'text' ? { text: i.text } : i.type === 'field' ? { field: i.attrs } : { text: '\n' },
      ),
    )
    let opened: Mark[] = []
    let linkWords = ''
    line.forEach((inline, i) => {
      const wanted = inline.marks ?? []
      let kept = 0
      while (kept < opened.length && sameMark(opened[kept], wanted[kept])) kept++
      for (const mark of opened.slice(kept).reverse()) html.add(close(mark))
      for (const mark of wanted.slice(kept)) html.add(open(mark))
      opened = wanted
      for (const part of cuts[i]) {
        if (inline.type === 'hardBreak') {
          html.add('<br>')
          text.add('\n')
        } else if (typeof part === 'string') {
          html.add(escapeHtml(part))
          text.add(part)
        } else if (options.tint && 'slot' in part) {
          html.add(`<span data-field="${escapeHtml(slots[part.slot].columnId ?? '')}">`, part, '</span>')
          text.add(part)
        } else {
          html.add(part)
          text.add(part)
        }
      }
      const link = linkOf(inline)
      if (link?.type === 'link') {
        linkWords += inline.type === 'text' ? inline.text : '{}'
        if (!sameMark(link, linkOf(line[i + 1]))) {
          const target = link.attrs.href.trim()
          if (isSafeLink(target) && linkWords.trim() !== target.replace(/^mailto:/, ''))
            text.add(` (${target.replace(/^mailto:/, '')})`)
          linkWords = ''
        }
      }
    })
    for (const mark of opened.slice().reverse()) html.add(close(mark))
  }

  const addBlocks = (blocks: Block[], indent: string) => {
    for (const [i, block] of blocks.entries()) {
      const lead = indent === '' || i === 0 ? '' : indent
      if (block.type === 'paragraph' || block.type === 'heading') {
        const level = block.type === 'heading' ? Math.min(3, Math.max(1, block.attrs.level)) : 0
        const tag = level > 0 ? `h${level}` : 'p'
        const empty = (block.content ?? []).length === 0
        html.add(
          `<${tag} style="${level > 0 ? blockStyles.heading[level - 1] : indent === '' ? blockStyles.paragraph : 'margin:0'}">`,
        )
        text.add(lead)
        addLine(block.content ?? [])
        html.add(empty ? '&nbsp;' : '', `</${tag}>`)
        text.add(indent === '' ? '\n\n' : '\n')
      } else if (block.type === 'image') {
        const { src, alt, width } = block.attrs
        const address = options.pictureAddress ? options.pictureAddress(src) : src
        html.add(`<p style="${blockStyles.paragraph}"><img src="${escapeHtml(address)}" alt="${escapeHtml(alt ?? '')}"`)
        html.add(width ? ` width="${Math.round(width)}"` : '', ' style="max-width:100%;height:auto;border:0"></p>')
        if (alt) text.add(`${lead}[${alt}]\n\n`)
      } else if (block.type === 'rowsTable') {
        const named = block.attrs.columns.map((name) => ({ name, column: columnNamed(name) }))
        for (const { name, column } of named) if (!column) unknown.add(name)
        tables.push(named.flatMap(({ column }) => column ?? []))
        html.add({ rows: tables.length - 1 })
        text.add({ rows: tables.length - 1 }, '\n')
      } else {
        const tag = block.type === 'bulletList' ? 'ul' : 'ol'
        html.add(`<${tag} style="${blockStyles.list}">`)
        for (const [n, item] of (block.content ?? []).entries()) {
          const bullet = tag === 'ul' ? '- ' : `${n + 1}. `
          html.add(`<li style="${blockStyles.item}">`)
          text.add(indent + bullet)
          addBlocks(item.content ?? [], indent + ' '.repeat(bullet.length))
          html.add('</li>')
        }
        html.add(`</${tag}>`)
        if (indent === '') text.add('\n')
      }
    }
  }

  html.add(
    '<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"></head>',
    `<body style="margin:0;padding:16px;background:#ffffff"><div style="max-width:600px;${font}">`,
  )
  addBlocks(letter.body.content, '')
  html.add('</div></body></html>')

  const values: string[] = new Array(slots.length)
  const escaped: string[] = new Array(slots.length)
  const blank: boolean[] = new Array(slots.length)
  const fill = (row: Row) => {
    for (let i = 0; i < slots.length; i++) {
      const slot = slots[i]
      let value = slot.write(slot.columnId === null ? undefined : row.cells[slot.columnId])
      if (value === '') value = slot.field.standIn ?? ''
      values[i] = value
      escaped[i] = htmlValue(value)
      blank[i] = value === ''
    }
  }
  // For filling, a slot is its bare number and a gap the numbers of its slots: this runs for every part of every message.
  // A table of rows counts as one more slot.
  const flat = ({ list }: Parts) =>
    list.map((p) => (typeof p === 'string' ? p : 'slot' in p ? p.slot : 'rows' in p ? slots.length + p.rows : p.gapOf))
  const outputs = { subject: flat(subject), html: flat(html), text: flat(text) }
  const join = (parts: (string | number | number[])[], from: string[]) => {
    let out = ''
    for (const part of parts) {
      if (typeof part === 'string') out += part
      else if (typeof part === 'number') out += from[part]
      else if (!part.some((slot) => blank[slot])) out += ' '
    }
    return out
  }

  return {
    merge(row, rows = [row]) {
      fill(row)
      tables.forEach((columns, i) => {
        values[slots.length + i] = rowsAsText(columns, rows)
        escaped[slots.length + i] = rowsAsHtml(columns, rows)
      })
      return {
        subject: oneLine(join(outputs.subject, values)).trim(),
        html: join(outputs.html, escaped),
        text: `${join(outputs.text, values).trimEnd()}\n`,
      }
    },
    blanks(row) {
      const names = new Set<string>()
      for (const slot of slots)
        if (slot.columnId !== null && slot.field.standIn === null && slot.write(row.cells[slot.columnId]) === '')
          names.add(slot.field.column)
      return [...names]
    },
    unknown: [...unknown],
    columnIds: [
      ...new Set([
        ...slots.map((s) => s.columnId).filter((id): id is string => id !== null),
        ...tables.flatMap((columns) => columns.map((c) => c.id)),
      ]),
    ],
  }
}
