import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { cellIn } from '../people/packed.ts'
import { inCase } from '../people/recipes.ts'
import { parseTemplate } from './field.ts'
import { cellWriter } from './format.ts'

/** A text with fields in it, compiled for a list's columns. */
export interface TypedText {
  /** Writes it for a row; `blank` names the columns of fields that are blank there and have no stand-in, each once. */
  of: (row: Row) => { text: string; blank: string[] }
  /** The fields without a column, each as often as it stands there. */
  unknown: string[]
  /** The ids of the columns that it names. */
  columnIds: string[]
}

/**
 * Compiles a plain text with fields in it (`Berth {{Berth}} is yours.`). Columns are found by name exactly, then without regard to case.
 * @example compileTyped('Berth {{Berth}}', [{ id: 'c1', name: 'Berth', kind: 'text' }]).columnIds // ['c1']
 */
export function compileTyped(typed: string, columns: readonly Column[]): TypedText {
  const unknown: string[] = []
  const columnIds: string[] = []
  const folded = new Map(columns.map((c) => [c.name.trim().toLowerCase(), c]))
  const parts = parseTemplate(typed).map((segment) => {
    if (typeof segment === 'string') return segment
    const column = columns.find((c) => c.name === segment.column) ?? folded.get(segment.column.trim().toLowerCase())
    if (!column) {
      unknown.push(segment.column)
      return { name: segment.column, write: () => '' }
    }
    columnIds.push(column.id)
    const write = cellWriter(column, segment.format)
    return {
      name: column.name,
      write(row: Row): string {
        const value = write(cellIn(row, column.id)).trim()
        return value === '' ? (segment.standIn ?? '') : segment.letterCase ? inCase(value, segment.letterCase) : value
      },
    }
  })
  return {
    unknown,
    columnIds,
    of(row) {
      const blank = new Set<string>()
      let text = ''
      for (const part of parts) {
        const value = typeof part === 'string' ? part : part.write(row)
        if (typeof part !== 'string' && value === '') blank.add(part.name)
        text += value
      }
      return { text, blank: [...blank] }
    },
  }
}
