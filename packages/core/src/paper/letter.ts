import type { Letter } from '../letter/document.ts'
import { type CompiledLetter, compileLetter, type MergeOptions } from '../letter/merge.ts'
import type { Column } from '../people/column.ts'

/**
 * A letter made ready to be merged for paper: with all its looks, though its messages go as plain text, and without the line for opting
 * out, which leads to a page.
 */
export const compileForPaper = (letter: Letter, columns: Column[], making: MergeOptions): CompiledLetter =>
  compileLetter({ ...letter, plain: false }, columns, { ...making, optOut: false, forPaper: true })
