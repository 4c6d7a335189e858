// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { sizeWords, times, verb } from '@hand-post/core'

/** AddFiles.tsx */
export const addFiles = {
  choose: (label: string) => `${label}: choose`,
  chooseOrDropFiles: 'Choose, or drop files, a folder or a zip here',
}

/** EnclosuresStage.tsx */
export const enclosuresStage = {
  filesGoPeopleS: 'Files go with people’s letters. Bring in a list at People first.',
  everybody: 'For everybody',
  noFileGoesEverybody: 'No file goes to everybody.',
  eachPersonSOwn: 'Each person’s own',
  namedColumn: 'Named in the column',
  none: 'none',
  otherNamesMessage: 'Other names in the message…',
  addingFile: (done: number, ofGiven: number) => `Adding file ${done + 1} of ${ofGiven}…`,
  stop: 'Stop',
  packedWhatMeant: (name: string) => `“${name}” is packed. What is meant?`,
  files: 'The files in it',
  zipAs: 'The zip as it is',
  neither: 'Neither',
  more: (faults: number) => `And ${faults - 5} more.`,
  seen: 'Seen',
  filesFollow: (files: number) => `${times(files, 'name')} of the files follow`,
  takePattern: 'Take this pattern',
  nobodyYetOnePerson: (proposed: number) =>
    `${times(proposed, 'file')} that ${verb(proposed, 'goes', 'go')} to nobody yet ${verb(proposed, 'names', 'name')} one person only (see “Files”).`,
  giveAllThem: (proposed: number) => `Give ${proposed === 1 ? 'it to them' : `all ${proposed} to them`}`,
  firstPeople: 'First the people',
  filesEverybody: 'Files for everybody',
  addFilesEverybody: 'Add files for everybody',
  eachPersonSOwn2: 'Each person’s own files',
  here: (own: number) => `${times(own, 'file')} here`,
  noneYet: 'None yet.',
  addTheirFiles: 'Add their files',
  addFolder: 'Add a folder',
  howTheyFindTheir: 'How they find their people',
  orPattern: 'or by the pattern',
  permitPermitNoPdf: 'permit-{{Permit no}}.pdf',
  messageCalled: 'In the message called',
  asThey: 'as they are',
  filesCannotMatched: 'The files cannot be matched',
  examiningFiles: (done: number, ofGiven: number) =>
    `Examining the files: ${done.toLocaleString('en-GB')} of ${ofGiven.toLocaleString('en-GB')}…`,
  examinedWhatTheyWhom: (unread: number) =>
    `${times(unread, 'file')} to be examined: what they are, and whom they mention…`,
  given: (matches: number) => `${times(matches, 'file')} given.`,
  undo: 'Undo',
}

/** FileLink.tsx */
export const fileLink = {
  inIt: (folder: string) => `in ${folder || 'no folder'}`,
  takeOut: (name: string) => `Take ${name} out`,
  takeOut2: 'Take out',
}

/** FileName.tsx */
export const fileName = {
  listHasNoColumn: (unknown: string) => `The list has no column “${unknown}”.`,
  blankPersonHand: 'Blank for the person in hand.',
  personHand: (example: string) => `For the person in hand: ${example}`,
}

/** MadeFiles.tsx */
export const madeFiles = {
  makeFileEachPerson: 'Make a file for each person…',
  madeEach: 'Made for each',
  nothing: 'nothing',
  letterAsPdf: 'this letter as PDF',
  asPdf: (name: string) => `“${name}” as PDF`,
  filled: 'filled in',
  docxModel: 'A .docx model…',
  stop: 'Stop',
  keepAllAsZip: 'Keep all as a zip',
  hasFieldsNoColumns: (name: string, join: string) => `“${name}” has fields that are no columns of the list: ${join}.`,
  made: (made: number) => `${times(made, 'file was', 'files were')} made.`,
  madeEachPerson: 'Made for each person',
  whatMadeEachPerson: 'What is made for each person',
  documentAsModelChoose: 'A document as model: choose',
  nameEachFile: 'Name of each file',
  make: (toMake: number) => `Make ${times(toMake, 'file')}`,
  allMade: 'All are made',
  oneMoment: 'One moment…',
}

