// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { times, verb } from '../words.ts'

/** comparisons.ts */
export const comparisons = {
  not: 'is not',
  one: 'is one of',
  none: 'is none of',
  doesNotContain: 'does not contain',
  begins: 'begins with',
  ends: 'ends with',
  before: 'is before',
  after: 'is after',
  todayOrNextDays: 'is today or in the next days:',
  todayOrLastDays: 'is today or in the last days:',
  below: 'is below',
  above: 'is above',
  between: 'is between',
  group: 'is in the group',
  notGroup: 'is not in the group',
  blank: 'is blank',
  filled: 'is filled in',
}

/** derive.ts */
export const derive = {
  recipeLeadsBackItself: 'its recipe leads back to itself; change one of the columns it reads',
  columnRecipeReadsGone: 'a column that its recipe reads is gone',
  cannotWorkedOutHere: (name: string, faults: string) => `“${name}” cannot be worked out here: ${faults}`,
}

/** doubles.ts */
export const doubles = {
  sameAddress: (key: string) => `the same address, ${key}`,
  sameNameOneHas: 'the same name, and one has no address',
  oneRowsGoneNothing: 'One of the rows is gone. Nothing was merged.',
  noSuchRow: 'No such row',
}

/** kinds.ts */
export const kinds = {
  number: 'a number',
  amount: 'an amount',
  date: 'a date',
  dateTime: 'date and time',
  dateTime2: 'a date and time',
  timeDay: 'time of day',
  timeDay2: 'a time of day',
  hoursMinutes: 'hours and minutes',
  yesOrNo: 'yes or no',
  address: 'an address',
}

/** reading.ts */
export const reading = {
  columnCalled: (letters: string) => `Column ${letters}`,
  aboveHeadingsLeftOut: (headingsRow: number) =>
    `${times(headingsRow, 'row')} above the headings ${verb(headingsRow, 'was', 'were')} left out.`,
  tableHasNoHeadings: 'The table has no headings; its columns are called by their letters.',
  headingsTakeTwoRows: 'The headings take two rows; each group’s name stands before those of its columns.',
  anotherTableBeginsRow: (next: number, slice: string) =>
    `Another table begins in row ${next + 1} (${slice}). It was left out; to bring it in as well, read the file once more and choose row ${next + 1} as its headings.`,
  belowTableLeftOut: (after: number, slice: string) =>
    `${times(after, 'row')} below the table ${verb(after, 'was', 'were')} left out, beginning with “${slice}”.`,
  columnHasNoHeading: (columnLetters: string, name: string) =>
    `Column ${columnLetters} has no heading; it is called “${name}”.`,
  headingStandsMoreThan: (name: string, columnLetters: string, n: number) =>
    `The heading “${name}” stands more than once; the one in column ${columnLetters} is called “${name} (${n})”.`,
  leftOut: (blankColumns: number) => `${times(blankColumns, 'blank column')} left out.`,
  leftOutSoRow: (blankRows: number, between: number, first: number | undefined) =>
    `${times(blankRows, 'blank row')} left out${between > 0 ? `, so that row ${first} of the sheet and those below it have a lower number here` : ''}.`,
  formulaWorkbookFailedHere: 'A formula of the workbook failed here. Type in what it should say.',
  cannotWritten: (fault: string) => `It cannot be written to: ${fault}.`,
  doesNotReadAs: (one: string) => `It does not read as ${one}, which the other cells of the column are.`,
  address: 'is an address',
  number: 'is a number',
  longerThan60Characters: 'is longer than 60 characters',
  readsAsSentence: 'reads as a sentence',
}

/** recipes.ts */
export const recipes = {
  joinWords: 'Join words',
  firstLastNameOne: 'First and last name in one; a berth and its pontoon',
  chooseRule: 'Choose by rule',
  longWhereLengthAbove: '“long” where the length is above 12, else “short”',
  workOutFigure: 'Work out a figure',
  feeTimes12: 'The fee times 1.2, to two decimals',
  moveDate: 'Move a date',
  tenWorkingDaysBefore: 'Ten working days before the due date',
  takePart: 'Take a part',
  firstWordWhatStands: 'The first word; what stands after the @',
  doesNotStand: (mark: string) => `“${mark}” does not stand in it`,
  changeCapitals: 'Change capitals',
  adaPenroseBecomesAda: 'ADA PENROSE becomes Ada Penrose',
  chooseList: 'Choose a list.',
  chooseRound: 'Choose a round.',
  cameOf: 'What came of a round',
  whoHasNotAnswered: 'Who has not answered, or what they chose',
  roundGone: 'The round that it looks into is gone, or was to another list.',
  lookUpAnotherList: 'Look up in another list',
  wardenBerthSPontoon: 'The warden of the berth’s pontoon',
  blankHere: (name: string) => `“${name}” is blank here`,
  noNumber: (trim: string, name: string) => `“${trim}” in “${name}” is not a number`,
  wouldDivideNothing: 'it would divide by nothing',
  noDate: (trim: string, name: string) => `“${trim}” in “${name}” is not a date`,
  listLooksIntoGone: 'the list that it looks into is gone',
  noLongerHasColumn: (name: string) => `“${name}” no longer has the column that it looks into`,
  hasSeveralRowsDo: (name: string, trim: string) =>
    `“${name}” has several rows with “${trim}” that do not say the same`,
  hasNoRow: (name: string, trim: string, keyName: string) => `“${name}” has no row with “${trim}” in “${keyName}”`,
}

