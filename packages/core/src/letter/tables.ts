import Big from 'big.js'
import { type Row, shown } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { isFigure, parsedValue } from '../people/kinds.ts'
import { cellIn } from '../people/packed.ts'
import { inThousands, onOneLine } from '../people/plainText.ts'
import { htmlLines } from './escape.ts'

/** Characters of an amount that are looked at for how it is written. */
const longestAmount = 100

/** Cells as plain text, each column as wide as its longest value; every line ends with a line feed. */
export function cellsAsText(lines: string[][]): string {
  const columns = Math.max(0, ...lines.map((line) => line.length))
  const widths = Array.from({ length: columns }, (_, i) => Math.max(0, ...lines.map((line) => line[i]?.length ?? 0)))
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
 * What a column's cells add up to, written as they are: their currency, their parting of thousands and the most decimals
 * among them. '' where a filled cell is no figure, for then there is no sum.
 */
export function totalOf(column: Column, rows: Row[]): string {
  let sum = new Big(0)
  let decimals = 0
  let like = ''
  for (const row of rows) {
    const text = shown(cellIn(row, column.id)).trim()
    if (text === '') continue
    const value = parsedValue(cellIn(row, column.id), column)
    if (typeof value !== 'number') return ''
    sum = sum.plus(value)
    decimals = Math.max(decimals, /\.(\d+)/.exec(text)?.[1].length ?? 0)
    like ||= text
  }
  const [, before, after] = /^-?\(?([^\d(-]*)[\d,.]*\)?(.*)$/.exec(like.slice(0, longestAmount)) ?? ['', '', '']
  const scale = after.includes('%') ? 100 : 1
  const [whole, rest] = sum.times(scale).abs().toFixed(decimals).split('.')
  const parted = column.kind === 'amount' || rows.some((r) => shown(cellIn(r, column.id)).includes(','))
  const figures = `${parted ? inThousands(whole) : whole}${rest ? `.${rest}` : ''}`
  return like === '' ? '' : `${sum.lt(0) ? '-' : ''}${before}${figures}${after}`
}

/**
 * The rows that go with a message as a table: as HTML that mail programs draw, and as plain text.
 * @param totals ids of the columns that are added up in a last line.
 */
export function rowsTable(columns: Column[], rows: Row[], totals: string[]): { html: string; text: string } {
  const sums = columns.map((c) => (totals.includes(c.id) ? totalOf(c, rows) : ''))
  const last = sums.some(Boolean) ? [sums.map((sum, i) => (i === 0 && sum === '' ? 'Total' : sum))] : []
  const lines = [
    columns.map((c) => c.name),
    ...rows.map((row) => columns.map((c) => shown(cellIn(row, c.id)).trim())),
    ...last,
  ]
  const cell = (tag: 'th' | 'td', column: Column, value: string, strong: boolean) =>
    `<${tag} style="text-align:${isFigure(column) ? 'right' : 'left'};padding:4px 12px 4px 0;border-bottom:1px solid #c6d1cc${strong ? ';font-weight:bold' : ''}">${htmlLines(value)}</${tag}>`
  const html = lines
    .map((line, i) => {
      const isTotal = last.length > 0 && i === lines.length - 1
      return `<tr>${line.map((value, c) => cell(i === 0 ? 'th' : 'td', columns[c], value, isTotal)).join('')}</tr>`
    })
    .join('')
  return {
    html: `<table style="border-collapse:collapse;margin:0 0 16px 0">${html}</table>`,
    text: cellsAsText(lines.map((line) => line.map((value) => onOneLine(value, ' ')))),
  }
}
