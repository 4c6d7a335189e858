// How numbers and things stand together in a sentence, everywhere alike.
const english = new Intl.PluralRules('en-GB')

/** The form of a word that goes with a number: "goes" with 1, "go" with all others. */
export const verb = (n: number, one: string, many: string): string => (english.select(n) === 'one' ? one : many)

/** A number of things: "1 letter", "1,200 letters". `many` is the plural where it is not made with an s. */
export const times = (n: number, one: string, many = `${one}s`): string =>
  `${n.toLocaleString('en-GB')} ${verb(n, one, many)}`

/**
 * Some of a number of things: "the letter" of one, "both letters", "all 58 letters", "41 of 58 letters".
 * What follows goes with `n`: see {@link verb}.
 */
export function some(n: number, of: number, one: string, many = `${one}s`): string {
  if (n < of) return `${n.toLocaleString('en-GB')} of ${times(of, one, many)}`
  if (of === 1) return `the ${one}`
  return of === 2 ? `both ${many}` : `all ${times(of, one, many)}`
}

/** Several things in a row: "a", "a and b", "a, b and c". */
export const listed = (things: string[]): string => new Intl.ListFormat('en-GB').format(things)

/** A sentence with a capital at its beginning. */
export const sentence = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1)

/** What may take long, wherever it is done, and what it is called. */
export const workNames = {
  proof: 'Proof',
  posting: 'Posting',
  amending: 'Posting a change',
  rehearsal: 'Rehearsal',
  drafts: 'Putting drafts into the mailbox',
  makingFiles: 'Making the files of each',
  unpacking: 'Unpacking files',
  packingFiles: 'Packing files',
  printing: 'Setting letters for paper',
  messages: 'All messages as a file',
  record: 'Posting record',
  archive: 'Archive',
  outcomeSheet: 'Workbook with what came of it',
  bringingIn: 'Bringing in a list',
  contacts: 'Bringing in contacts',
  comparing: 'Comparing a list with a newer table',
  updatingList: 'Updating a list',
  copyingList: 'Making a list of another',
  writingList: 'Taking out a list as a file',
  backup: 'Copy of everything',
} as const
export type WorkKind = keyof typeof workNames
export const workKinds = Object.keys(workNames) as [WorkKind, ...WorkKind[]]
