// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { listed, times, verb } from '@hand-post/core'
import { moment } from '../shared/moment.ts'

/** brought */
export const brought = {
  isNow: (file: string) => `“${file}” is the letter now.`,
  allKept: 'Everything in it was kept.',
  changed: 'Not everything could be kept:',
  asItWas: 'As it was',
  asItIs: 'As the letter has it',
  noPicture: 'It has no looks of its own, or is too large to be shown here.',
}

/** plainOnly */
export const plainOnly = {
  asPlain: 'Send as plain text only',
  goesPlain: (lost: string[]) =>
    lost.length === 0
      ? 'This letter goes as plain text: the words alone, which every mail program shows alike.'
      : `This letter goes as plain text, without ${listed(lost)}.`,
}

/** blocks.tsx */
export const blocks = {
  for: (isIn: boolean, callPerson: string) => `${isIn ? 'in' : 'left out'} for ${callPerson}`,
  whoSees: 'Who sees it',
  bringListFirstRules: 'Bring in a list first: rules speak of its columns.',
  addOtherwise: 'Add “otherwise”',
  everybody: 'For everybody',
  personalNote: 'Personal note',
  signatureMailbox: 'Signature of the mailbox',
  harbourGreen: 'harbour green',
  passage: 'Passage',
  everybodyUntilRuleSet: 'For everybody, until a rule is set',
  onlyWhere: (said: string) => `Only where ${said}`,
  onlyPeopleWhom: 'Only for people for whom',
  everybodyUntilRuleSet2: 'For everybody, until a rule is set.',
  none: (callPerson: string) => `: none for ${callPerson}`,
  for2: (callPerson: string) => ` for ${callPerson}`,
  hasNoneGiveOne: ': it has none; give it one at Mailboxes',
}

/** choices.tsx */
export const choices = {
  choices: 'Choices',
  howAnswered: 'whoever reads the letter chooses one',
  choice: (n: number) => `Choice ${n}`,
  forInstanceYes: 'I shall come',
  forInstanceNo: 'I cannot',
  twice: 'stands there twice',
  takeOut: (n: number) => `Take out choice ${n}`,
  another: 'Another choice',
  remove: 'Remove the choices',
}

/** DraftingMarks.tsx */
export const draftingMarks = {
  left: (marks: number) => `${times(marks, 'drafting mark')} left`,
  times: (timesGiven: number) => `${timesGiven} times`,
  chooseColumn: 'choose a column',
  swap: 'Swap',
  swapAll: (ready: number) => `Swap all ${ready}`,
  swappedFields: (join: string, which: number) => `${join} ${verb(which, 'was', 'were')} swapped for fields.`,
  undo: 'Undo',
  draftingMarks: 'Drafting marks',
  showLetter: 'Show it in the letter',
  column: (mark: string) => `Column for ${mark}`,
}

/** extensions.ts */
export const extensions = {
  choices: 'Choices',
  answersToChoose: 'answers of which the reader chooses one; the board counts them',
  altShiftA: 'Alt Shift A',
  passage: 'Passage',
  seenOnlyPeopleWhom: 'seen only by people whom a rule picks',
  altShiftP: 'Alt Shift P',
  personalNote: 'Personal note',
  placeEachPersonS: 'the place for each person’s own words',
  altShiftN: 'Alt Shift N',
  table: 'Table',
  rowsColumns: 'rows and columns',
  altShiftT: 'Alt Shift T',
  twoColumns: 'Two columns',
  sideSidePhoneOne: 'side by side; on a phone, one below the other',
  altShiftC: 'Alt Shift C',
  button: 'Button',
  linkEasyPress: 'a link that is easy to press',
  altShiftB: 'Alt Shift B',
  answerHere: 'Answer here',
  band: 'Band',
  colouredHeadOverWhole: 'a coloured head over the whole width',
  altShiftH: 'Alt Shift H',
  rule: 'Rule',
  lineAcross: 'a line across',
  altShiftR: 'Alt Shift R',
  signature: 'Signature',
  linesMailboxSends: 'the lines of the mailbox that sends',
  altShiftS: 'Alt Shift S',
  writeLetterTypeWhere: 'Write the letter. Type {{ where something differs from person to person.',
}

