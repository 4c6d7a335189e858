// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
/** propose.ts */
export const propose = {
  name: 'its name',
  words: 'its words',
}

/** fileFacts.ts */
export const fileFacts = {
  contentSomethingElse: 'its content is something else',
  content: (toUpperCase: string) => `its content is ${toUpperCase}`,
}

/** names.ts */
export const names = {
  differsCapitalsOnly: 'it differs in capitals only',
  differsSpacesOrHyphens: 'it differs in spaces or hyphens only',
  differsAccentsOnly: 'it differs in accents only',
  ending: (endingOf: string) => `its ending is ${endingOf || 'missing'}`,
  differsOneCharacter: 'it differs in one character',
}
