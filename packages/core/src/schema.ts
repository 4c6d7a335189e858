import { z } from 'zod'

const many = (n: number | bigint) => n.toLocaleString('en-GB')

/** What is too short or too small, by what it is. */
function atLeast(origin: string, minimum: number | bigint, inclusive: boolean): string {
  if (origin === 'string') return minimum === 1 ? 'Something must stand here.' : `At least ${many(minimum)} characters.`
  if (origin === 'array' || origin === 'set')
    return minimum === 1 ? 'One at least.' : `At least ${many(minimum)} of them.`
  return inclusive ? `At least ${many(minimum)}.` : `More than ${many(minimum)}.`
}

/** What is too long or too great, by what it is. */
function atMost(origin: string, maximum: number | bigint, inclusive: boolean): string {
  if (origin === 'string') return `At most ${many(maximum)} characters.`
  if (origin === 'array' || origin === 'set') return `At most ${many(maximum)} of them.`
  return inclusive ? `At most ${many(maximum)}.` : `Less than ${many(maximum)}.`
}

const kinds: Record<string, string> = {
  number: 'A number is wanted here.',
  int: 'A whole number is wanted here.',
  string: 'Words are wanted here.',
  boolean: 'Yes or no is wanted here.',
  array: 'A list is wanted here.',
  object: 'Named parts are wanted here.',
}
const formats: Record<string, string> = {
  date: 'A date is wanted here, such as 2026-12-31.',
  datetime: 'A day and hour is wanted here.',
  email: 'An address is wanted here, such as office@brindlequay.example.',
  url: 'A web address is wanted here.',
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
        : `One of these is wanted: ${issue.values.map(String).join(', ')}.`
    case 'invalid_format':
      return formats[issue.format] ?? 'It does not have the form that is wanted here.'
    case 'not_multiple_of':
      return `A multiple of ${many(issue.divisor)} is wanted here.`
    case 'unrecognized_keys':
      return `Nothing is known by the name of ${issue.keys.map((key) => `“${key}”`).join(', ')}.`
    case 'invalid_union': {
      // Of the ways in which it might have fitted, the one that it came near: where something stands, not where it is missing.
      const within = issue.errors.flat().map((one) => one.message)
      return within.find((words) => words !== missing) ?? within[0] ?? 'This is none of what is known here.'
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