/** FieldChip.tsx */
export const fieldChip = {
  or: (standIn: string) => `or ${standIn === '' ? 'nothing' : `“${standIn}”`}`,
  removeField: 'Remove the field',
  listHasNoColumn: (column: string) => `The list has no column “${column}”.`,
  swapEverywhere: (near: string) => `Swap it for “${near}” everywhere`,
  whereCellBlank: 'Where the cell is blank',
  blankList: (blank: number, ofGiven: number) =>
    `It is blank for ${blank.toLocaleString('en-GB')} of ${times(ofGiven, 'person', 'people')} in the list.`,
  notList: (column: string) => `${column} (not in the list)`,
  asTheyStand: 'as they stand',
  noSuchColumn: 'no such column',
  field: (column: string) => `The field “${column}”`,
  writeNothingCloseUp: 'write nothing and close up the space',
  writeTheseWords: 'write these words',
  stand: 'The stand-in',
  neighbour: 'neighbour',
  stopProof: 'stop at the proof',
  column: 'Column',
  writtenAs: 'Written as',
  shownValueChosenPerson: 'Shown with the value of the chosen person.',
  asList: (asShown: string) => `${asShown}, as in the list`,
  asList2: 'As in the list',
  capitals: 'Capitals',
}

/** fieldMenu.tsx */
export const fieldMenu = {
  bringListFirstColumns: 'Bring in a list first: its columns are the fields.',
  noColumnName: 'No column has that name.',
  columns: 'Columns',
  blankHere: 'blank here',
}

/** keptEditor.ts */
export const keptEditor = {
  letter: 'Letter',
}

/** LetterSheet.tsx */
export const letterSheet = {
  leftBy: (at: string, name: string) => `${at}, ${name === '' ? 'not taken over' : `by ${name}, not taken over`}`,
  noSubject: 'none',
  posted: (at: number) => `posted ${moment(at)}`,
  subject: 'Subject',
  beginLetter: 'Begin with this letter',
  goBack: 'Go back to this',
  shelfAlreadyLetterTakes: (name: string) =>
    `“${name}” is on the shelf already. This letter takes its place; what it was stays among its versions.`,
  bringLetter: 'Bring in a letter',
  takesPlaceLetterStands:
    'It replaces the letter here; what that was is kept under “As it was”. Fields typed as {{Name}} become fields.',
  handLetterOut: 'Save the letter as a file',
  letterAsHtml: 'The letter as HTML',
  wholeOneFileFields:
    'Everything in one file, with its fields as they are typed. One person’s message is kept by “Keep as .eml” beside its size.',
  dropDocumentDocxHtml: 'Drop a document (.docx), HTML or a plain text here, or',
  signatureMailbox: '(signature of the mailbox)',
  personalNote: '(personal note)',
  begin: 'Begin with',
  keepShelf: 'Keep on the shelf',
  as: 'As it was',
  files: 'Files',
  letter: 'The letter',
  undo: 'Undo',
  chooseOneSeeHow: 'Choose one to see how it looks.',
  shelf: 'On the shelf',
  startFrom: 'To start from',
  earlierRounds: 'Earlier rounds',
  notPosted: 'not posted',
  noLetterNameTry: 'No letter has that name. Try another word.',
  findLetter: 'Find a letter',
  letterBegan: (name: string) => `The letter began with “${name}”.`,
  whatLetter: 'What the letter was',
  nothingYetWhileYou:
    'Nothing yet. While you write, what the letter was is kept every few minutes, and whenever another takes its place.',
  letterAgainAs: (name: string) => `The letter is again as it was, ${name}.`,
  letterShelf: 'The letter is on the shelf.',
  nameShelf: 'Name on the shelf',
  tags: 'Tags',
  wordsFindSeparatedCommas: 'Words to find it by, separated by commas.',
  permitsSpring: 'permits, spring',
  putPlace: 'Replace it',
  keep: 'Keep it',
  letterFile: 'Letter file',
  reading: 'Reading…',
  chooseFile: 'choose a file',
}

