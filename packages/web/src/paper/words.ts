// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import type { PaperState } from '@hand-post/core'
import { times, verb } from '@hand-post/core'
import { moment } from '../shared/moment.ts'

/** PaperQuestion.tsx */
export const paperQuestion = {
  withoutAddress: (n: number) =>
    `${times(n, 'person has', 'people have')} no address. Their letter can go by paper post: you print it, with the postal address where the window of the envelope shows it.`,
  putOnPaper: 'Put them on paper',
  onPaper: (n: number) => `${times(n, 'letter goes', 'letters go')} by paper post.`,
  noColumns: 'What makes the postal address is not chosen yet.',
  setUp: 'Letters on paper…',
  button: 'On paper…',
}

/** PaperSheet.tsx */
export const paperSheet = {
  title: 'Letters on paper',
  who: 'Who gets the letter on paper',
  byHand: (n: number) =>
    n === 0 ? 'Nobody, or whoever you choose in the table' : `${times(n, 'person', 'people')} chosen in the table`,
  byHandHint: 'Select rows at People, then “Put the selected rows on paper” in their menu.',
  withoutAddress: (n: number) =>
    `Whoever has no address (${n.toLocaleString('en-GB')}), and whoever is chosen in the table`,
  everybody: 'Everybody in the round: no message is sent',
  address: 'Postal address',
  addressHint:
    'Each column is a line, in this order. Where a cell is blank, its line is left out. Asked once, and kept with the list.',
  line: (i: number) => `Column ${i + 1} of the address`,
  sameLine: 'on the same line',
  up: (i: number) => `Move column ${i + 1} up`,
  down: (i: number) => `Move column ${i + 1} down`,
  remove: (i: number) => `Take column ${i + 1} out of the address`,
  add: 'Add a column…',
  guess: 'Take what the names of the columns tell',
  guessed: 'Taken from the names of the columns: look whether it is right.',
  cannotGuess: 'No name of a column tells of a street or a town. Add the columns one by one.',
  nobody: 'Nobody gets the letter on paper yet, so no address can be shown.',
  envelope: 'Envelope',
  seen: 'So it looks in the envelope',
  size: 'Size',
  side: 'Window',
  foldMarks: 'Fold marks at the left edge',
  dated: 'The day of posting stands on it',
  twoSided: 'For printing on both sides: each letter, and each file behind it, begins on a new sheet',
  testPage: 'Test page for this envelope (PDF)',
  testPageHint: 'Print it, fold it and put it in, before you print all of them.',
  asTheyAre: (n: number) => `${verb(n, 'The letter', 'The letters')} as ${verb(n, 'it is', 'they are')} now (PDF)`,
}

/** EnvelopePicture.tsx */
export const envelopePicture = {
  sizes: { dl: 'DL, 110 × 220 mm', c56: 'C5/6, 114 × 229 mm' },
  sides: { left: 'at the left', right: 'at the right' },
  picture: (size: string, side: string, lines: string[]) =>
    `Envelope ${size} with its window ${side}, showing: ${lines.length === 0 ? 'nothing' : lines.join(', ')}`,
  noLines: 'This person has no postal address.',
  tooMany: (lines: number, most: number) => `This address has ${lines} lines, and ${most} can be seen.`,
  next: 'Next address',
  previous: 'Previous address',
  ofIt: (at: number, of: number) => `${at + 1} of ${of.toLocaleString('en-GB')}`,
}

/** PaperLetters.tsx */
export const paperLetters = {
  label: 'Letters on paper',
  toPrint: (n: number) => `${times(n, 'letter on paper is', 'letters on paper are')} to be printed.`,
  printed: (n: number, at: number | null) => `${n.toLocaleString('en-GB')} by paper post, printed on ${moment(at)}.`,
  withdrawn: (n: number) => `${n.toLocaleString('en-GB')} withdrawn.`,
  pdf: (n: number) => `${times(n, 'letter')} as PDF`,
  all: 'All of them as PDF',
  arePrinted: (n: number) => `${verb(n, 'It is', 'They are')} printed`,
  printedTitle: (n: number) => `${times(n, 'letter is', 'letters are')} printed?`,
  printedWords: (n: number) =>
    `The board and the outcomes say then that ${verb(n, 'it has', 'they have')} gone by paper post, today. What is printed is not amended any more. You can take this back.`,
  show: 'Whose they are',
  form: 'Envelope…',
  states: { toPrint: 'to be printed', printed: 'printed', withdrawn: 'withdrawn' } satisfies Record<PaperState, string>,
  notYet: 'Not printed yet',
  withdraw: 'Withdraw',
  marked: (n: number, to: PaperState) =>
    `${times(n, 'letter')} ${to === 'printed' ? 'noted as printed' : to === 'toPrint' ? 'to be printed again' : 'withdrawn'}.`,
  files: (names: string[]) => `with ${names.join(', ')}`,
  byHand: (names: string[]) => `to be put behind it by hand: ${names.join(', ')}`,
  amending: 'Being amended: what is not printed is made anew when the change is posted.',
  making: (done: number, all: number) =>
    `Making the PDF: ${done.toLocaleString('en-GB')} of ${all.toLocaleString('en-GB')} letters…`,
}
