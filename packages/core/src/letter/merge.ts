import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { blockWriter } from './blocks.ts'
import type { Block, Letter } from './document.ts'
import { frame, optOutLine } from './frame.ts'
import { lineWriter } from './inline.ts'
import type { Out } from './run.ts'
import { openSlots } from './slots.ts'

/** One person's letter. */
export interface Merged {
  subject: string
  /** '' where the letter is sent as plain text only. */
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
  /** It goes on paper: choices are boxes to be ticked, as nothing can be followed there. So it is where it is shown {@link asWritten}. */
  forPaper?: boolean
  /** Fields stand in their template form and every passage is shown: a letter that is handed out for others to read. */
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
  /** What keeps rules of its passages from being followed, in words. */
  ruleFaults: string[]
  /** The ids of the columns that the letter uses. */
  columnIds: string[]
}

/**
 * Compiles a letter for a list's columns, once for all people.
 * Columns are found by name exactly, then without regard to case.
 */
export function compileLetter(letter: Letter, columns: Column[], options: MergeOptions = {}): CompiledLetter {
  const { tint = false, pictureAddress = (src) => src, today = '', signature = '', asWritten = false } = options
  const slots = openSlots(columns, { today, asWritten })
  const blocks = blockWriter(slots, lineWriter(slots, tint), pictureAddress, signature, options.forPaper ?? asWritten)

  const subject = slots.templateLine(letter.subject)
  const firstLine = slots.templateLine(letter.firstLine ?? '')
  // The editor keeps an empty line at the end to write on: it is no part of the letter.
  const isEmpty = (block: Block) => block.type === 'paragraph' && (block.content ?? []).length === 0
  const end = letter.body.content.findLastIndex((block) => !isEmpty(block))
  const body = blocks(letter.body.content.slice(0, end + 1), '', '')

  return {
    merge(row, rows = [row], note = '') {
      Object.assign(slots.hand, { row, rows, note })
      slots.fillAll()
      const out: Out = { html: '', text: '' }
      body(out)
      if (options.optOut) optOutLine(out)
      const framed = frame(out, firstLine())
      return { subject: subject(), html: letter.plain ? '' : framed.html, text: framed.text }
    },
    blanks: slots.blanks,
    passages: slots.passages,
    unknown: [...slots.unknown],
    ruleFaults: [...slots.ruleFaults],
    columnIds: [...slots.used],
  }
}
