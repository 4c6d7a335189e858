import { type Span, spansFrom, spansText, type Week } from '@hand-post/core'
import { z } from 'zod'
import { weekFields as say } from './words.ts'

/** A week's hours as they are filled in, one field for each day from Monday to Sunday. */
export const weekTexts = (week: Week): string[] => week.map(spansText)

/** The hours that were filled in, with every fault at the field of its day. */
export const weekForm: z.ZodType<Week, string[]> = z
  .array(z.string())
  .length(7)
  .transform((texts, context) => {
    let isWrong = false
    const week = texts.map((text, i): Span[] => {
      const read = spansFrom(text)
      if (Array.isArray(read)) return read
      isWrong = true
      context.addIssue({ code: 'custom', path: [i], message: read.fault })
      return []
    })
    if (!isWrong && week.every((spans) => spans.length === 0))
      context.addIssue({ code: 'custom', path: [0], message: say.neverOpen })
    return week
  })