/** PeopleAndFiles.tsx */
export const peopleAndFiles = {
  nobody: (nobodys: number) => `${verb(nobodys, 'This file goes', 'These files go')} to nobody.`,
  notThere: 'not there',
  whichOne: 'which one?',
  has: (own: number) => `has ${times(own, 'file')}`,
  none: 'none',
  as: (sentAs: string) => `as ${sentAs}`,
  takeBack: 'take back',
  there: (name: string) => `(there is ${name})`,
  give: 'give it',
  severalCalled: (name: string) => `several called ${name}`,
  everybodyS: 'everybody’s',
  peopleS: (ofGiven: number) => `${ofGiven} people’s`,
  onePersonS: 'one person’s',
  nobodyS: 'nobody’s',
  give2: (person: string) => `Give it to ${person}`,
  as2: (why: string) => `as ${why}`,
  people: 'People',
  whoLacksFile: 'Who lacks a file',
  files: 'Files',
  nobodyS2: 'Nobody’s',
  severalPeopleS: 'Several people’s',
  problems: 'With problems',
  runsWhenOpened: 'runs when opened',
  carriesMacros: 'carries macros',
  cannotRead: 'cannot be read',
  notWhatEndingSays: 'not what its ending says',
  unpacksFarTooMuch: 'unpacks to far too much',
  nobodyLacksFile: 'Nobody lacks a file',
  nobodyRound: 'Nobody in the round',
  choosePeopleFirst: 'Choose people first.',
  everybodyHasFilesThey: 'Everybody has the files that they should have.',
  noColumnOrPattern: 'No column or pattern names files, so nobody is expected to have one of their own.',
  takeOut: 'Take it out',
  takeAllOut: (nobodys: number) => `Take all ${nobodys.toLocaleString('en-GB')} out`,
  noFilesTheirOwn: 'No files of their own yet',
  dropFilesWholeFolder:
    'Drop files, a whole folder or a zip above. They find their people by a column that names them, by a pattern, by what stands in them, or by your hand.',
  everyFileSomebodyS: 'Every file is somebody’s',
  eachOwnFileAdded: 'Each own file that was added goes to somebody.',
  noFileGoesSeveral: 'No file goes to several',
  eachOwnFileGoes: 'Each own file goes to one person only.',
  noFileHasProblem: 'No file has a problem',
  noneEmptyLockedDamaged: 'None is empty, locked, damaged, carries macros or runs when it is opened.',
  person: 'Person',
  ownFiles: 'Own files',
  which: 'Which',
  givenHand: 'It was given by hand',
  size: 'Size',
  octetsExactlyAsLeaves: (line: number) => `${line.toLocaleString('en-GB')} octets, exactly as it leaves`,
  estimatedFromAbove: 'Estimated from above',
  tooLarge: ', too large',
  peopleTheirFiles: 'People and their files',
  file: 'File',
  whose: 'Whose',
  whoThey: 'Who they are',
  more: (ofGiven: number) => ` and ${ofGiven - 3} more`,
  filesTheirPeople: 'Files and their people',
}

/** useAdding.ts */
export const useAdding = {
  added: (files: number, replaced: number, stopped: boolean) =>
    `${times(files, 'file')} added${replaced > 0 ? `, ${replaced} in the place of one of that name` : ''}${stopped ? ', then stopped' : ''}.`,
  stopped: 'Stopped.',
  emptyNotAdded: (name: string) => `“${name}” is empty, and was not added.`,
  mostTakenMailHosts: (name: string, file: number, largestFile: number) =>
    `“${name}” is ${sizeWords(file)}; at most ${sizeWords(largestFile)} are taken, and mail hosts take far less. It was not added.`,
  leftOut: (name: string, why: string) => `“${name}” was left out: ${why}.`,
  addedOutPlaceOne: (added: number, name: string, replaced: number) =>
    `${times(added, 'file')} added out of “${name}”${replaced > 0 ? `, ${replaced} in the place of one of that name` : ''}.`,
  addedAs: (name: string) => `“${name}” added as it is.`,
}

/** useTakeOut.ts */
export const useTakeOut = {
  cannotBroughtBackAdd: (name: string) => `“${name}” cannot be brought back. Add it again at Enclosures.`,
  takenOut: (name: string) => `“${name}” was taken out.`,
  wereTakenOut: (files: number) => `${times(files, 'file')} were taken out.`,
  undo: 'Undo',
}
