import { z } from 'zod'

const many = (n: number | bigint) => n.toLocaleString('en-GB')

/** What is too short or too small, by what it is. */
function atLeast(origin: string, minimum: number | bigint, inclusive: boolean): string {
  if (origin === 'string') return minimum === 1 ? 'This must be filled in.' : `At least ${many(minimum)} characters.`
  if (origin === 'array' || origin === 'set')
    return minimum === 1 ? 'At least one.' : `At least ${many(minimum)} of them.`
  return inclusive ? `At least ${many(minimum)}.` : `More than ${many(minimum)}.`
}

/** What is too long or too great, by what it is. */
function atMost(origin: string, maximum: number | bigint, inclusive: boolean): string {
  if (origin === 'string') return `At most ${many(maximum)} characters.`
  if (origin === 'array' || origin === 'set') return `At most ${many(maximum)} of them.`
  return inclusive ? `At most ${many(maximum)}.` : `Less than ${many(maximum)}.`
}

const kinds: Record<string, string> = {
  number: 'Enter a number.',
  int: 'Enter a whole number.',
  string: 'Enter some text.',
  boolean: 'Answer yes or no.',
  array: 'A list is needed here.',
  object: 'Named values are needed here.',
}
const formats: Record<string, string> = {
  date: 'Enter a date, such as 2026-12-31.',
  datetime: 'Enter a day and an hour.',
  email: 'Enter an address, such as office@brindlequay.example.',
  url: 'Enter a web address.',
}
const missing = 'This is missing.'
const otherwise = 'It does not fit here.'

/**
 * What does not fit a schema, in words for people: said by the desk in its refusals, and at the field in a form. A schema that has
 * words of its own for a fault keeps them.
 * @param issue a fault as Zod found it.
 * @returns a sentence.
 * @example plainWords({ code: 'too_small', origin: 'number', minimum: 1, inclusive: true, input: 0 }) // 'At least 1.'
 */
export function plainWords(issue: Parameters<z.core.$ZodErrorMap>[0]): string {
  switch (issue.code) {
    case 'invalid_type':
      return issue.input === undefined ? missing : (kinds[issue.expected] ?? otherwise)
    case 'too_small':
      return atLeast(issue.origin, issue.minimum, issue.inclusive ?? true)
    case 'too_big':
      return atMost(issue.origin, issue.maximum, issue.inclusive ?? true)
    case 'invalid_value':
      return issue.values.length === 1
        ? `Only “${String(issue.values[0])}” fits here.`
        : `Choose one of these: ${issue.values.map(String).join(', ')}.`
    case 'invalid_format':
      return formats[issue.format] ?? 'It does not have the right form.'
    case 'not_multiple_of':
      return `A multiple of ${many(issue.divisor)} is needed here.`
    case 'unrecognized_keys':
      return `There is nothing here called ${issue.keys.map((key) => `“${key}”`).join(', ')}.`
    case 'invalid_union': {
      // Of the ways in which it might have fitted, the one that it came near: where something stands, not where it is missing.
      const within = issue.errors.flat().map((one) => one.message)
      return within.find((words) => words !== missing) ?? within[0] ?? 'That is not one of the choices here.'
    }
  }
  return otherwise
}

z.config({
  // The desk's content policy forbids what Zod would compile its schemas by (`new Function`). Said before the first schema is made.
  jitless: true,
  customError: plainWords,
})

export { z }