/** LettersScreen.tsx */
export const lettersScreen = {
  letters: 'Letters',
  shelfLettersKeptUsed: 'The shelf: letters that are kept to be used again, and some to start from.',
  shelf: 'On the shelf',
  startFrom: 'To start from',
  chooseOneLeftSee: 'Choose one on the left to see it and to start a round with it.',
  copy: 'Copy',
  takeOffShelf: 'Take off the shelf',
  as: 'As it was',
  goBack: 'go back to…',
  changed: (changedAt: number) => `changed ${moment(changedAt)}`,
  takeOff: 'Take it off',
  goesGoodWhatBefore:
    'It is deleted for good, with its earlier versions. Rounds that began with it keep their letters.',
  noneName: 'No letter has that name.',
  nothingYetRoundFoot: 'Nothing yet. In a round, at the foot of its letter, it can be kept here.',
  letter: 'The letter',
  letterStandsHere: 'The letter is shown here',
  letterAsThenWhat: 'The letter is as it was then. What it was before that is kept too.',
  takeOffShelf2: (name: string) => `Take “${name}” off the shelf?`,
  name: 'Name',
  tags: 'Tags',
}

/** LetterStage.tsx */
export const letterStage = {
  nWords: (n: number) => times(n, 'word'),
  nLines: (n: number) => times(n, 'line'),
  subject: 'Subject',
  inThread: 'In the thread of each person’s first letter, so it has the subject of that.',
  addFirstLine: 'Add a first line',
  firstLine: 'First line',
  notSeenLetterItself: 'Not seen in the letter itself: inboxes show it beside the subject.',
  writeHereOr: 'Write here, or',
  beginLetterThere: 'begin with a letter that is there',
  shelfVersionsFiles: 'Shelf, versions, files…',
}

/** PenBar.tsx */
export const penBar = {
  label: 'Who writes the letter',
  writes: (name: string) => `${name} is writing this letter.`,
  readAlong: 'You read along as it is written, and can ask for the pen.',
  asked: (name: string) =>
    `You have asked for the pen. It is yours when ${name} gives it, or has written nothing for a minute.`,
  ask: 'Ask for the pen',
  askedIt: 'Asked',
  asks: (name: string) => `${name} asks for the pen.`,
  asksMore: 'Whoever has it writes the letter; the other reads along.',
  give: 'Give it',
  keep: 'Keep it for now',
}

/** moveBlock.ts */
export const moveBlock = {
  dragMoveBlockKeyboard: 'Drag to move this block. By keyboard: Alt Shift ↑ and ↓',
}

/** NoteStrip.tsx */
export const noteStrip = {
  personalNote: 'Personal note for',
  haveOne: (written: number, chosen: number) => `· ${written} of ${chosen} have one`,
  nextPerson: 'Next person',
  ctrl: 'Ctrl ↵',
  personalNote2: 'Personal note',
  onlyPersonSeesLeft: 'Only this person sees it. Left empty, nothing stands in its place.',
  ctrlEnterBackCtrl: 'Ctrl Enter; back with Ctrl Shift Enter',
}

/** paste.ts */
export const paste = {
  notPngJpegGif: 'it is not a PNG, JPEG, GIF or WebP picture, or is damaged.',
  picturesCouldNotKept: (lost: number, lost2: string) =>
    `${lost === 1 ? 'A picture' : `${lost} pictures`} could not be kept: ${lost2}`,
}

/** rowsTable.tsx */
export const rowsTable = {
  tablePersonSRows: 'Table of the person’s rows',
  columns: 'Its columns',
  addedUpBelow: 'Added up below',
  removeTable: 'Remove the table',
  noSuchColumn: ' (no such column)',
}

/** tables.ts */
export const tables = {
  rowBelow: 'Row below',
  columnRight: 'Column to the right',
  firstRowHeadings: 'First row is headings',
  removeRow: 'Remove the row',
  removeColumn: 'Remove the column',
  removeTable: 'Remove the table',
}

