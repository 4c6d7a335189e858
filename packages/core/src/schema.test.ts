import fc from 'fast-check'
import { expect, test } from 'vitest'
import { z } from './schema.ts'

const words = (schema: z.ZodType, value: unknown) =>
  schema.safeParse(value).error?.issues.map(({ path, message }) => [path.join('.'), message])

test.each<[string, z.ZodType, unknown, string]>([
  ['an empty line', z.string().min(1), '', 'This must be filled in.'],
  ['too short', z.string().min(3), 'ab', 'At least 3 characters.'],
  ['too long', z.string().max(2000), 'x'.repeat(2001), 'At most 2,000 characters.'],
  ['too small', z.number().min(1), 0, 'At least 1.'],
  ['nothing or less', z.number().positive(), 0, 'More than 0.'],
  ['too great', z.number().max(65_535), 70_000, 'At most 65,535.'],
  ['as great as it may not be', z.number().lt(3), 3, 'Less than 3.'],
  ['not whole', z.number().int(), 1.5, 'Enter a whole number.'],
  ['no number', z.number(), Number.NaN, 'Enter a number.'],
  ['words for a number', z.number(), '7', 'Enter a number.'],
  ['a number for words', z.string(), 7, 'Enter some text.'],
  ['neither yes nor no', z.boolean(), 'perhaps', 'Answer yes or no.'],
  ['no list', z.array(z.string()), 'a', 'A list is needed here.'],
  ['an empty list', z.array(z.string()).min(1), [], 'At least one.'],
  ['a list too long', z.array(z.string()).max(1), ['a', 'b'], 'At most 1 of them.'],
  ['nothing', z.string(), undefined, 'This is missing.'],
  ['one of several', z.enum(['tls', 'none']), 'ssl', 'Choose one of these: tls, none.'],
  ['only one', z.literal('yes'), 'no', 'Only “yes” fits here.'],
  ['no date', z.iso.date(), '31/12/2026', 'Enter a date, such as 2026-12-31.'],
  ['no form', z.string().regex(/^c\d+$/), 'x', 'It does not have the right form.'],
  ['an unknown name', z.strictObject({}), { more: 1 }, 'There is nothing here called “more”.'],
  ['no multiple', z.number().multipleOf(5), 7, 'A multiple of 5 is needed here.'],
])('%s is said in plain words', (_, schema, value, said) => {
  expect(words(schema, value)).toEqual([['', said]])
})

test('of several ways in which it might have fitted, the one that it came near is spoken of', () => {
  const part = z.union([z.object({ text: z.string().max(3) }), z.object({ column: z.string() })])
  expect(words(part, { text: 'long' })).toEqual([['text', 'At most 3 characters.']])
  expect(words(part, { text: 7 })).toEqual([['', 'Enter some text.']])
  expect(words(part, {})).toEqual([['', 'This is missing.']])
  const kinds = z.discriminatedUnion('do', [z.object({ do: z.literal('a') }), z.object({ do: z.literal('b') })])
  expect(words(kinds, { do: 'c' })).toEqual([['do', expect.not.stringMatching(/Invalid|discriminator/)]])
})

test('a schema’s own words are kept', () => {
  expect(words(z.string().min(1, 'Type the password.'), '')).toEqual([['', 'Type the password.']])
})

test('whatever is given, what is said is a sentence, and none of the library’s', () => {
  const schema = z.object({
    name: z.string().trim().min(1).max(5),
    port: z.number().int().min(1).max(9),
    way: z.enum(['a', 'b']),
    parts: z.array(z.union([z.object({ text: z.string() }), z.object({ column: z.string().regex(/^c\d+$/) })])).max(2),
    when: z.iso.date().optional(),
  })
  fc.assert(
    fc.property(fc.object({ key: fc.constantFrom('name', 'port', 'way', 'parts', 'when'), maxDepth: 2 }), (value) => {
      for (const [, said] of words(schema, value) ?? []) {
        expect(said).toMatch(/^[A-Z].*\.$/)
        expect(said).not.toMatch(/Invalid|expected|Too (small|big)|input/i)
      }
    }),
  )
})
