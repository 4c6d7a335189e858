/** A refusal with its HTTP status; its message says what, where and what to do, for people to read. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly title = 'Not done',
  ) {
    super(message)
  }
}

/** Faults of the database that are the caller's (PostgreSQL, appendix A: SQLSTATE class 22 whole, two of class 23). */
const ofCaller: [code: RegExp, status: number, title: string, words: string][] = [
  [/^22...$/, 422, 'Does not fit', 'A number or text that was given is beyond what can be kept.'],
  [/^23503$/, 404, 'Not found', 'What you asked for is not there. It may have been deleted; go back and choose again.'],
  [/^23505$/, 409, 'Name taken', 'There is one of that name already. Choose another.'],
]

/** An error as the refusal that it is: of ours, or of the database for something that the caller gave; else null. */
export function asRefusal(error: unknown): Refusal | null {
  if (error instanceof Refusal) return error
  const { code } = error as { code?: unknown }
  const known = typeof code === 'string' ? ofCaller.find(([pattern]) => pattern.test(code)) : undefined
  return known ? new Refusal(known[1], `${known[3]} Nothing was changed.`, known[2]) : null
}

export const notFound = (what: string) =>
  new Refusal(404, `There is no such ${what}. It may have been deleted; go back and choose again.`, 'Not found')