/** Toolbar.tsx */
export const toolbar = {
  redo: 'Redo',
  undo: 'Undo',
  numbers: 'Numbers',
  bullets: 'Bullets',
  highlight: 'Highlight',
  underline: 'Underline',
  italic: 'Italic',
  bold: 'Bold',
  text: 'Text',
  headingLarge: 'Heading, large',
  heading: 'Heading',
  headingSmall: 'Heading, small',
  table: 'Table',
  tabGoesNextCell: 'Tab goes to the next cell',
  insert: 'Insert',
  blocksMovedAltShift: 'Blocks are moved by Alt Shift ↑ and ↓, or dragged by the grip beside them.',
  none: 'none',
  buttonLeads: 'The button leads to',
  colourBand: 'Colour of the band',
  addField: 'Add a field',
  bringListFirstColumns: 'Bring in a list first: its columns are the fields.',
  noColumnName: 'No column has that name.',
  addField2: 'add a field…',
  wordsWherePicturesOff: 'In words, where pictures are off',
  width: 'Width',
  harbourGreen: 'harbour green',
  writing: 'Writing',
  paragraphOrHeading: 'Paragraph or heading',
  ctrlB: 'Ctrl B',
  ctrlI: 'Ctrl I',
  ctrlU: 'Ctrl U',
  ctrlShiftH: 'Ctrl Shift H',
  ctrlShift8: 'Ctrl Shift 8',
  ctrlShift7: 'Ctrl Shift 7',
  pictureFile: 'Picture file',
  plainWordsTakeFormatting: 'Plain words: take formatting away',
  ctrlZ: 'Ctrl Z',
  ctrlShiftZ: 'Ctrl Shift Z',
  greeting: 'Greeting',
  dearNameOrSir: 'Dear and the name, or Sir or Madam where it is blank',
  picture: 'Picture',
  fromFileCanDropped: 'from a file; it can be dropped and pasted too',
  tableRows: 'Table of rows',
  rowsGoPersonS: 'the rows that go with a person’s message',
  colourWords: 'Colour of words',
  https: 'https://',
  findColumn: 'Find a column',
  blankHere: 'blank here',
  link: 'Link',
  whereLinkLeads: 'Where the link leads',
  leaveEmptyTakeLink: 'Leave it empty to take the link away.',
  takeLinkAway: 'Take the link away',
  harbourLowWater: 'The harbour at low water',
}

/** WhoSeesWhom.tsx */
export const whoSeesWhom = {
  from: 'From',
  senderCopiesAnswers: 'Sender, copies, answers…',
  keptHereMendedProof: (join: string, wrong: number) =>
    `${join} ${verb(wrong, 'It is', 'They are')} kept here to be mended; the proof stops at ${verb(wrong, 'it', 'them')}.`,
  endLetterLineOpting: 'End the letter with a line for opting out',
  mailProgramsShowAs: 'Mail programs show it as a button too. Whoever opts out is put on the do-not-write list.',
  column: 'by column…',
  whoeverStands: (column: string) => `whoever stands in “${column}”`,
  asCopy: (many: string) => `, and ${many} as a copy`,
  everyMessageUnseen: (many: string, unseen: number) => ` ${many} ${verb(unseen, 'gets', 'get')} every message unseen.`,
  eachMessageCountsAs: (counted: number) => ` Each message counts as ${1 + counted} recipients.`,
  eachCopyCountsAs: ' Each copy counts as one more recipient.',
  answersGo: (entryWords: string) => ` Answers go to ${entryWords}.`,
  eachPersonGetsMessage: (seen: string, hidden: string, cost: string, answers: string) =>
    `Each person gets a message of their own and sees only their own name${seen}.${hidden}${cost}${answers}`,
  addressesSeparated: 'addresses, separated by ;',
  senderSName: 'Sender’s name',
  answersGo2: 'Answers go to',
  addressTheyComeFrom: 'to the address they come from',
  noAddress: (entry: string, fault: string) => `“${entry}” is not an address: ${fault}.`,
  column2: (label: string) => `${label}: by a column`,
}
