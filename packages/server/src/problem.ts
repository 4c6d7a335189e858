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

export const notFound = (what: string) =>
  new Refusal(404, `There is no such ${what}. It may have been deleted; go back and choose again.`, 'Not found')