/** rules.ts */
export const rules = {
  rowNumber: 'Row number',
  columnRuleGoneSo: 'The column of this rule is gone, so nobody fits it.',
  ruleNotFinishedSo: 'This rule is not finished, so it does not count yet.',
  notNumberDays: 'is not a number of days',
  doesNotReadAs: (one: string, name: string) => `does not read as ${one}, which “${name}” holds`,
  soNobodyFitsRule: (slice: string, holds: string) => `“${slice}” ${holds}, so nobody fits this rule.`,
  columnGone: 'a column that is gone',
  notSo: (selectionWords: string) => `it is not so that ${selectionWords}`,
  notSo2: (ruleWords: string) => `it is not so that ${ruleWords}`,
}

/** selection.ts */
export const selection = {
  setAsideBecause: (reason: string) => `Set aside by the writer: ${reason}`,
  standing: {
    byRule: 'Left out by the rules of the round.',
    setAside: 'Set aside by the writer.',
    doNotWrite: 'On the do-not-write list.',
    joined: 'Goes with the message of an earlier row of the same address.',
    sameAddress: 'An earlier row of the same address has the message.',
    notChased: 'Has no letter to chase, or what the chaser is for is done.',
  },
  notChased: 'not to be chased',
  leftOutRule: 'left out by rule',
  setAside: 'set aside',
  doNotWriteList: 'on the do-not-write list',
  joinedEarlierRowSame: 'joined with an earlier row of the same address',
  leftOutBecauseAddress: 'left out because the address had its message',
  listRound: (n: string, n2: string, onPaper: string | null) =>
    `${n} in the list, ${n2} in this round${onPaper === null ? '' : ` and ${onPaper} by paper post`}`,
}

/** update.ts */
export const update = {
  rowNewerTableHas: (i: number, keyName: string) =>
    `Row ${i + 1} of the newer table has no “${keyName}”; it was passed over.`,
  standsRowsNewerTable: (said: string, before: number, i: number) =>
    `“${said}” stands in rows ${before + 1} and ${i + 1} of the newer table; only the first was taken.`,
  standsSeveralRowsList: (said: string) => `“${said}” stands in several rows of the list; they were left as they are.`,
  rowListHasNo: (keyName: string) => `A row of the list has no “${keyName}”; it was left as it is.`,
}

/** wishes.ts */
export const wishes = {
  listNoLongerHas: 'The list no longer has that column. Nothing was changed.',
  noSuchColumn: 'No such column',
  workedOutFromOther: (name: string) =>
    `“${name}” is worked out from other columns, so nothing can be typed into it. Change its recipe, or the columns that it reads.`,
  derivedColumn: 'Derived column',
  rowAfterWhichShould: 'The row after which it should stand is gone. Nothing was changed.',
  noSuchRow: 'No such row',
  anotherColumnCalledAlready: (name: string) =>
    `Another column is called “${name}” already. Choose another name; fields could not tell them apart.`,
  nameTaken: 'Name taken',
  oneRowsGoneNothing: 'One of the rows is gone. Nothing was changed.',
  workedOutFromChange: (name: string, name2: string) =>
    `“${name}” is worked out from “${name2}”. Change its recipe or delete it first; nothing was deleted.`,
  columnRead: 'Column is read',
  doesNotStandList: (find: string) => `“${find}” does not stand in the list. Nothing was changed.`,
  notFound: 'Not found',
}

/** takeBack.ts */
export const takeBack = {
  cell: (column: string, person: string) => `“${column}” of ${person}`,
  goneCell: 'a cell that is gone',
  moreCells: (n: number) => times(n, 'more cell', 'more cells'),
  rows: (n: number) => (n === 1 ? 'a row that you had added' : `${n} rows that you had added`),
  column: (name: string | null) => (name === null ? 'a column that is gone' : `the column “${name}”`),
  places: (n: number) => `the ${n === 1 ? 'place of a row' : `places of ${n} rows`}`,
  order: 'the sorting',
  somebody: 'Somebody',
  left: (who: string, what: string) => `${who} changed ${what} since. That stands as it is.`,
  over: (cell: string, theirs: string, yours: string) =>
    `${cell}: ${theirs === '' ? 'blanked' : `“${theirs}”`}, and now ${yours === '' ? 'blank' : `“${yours}”`} by you`,
  overridden: (who: string, cells: string[], more: number) =>
    `${who} had just written in ${cells.length + more === 1 ? 'this cell' : 'these cells'}. ${cells.join('; ')}${more > 0 ? `; and ${times(more, 'more cell', 'more cells')}` : ''}. To have it back as it was, undo.`,
}

/** address.ts */
export const address = {
  thereNoAddress: 'there is no address',
  longerThanAddressMay: 'it is longer than an address may be',
  holdsLineBreak: 'it holds a line break',
  holdsMoreThanOne: 'it holds more than one address',
  hasSpace: 'it has a space in it',
  hasNo: 'it has no @',
  nothingStandsBefore: 'nothing stands before the @',
  nothingStandsAfter: 'nothing stands after the @',
  hasMoreThanOne: 'it has more than one @',
  dotsWrongPlace: 'its dots are in the wrong place',
  holdsCharacterAddressCannot: (local: string) => `“${local}” holds a character that an address cannot have`,
  notFullDomain: (domain: string) => `“${domain}” is not a full domain`,
  notDomain: (domain: string) => `“${domain}” is not a domain`,
}
