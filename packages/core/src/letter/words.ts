// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { times } from '../words.ts'

/** greeting.ts */
export const greeting = {
  sirOrMadam: 'Sir or Madam',
}

/** html.ts */
export const html = {
  scriptNothingRun: 'a script (nothing of it was run)',
  pieceAnotherPage: 'a piece of another page',
  formFillWords: 'a form to fill in, with its words',
  filmOrSound: 'a film or a sound',
  drawing: 'a drawing',
  formula: 'a formula',
  lineThroughWordsWere: 'the line through words that were struck out (the words stand)',
  charactersWereRaisedOr: 'that characters were raised or lowered (they stand in the line)',
  otherThingsKind: 'other things of that kind',
  moreThanParagraphs: (maxBlocks: number) => `more than ${maxBlocks.toLocaleString('en-GB')} paragraphs`,
  frameTableTextKept: 'the frame of a table (its text is kept)',
  cellsTableWereMerged: 'that cells of a table were merged (each stands in the first of its places)',
  somethingNoPartLetter: 'something that is no part of a letter',
  link: (slice: string) => `a link to “${slice}”`,
  pictureFrom: (slice: string) => `a picture from “${slice}”`,
  alignmentParagraph: 'the alignment of a paragraph',
  moreThanCharacters: (maxCharacters: number) => `more than ${maxCharacters.toLocaleString('en-GB')} characters`,
  formattingTagsMoreThan: (deepestTags: number) =>
    `the formatting of tags more than ${deepestTags} deep within one another (their text is kept)`,
  restHas: (message: string) => `the rest of it: it has ${message}`,
  leftOutTimes: (what: string, timesGiven: number) =>
    `Left out: ${what}${timesGiven > 1 ? `, ${timesGiven} times` : ''}.`,
}

/** plain.ts */
export const plain = {
  choices: 'the buttons of the choices (each has a line and an address)',
  noDescription: 'it has no description',
  noDescriptions: 'they have no descriptions',
  itsDescription: 'its description stands there instead',
  theirDescriptions: 'their descriptions stand there instead',
  bands: (n: number) => times(n, 'coloured band'),
  descriptionStandsThereInstead: (described: number) => `${described} with a description that stands there instead`,
  lines: (tables: number) => `the lines of ${times(tables, 'table')}`,
  firstLineInboxesShow: 'the first line that inboxes show beside the subject',
}
