import {
  comparisonNames,
  type Letter,
  letterCases,
  longestChoice,
  mostChoices,
  type Rule,
  type Selection,
} from '@hand-post/core'
import { z } from 'zod'

// The tree that the editor keeps of a letter. What else stands in a part's attributes is the editor's own, and let through.

const words = (most: number) => z.string().max(most)
const name = words(300)
const maxParts = 60_000

const ruleSchema: z.ZodType<Rule, Rule> = z.object({
  column: name,
  comparison: z.enum(comparisonNames),
  value: words(20_000),
  to: words(500).optional(),
})
const rulesOf = (rule: z.ZodType<Rule | Selection, Rule | Selection>): z.ZodType<Selection, Selection> =>
  z.object({ match: z.enum(['all', 'any']), rules: z.array(rule).max(100) })
// Five deep, as deep as rules for choosing people.
/** Who sees a passage: rules that name columns by their headings. */
export const passageSelectionSchema = rulesOf(
  z.union([ruleSchema, rulesOf(z.union([ruleSchema, rulesOf(z.union([ruleSchema, rulesOf(ruleSchema)]))]))]),
)

const markSchema = z.discriminatedUnion('type', [
  z.object({ type: z.enum(['bold', 'italic', 'underline', 'highlight']) }),
  z.object({ type: z.literal('textStyle'), attrs: z.looseObject({ color: words(100).nullable() }) }),
  z.object({ type: z.literal('link'), attrs: z.looseObject({ href: words(8000) }) }),
])
const marks = z.array(markSchema).max(50).optional()
const inlineSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('text'), text: words(2_000_000), marks }),
  z.object({
    type: z.literal('field'),
    attrs: z.looseObject({
      column: name,
      standIn: words(2000).nullable(),
      format: words(300).nullable(),
      letterCase: z.enum(letterCases).nullable().optional(),
    }),
    marks,
  }),
  z.object({ type: z.literal('hardBreak'), marks }),
])
const line = z.array(inlineSchema).max(maxParts).optional()

const blocks = z.lazy(() => z.array(blockSchema).max(maxParts)).optional()
const cellSchema = z.object({ type: z.enum(['tableCell', 'tableHeader']), content: blocks })
const blockShapes = [
  z.object({ type: z.literal('paragraph'), content: line }),
  z.object({ type: z.literal('heading'), attrs: z.looseObject({ level: z.number() }), content: line }),
  z.object({ type: z.literal('button'), attrs: z.looseObject({ href: words(8000) }), content: line }),
  z.object({ type: z.literal('band'), attrs: z.looseObject({ color: words(100) }), content: line }),
  z.object({
    type: z.literal('image'),
    attrs: z.looseObject({
      src: words(20_000_000),
      alt: words(2000).nullable().optional(),
      width: z.number().nullable().optional(),
    }),
  }),
  z.object({
    type: z.literal('rowsTable'),
    attrs: z.looseObject({ columns: z.array(name).max(200), totals: z.array(name).max(200).optional() }),
  }),
  z.object({ type: z.enum(['horizontalRule', 'personalNote', 'signature']) }),
  z.object({
    type: z.literal('choices'),
    attrs: z.looseObject({ choices: z.array(words(longestChoice)).max(mostChoices) }),
  }),
  z.object({
    type: z.enum(['bulletList', 'orderedList']),
    content: z
      .array(z.object({ type: z.literal('listItem'), content: blocks }))
      .max(maxParts)
      .optional(),
  }),
  z.object({
    type: z.literal('table'),
    content: z
      .array(z.object({ type: z.literal('tableRow'), content: z.array(cellSchema).max(maxParts).optional() }))
      .max(maxParts)
      .optional(),
  }),
  z.object({
    type: z.literal('twoColumns'),
    content: z
      .array(z.object({ type: z.literal('column'), content: blocks }))
      .max(10)
      .optional(),
  }),
  z.object({
    type: z.literal('passage'),
    attrs: z.looseObject({ selection: passageSelectionSchema }),
    content: z.lazy(() => z.array(z.union([otherwiseSchema, blockSchema])).max(maxParts)).optional(),
  }),
] as const
const otherwiseSchema = z.object({ type: z.literal('otherwise'), content: blocks })
const blockSchema: z.ZodType = z.discriminatedUnion('type', blockShapes as never)

const wholeSchema = z.object({
  subject: words(2000),
  firstLine: words(2000).optional(),
  plain: z.boolean().optional(),
  body: z.object({ type: z.literal('doc'), content: z.array(blockSchema).max(maxParts) }),
})

/** How deep a letter's parts may stand in one another: twenty lists within each other, and more than any screen shows. */
const deepest = 60

function tooDeep(part: unknown, depth = 0): boolean {
  if (depth > deepest) return true
  const { content } = (part ?? {}) as { content?: unknown }
  return Array.isArray(content) && content.some((inner) => tooDeep(inner, depth + 1))
}

/** A letter: its subject with typed fields, and its body as core's LetterDocument, checked part by part. */
export const letterSchema = z.custom<Letter>().superRefine((value, context) => {
  if (tooDeep((value as Partial<Letter> | null)?.body))
    return context.addIssue({ code: 'custom', path: ['body'], message: 'Its parts stand too deep within one another.' })
  const read = wholeSchema.safeParse(value)
  if (!read.success)
    for (const { path, message } of read.error.issues.slice(0, 20)) context.addIssue({ code: 'custom', path, message })
})
