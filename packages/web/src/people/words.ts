// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { times, verb } from '@hand-post/core'

/** lists */
export const lists = {
  title: 'Lists',
  notShown: 'The lists cannot be shown',
  none: 'No lists yet',
  noneMore: 'A list is a table of people: bring one in, and every round can use it.',
  noneShows: [
    'Its name, and the file it came from',
    'Its columns',
    'How many people',
    'Rounds that use it',
    'When it was brought in',
  ],
  bringIn: 'Bring in a list',
  list: 'List',
  columns: 'Columns',
  people: 'People',
  rounds: 'Rounds',
  broughtIn: 'Brought in',
  actions: 'Actions',
  rows: (n: number) => times(n, 'row'),
  from: (file: string, sheet: string | null) => (sheet === null ? `From ${file}` : `From ${file}, sheet “${sheet}”`),
  typed: 'Typed here',
  fromGroups: 'From groups of the address book',
  moreColumns: (n: number) => `and ${n} more`,
  moreRounds: (n: number) => `and ${times(n, 'earlier one')}`,
  noRound: 'none',
  copy: 'Copy',
  copyThe: (name: string) => `Copy “${name}”`,
  removeThe: (name: string) => `Delete “${name}”`,
  copyOf: (name: string) => `${name}, copy`.slice(0, 200),
  remove: 'Delete',
  used: 'A round uses it.',
  removed: (name: string) => `“${name}” was deleted.`,
}

/** AddressBook.tsx */
export const addressBook = {
  shows: ['A name', 'An address', 'Whatever else you note', 'The groups, at the side'],
  bringContacts: 'Bring in contacts',
  fromMailbox: 'From the mailbox',
  lookDoubles: 'Look for doubles',
  bringContactCardsVcf:
    'Bring in contact cards (.vcf) or a table, take the senders of messages in your mailbox, or add a row and type.',
  addContact: 'Add a contact',
  allContacts: 'All contacts',
  rename: (name: string) => `Rename “${name}”`,
  deleteGroupContactsStay: 'Delete the group; contacts stay',
  contactHasNoAddress: 'This contact has no address, so there is nothing to show of them.',
  contacts: 'Contacts',
  noContactsYet: 'No contacts yet',
  putSelectedContactsInto: 'Put the selected contacts into a group…',
  takeSelectedContactsOut: (name: string) => `Take the selected contacts out of “${name}”`,
  openPageSelectedContact: 'Open the page of the selected contact',
  groups: 'Groups',
  newGroup: 'New group',
  add: 'Add',
  newNameGroup: 'New name of the group',
  rename2: 'Rename',
  putIntoGroup: (rows: number) => `Put ${times(rows, 'contact')} into a group`,
  put: 'Put in',
  makeGroupPut: 'Make the group and put in',
  group: 'Group',
  nameThereNotYet: 'A name that there is not yet makes a new group.',
}

/** BringContacts.tsx */
export const bringContacts = {
  nRows: (n: number) => times(n, 'row'),
  nNewContacts: (n: number) => times(n, 'new contact'),
  moreGroups: (n: number) => ` and ${times(n, 'more group')}`,
  theyAddedAddressBook:
    'They are added to the address book. Whoever is in it already stays as they are, and gets only what was blank. Nobody is taken out.',
  notNow: 'Not now',
  fromIntoAddressBook: (fileName: string) => `From “${fileName}” into the address book`,
  makeNoGroups: 'Make no groups',
  comparingAddressBook: 'Comparing with the address book…',
  addressBookGets: (newColumns: number, join: string) =>
    `The address book gets ${times(newColumns, 'new column')}: ${join}.`,
  putAllThemInto: (name: string) => `Put all of them into the group “${name}”`,
  makeGroupsTheirCategories: 'Make groups of their categories',
  newIt: 'new',
  nobodyNew: 'Nobody is new.',
  and: (added: number, filter: number) => `And ${times(added - filter, 'more new contact')}.`,
  fileSaysSomethingElse: (differing: number) =>
    `For ${times(differing, 'contact')} the file says something else. Which is right?`,
  and2: (differing: number, lines: number) => `And ${times(differing - lines, 'more contact')}.`,
  bringContacts: (name: string) => `Bring in contacts for “${name}”`,
  bringContacts2: 'Bring in contacts',
  undo: 'Undo',
  sheet: 'Sheet',
  whoBrought: 'Who is brought in',
  bringing: 'Bringing in…',
  bring: (added: number, known: number) => `Bring in ${times(added + known, 'contact')}`,
  bring2: 'Bring in',
  chooseAnotherFile: 'Choose another file',
  alreadyAddressBookWhom: (known: number, filled: number) =>
    `${known.toLocaleString('en-GB')} already in the address book${filled > 0 ? `, ${filled.toLocaleString('en-GB')} of whom ${verb(filled, 'gets', 'get')} something that was blank` : ''}`,
  samePersonAgain: (repeated: number) => `${times(repeated, 'row', 'rows')} with the same person again`,
  thereNobody: 'There is nobody in it.',
  addressBook: 'The address book',
  file: 'The file',
  file2: 'in the file:',
}

/** BringIn.tsx */
export const bringIn = {
  nRows: (n: number) => times(n, 'row'),
  listTableOneRow:
    'A list is a table with one row for each person and one heading over each column. One column must hold the addresses.',
  notNow: 'Not now',
  listHereAlready: 'A list that is here already',
  bringList: 'Bring in a list',
  listsHere: 'Lists that are here',
  lists: 'Lists',
}

/** ColumnHead.tsx */
export const columnHead = {
  changeHowWorkedOut: 'Change how it is worked out',
  n7AprilDayFirst: '7 April (day first)',
  n4JulyMonthFirst: '4 July (month first)',
  sortList: 'Sort the list',
  thenBy: 'then by this',
  not: 'not by this',
  keptSoAsRows: 'Kept so as rows are added; the list’s own order comes back when nothing sorts it.',
  table: 'In the table',
  moveLeft: 'Move left',
  moveRight: 'Move right',
  hide: 'Hide',
  width: 'Width',
  copyColumn: 'Copy the column',
  deleteColumn: 'Delete the column',
  addressesWritten: 'the addresses that are written to',
  namesBesideAddresses: 'the names beside the addresses',
  namesEachPersonS: 'the names of each person’s own files',
  usedLetter: 'used in the letter',
  holds: (useWords: string) => `holds ${useWords}`,
  sortedDownwards: 'sorted downwards',
  sortedUpwards: 'sorted upwards',
  staysSight: 'stays in sight',
  z: 'A to Z',
  z2: 'Z to A',
  earliestFirst: 'earliest first',
  latestFirst: 'latest first',
  smallestFirst: 'smallest first',
  largestFirst: 'largest first',
  name: 'Name',
  fieldsLettersNotYet: 'Its fields in letters not yet posted follow.',
  renameColumn: 'Rename a column',
  kind: 'Kind',
  changeKind: 'Change a kind',
  n0704: '07/04 is',
  changeOrderDates: 'Change the order of dates',
  letScroll: 'Let it scroll',
  keepSight: 'Keep in sight',
  copyColumn2: 'Copy a column',
  deleteColumn2: 'Delete a column',
}

/** DerivedMark.tsx */
export const derivedMark = {
  workedOut: 'worked out',
}

/** Doubles.tsx */
export const doubles = {
  looking: 'Looking…',
  makeOneEach: 'Make one of each',
  backRows: 'Back to the rows',
  noTwoRowsHave: 'No two rows have the same address, or the same name with one address missing.',
  theyHaveMarkedRow: (why: string) =>
    `They have ${why}. The marked row is kept; its blanks are filled from the others.`,
  makeOneThem: 'Make one of them',
  blank: 'blank',
  rowsMadeOneUndo: (merged: number) => `${times(merged, 'set')} of rows made one. Undo takes it back.`,
  noDoubles: 'No doubles',
  severalRows: (all: number, name: string) => `${times(all, 'person', 'people')} on several rows of “${name}”`,
  everybodyStandsOnce: 'Everybody stands once',
}

/** FileOrPaste.tsx */
export const fileOrPaste = {
  reading: (name: string) => `Reading “${name}”…`,
  dropFileHereOr: 'Drop the file here, or',
  chooseFile: 'Choose a file',
  csvTsvTxtXlsx: '.csv, .tsv, .txt, .xlsx, .ods, or contact cards (.vcf)',
  readWhatPasted: 'Read what was pasted',
  cancel: 'Cancel',
  fileList: 'File with the list',
  orPasteCellsFrom: 'Or paste cells from a spreadsheet, or a run of addresses',
  adaPenroseAdaQuaymail: 'Ada Penrose <ada@quaymail.example>; Bram Tolland <bram@saltmail.example>',
  readingWhatPasted: 'Reading what was pasted…',
}

/** Found.tsx */
export const found = {
  nRows: (n: number) => times(n, 'row'),
  nColumns: (n: number) => times(n, 'column'),
  nMoreRows: (n: number) => times(n, 'more row'),
  whatFound: (fileName: string) => `What was found in “${fileName}”`,
  none: 'none',
  oneMoment: 'One moment…',
  cancel: 'Cancel',
  ofIt: (words: string, done: number, ofGiven: number) =>
    `${words}: ${done.toLocaleString('en-GB')} of ${ofGiven.toLocaleString('en-GB')}`,
  chooseAnotherFile: 'Choose another file',
  last: 'last',
  with: (columns: number) => `with ${times(columns, 'column')}.`,
  tableHas: 'The table has',
  oneRowHeadings: 'one row of headings',
  twoRowsHeadingsGroups: 'two rows of headings, groups above',
  noHeadings: 'no headings',
  rowReadsAsSomebody: (headingsRow: number, doubtfulHeading: string) =>
    `Row ${headingsRow + 1} reads as somebody’s own, not as headings. Is “${doubtfulHeading}” a heading?`,
  yesHeading: 'Yes, a heading',
  noThereNoHeadings: 'No, there are no headings',
  theyWanted: (hiddenWords: string) => `${hiddenWords} Are they wanted?`,
  datesCouldReadEither: (name: string, example: string) =>
    `The dates in “${name}” could be read either way round. Is ${example}`,
  columnsHoldAddressesWhich: (addressColumns: number) =>
    `${addressColumns} columns hold addresses. Which one are the letters sent to?`,
  noColumnLooksLike:
    'No column looks like email addresses. Check that the right row is taken for the headings; you can also choose the column later.',
  beginsRow: (headingsRow: number) => `and begins in row ${headingsRow + 1}.`,
  inIt: 'in',
  ifWrongClickRow: '. If that is wrong, click the row that has them.',
  comma: 'a comma',
  semicolon: 'a semicolon',
  tab: 'a tab',
  bar: 'a bar',
  utf16OtherWay: 'UTF-16, other way round',
  sheet: 'Sheet',
  nameList: 'Name of the list',
  datesFiguresAs: 'Dates and figures as in',
  separator: 'Separator',
  encoding: 'Encoding',
  quotationMark: 'Quotation mark',
  storing: 'Storing…',
  bring: (rowCount: number) => `Bring in ${times(rowCount, 'row')}`,
  bring2: 'Bring in',
  workbookHidesFilterLeaves: (hidden: string, left: string) =>
    `The workbook hides ${hidden}, and a filter in it leaves out ${left} more.`,
  workbookHides: (hidden: string) => `The workbook hides ${hidden}.`,
  filterWorkbookLeavesOut: (left: string) => `A filter in the workbook leaves out ${left}.`,
  rowHoldsHeadings: (r: number) => `Row ${r + 1} holds the headings`,
  headings: 'headings',
  rowLast: (r: number) => `Row ${r + 1} is the last`,
  headings2: 'Headings',
  row: (headEnd: number) => `row ${headEnd + 1}`,
  rows: (headingsRow: number, headEnd: number) => `rows ${headingsRow + 1} and ${headEnd + 1}`,
  bringThem: 'Bring them in',
  leaveThemOut: 'Leave them out',
  dayFirst: 'day first',
  monthFirst: 'month first',
  firstRows: 'First rows',
}

/** ListGrid.tsx */
export const listGrid = {
  clear: 'Clear',
  paste: 'Paste',
  cut: 'Cut',
  noRowsShow: 'No rows to show.',
  selected: (selectedCells: number, bottom: number, top: number) =>
    `${times(selectedCells, 'cell')} in ${times(bottom - top + 1, 'row')} selected`,
  hereRestWay: (rows: number, rowCount: number) =>
    `${rows.toLocaleString('en-GB')} of ${times(rowCount, 'row')} are here; the rest is on its way`,
  notCopiedYet: (rows: number) =>
    `${times(rows, 'row')} of what is selected ${rows === 1 ? 'is' : 'are'} still on the way, so nothing was copied.`,
  copyNow: 'What is selected is here now: copy it again.',
  tooMany: (most: number) =>
    `So many rows are not changed or copied by hand. Select at most ${most.toLocaleString('en-GB')} at a time; nothing was changed.`,
  rowComes: 'This row is still on its way. Write in it in a moment.',
  notFetched: (why: string) => `Some rows could not be fetched: ${why}`,
  fetchAgain: 'Try again',
  addedEnd: (fresh: number) => `${times(fresh, 'row was', 'rows were')} added at the end.`,
  hadNoPlaceThey: (beyond: number) =>
    `${times(beyond, 'value')} had no place: they would have stood beyond the last column, or in one that is worked out. Nothing else was lost.`,
  fillDown: 'Fill down',
  changeCell: 'Change a cell',
}

/** ListPanel.tsx */
export const listPanel = {
  replace: 'Replace',
  saveAs: 'Save as a file',
  columns: 'Columns',
  rows: 'Rows',
  addRow: 'Add a row',
  addRowBelowSelected: 'Add a row below the selected',
  copySelectedRows: 'Copy the selected rows',
  moveSelectedRowsUp: 'Move the selected rows up',
  moveSelectedRowsDown: 'Move the selected rows down',
  deleteSelectedRows: 'Delete the selected rows',
  addColumn: 'Add a column',
  addColumnWorkedOut: 'Add a column that is worked out…',
  show: (name: string) => `Show “${name}”`,
  workbookKeeps0071As:
    'A workbook keeps 0071 as it is. A CSV file does too, but spreadsheets open it as 71: bring it in as text there. Characters such as + at the beginning get an apostrophe, which is taken off again here.',
  hidden: (hidden: number) => `${times(hidden, 'column')} hidden`,
  fetchingRows: 'Fetching the rows…',
  previous: 'Previous',
  next: 'Next',
  replaceEverywhere: 'Replace everywhere',
  capitalsMatter: 'capitals matter',
  wholeCells: 'whole cells',
  rowsList: 'Rows of the list',
  newColumn: 'New column',
  copyRows: 'Copy rows',
  deleteRows: 'Delete rows',
  deletedFromList: (rows: number) => `${times(rows, 'row was', 'rows were')} deleted from the list.`,
  undo: 'Undo',
  moveRows: 'Move rows',
  list: 'The list',
  undoCtrlZ: (undo: string) => `Undo: ${undo}  Ctrl Z`,
  nothingUndo: 'Nothing to undo',
  redo: 'Redo',
  doAgainCtrlY: (redo: string) => `Do again: ${redo}  Ctrl Y`,
  nothingDoAgain: 'Nothing to do again',
  showColumn: 'Show a column',
  find: 'Find',
  findReplaceListCtrl: 'Find and replace in the list  Ctrl F',
  workbookXlsx: 'Workbook, .xlsx',
  workbookOds: 'Workbook, .ods',
  contactCardsVcf: 'Contact cards, .vcf',
  addWorkedOutColumn: 'Add a worked-out column',
  changeHowColumnWorked: 'Change how a column is worked out',
  doesNotStandList: (find: string) => `“${find}” does not stand in the list.`,
  standsElsewhere: (find: string) => `“${find}” stands only in rows that are not shown here.`,
  replaced: (find: string, cells: number) => `“${find}” was replaced in ${times(cells, 'cell')}.`,
  findList: 'Find in the list',
  putPlace: 'Replace with',
  closeSearch: 'Close the search',
}

/** ListScreen.tsx */
export const listScreen = {
  rounds: 'Its rounds',
  nRows: (n: number) => times(n, 'row'),
  nColumns: (n: number) => times(n, 'column'),
  lists: 'Lists',
  update: 'Update it',
  lookDoubles: 'Look for doubles',
  listCannotShown: 'This list cannot be shown',
  list: 'List',
  nameList: 'Name of the list',
}

/** makeFrom.tsx */
export const makeFrom = {
  nContacts: (n: number) => times(n, 'contact'),
  email: 'Email',
  groupsAddressBook: 'Groups of the address book',
  notUsed: 'not used',
  with: 'with',
  without: 'without',
  makeList: 'Make the list',
  peopleEarlierRound: 'People of an earlier round',
  thoseOneTheseOutcomes: 'Those with one of these outcomes:',
  chose: (choice: string) => `chose “${choice}”`,
  yourWord: (word: string) => `“${word}”`,
  emptyList: 'An empty list',
  typePeople: 'Type the people in',
  orFillSampleTable: 'Or fill in a sample table:',
  contactGroups: 'Contact groups',
  earlierRound: 'An earlier round',
  rounds: 'Rounds',
  newList: 'New list',
  firstName: 'First name',
  lastName: 'Last name',
}

/** PeopleScreen.tsx */
export const peopleScreen = {
  refusedShows: ['The address', 'Why it is not written to', 'Since when'],
  noRoundWritesThese: 'No round writes to these addresses, whatever list they stand in.',
  putSomebodyHereWho: 'Put somebody here who asked not to be written to.',
  takeOffList: 'Take off the list',
  lists: 'Lists',
  addressBook: 'Address book',
  doNotWriteList: 'Do-not-write list',
  people: 'People',
  nobody: 'Nobody is on it',
}

/** recipeForms.tsx */
export const recipeForms = {
  nDecimals: (n: number) => times(n, 'decimal'),
  where: 'Where',
  columnGone: 'a column that is gone',
  addPart: 'Add a part',
  write: 'write',
  takeCaseAway: 'Take this case away',
  addCase: 'Add a case',
  otherwiseWrite: 'otherwise write',
  asComesAmountsTwo: 'as it comes; amounts to two decimals',
  later: 'later',
  earlier: 'earlier',
  daysOffBesidesWeekends: 'Days off besides weekends',
  ofIt: 'of',
  as: 'as',
  outcome: 'the outcome',
  outcomeWord: 'the outcome word',
  choice: 'the choice',
  repliedAt: 'when they answered',
  filesBack: 'how many files they sent back',
  chased: 'how often they were chased',
  whatOfIt: 'What of it',
  ofRound: 'of the round',
  round: 'Round',
  noRoundYet:
    'No round to this list has been posted yet. When one has, its outcomes can stand here and be used in rules.',
  thereNoOtherList: 'There is no other list yet. Bring one in at People first.',
  lookList: 'Look in the list',
  chooseOne: 'choose one',
  rowWhose: 'for the row whose',
  rowS: 'is this row’s',
  write2: 'and write its',
  workingDays: 'working days',
  firstWord: 'the first word',
  lastWord: 'the last word',
  firstLetters: 'the first characters',
  lastLetters: 'the last characters',
  whatStandsBefore: 'what stands before',
  whatStandsAfter: 'what stands after',
  eachWordCapital: 'Each Word With A Capital',
  firstLetterCapital: 'The first letter a capital',
  allCapitals: 'ALL CAPITALS',
  allSmallLetters: 'all small letters',
  theseWords: 'these words:',
  words: (label: string) => `${label}: words`,
  figure: 'this figure:',
  figure2: (label: string) => `${label}: figure`,
  part: (i: number) => `Part ${i + 1}`,
  takePartAway: (i: number) => `Take part ${i + 1} away`,
  betweenThem: 'Between them',
  leftOutBesidePart: 'Left out beside a part that is blank.',
  space: 'a space',
  comma: 'a comma',
  hyphen: 'a hyphen',
  slash: 'a slash',
  semicolon: 'a semicolon',
  elseWhere: 'Else, where',
  caseIt: (i: number) => `Case ${i + 1}`,
  otherwise: 'Otherwise',
  firstFigure: 'First figure',
  whatWorkedOut: 'What is worked out',
  secondFigure: 'Second figure',
  rounded: 'Rounded to',
  wholeFigures: 'whole figures',
  date: 'Date',
  howMany: 'How many',
  unit: 'Unit',
  whichWay: 'Which way',
  takeAway: (dayWords: string) => `Take ${dayWords} away`,
  addDayOff: 'Add a day off',
  whichPart: 'Which part',
  howManyLetters: 'How many characters',
  sign: 'The character',
  column: 'Column',
  capitals: 'Capitals',
  list: 'List',
  columnThere: 'Column there',
  columnHere: 'Column here',
  whatWritten: 'What is written',
}

/** RecipeSheet.tsx */
export const recipeSheet = {
  resultFirstPeople: 'Result for the first people',
  nothingYetSomethingAbove: 'Nothing yet: something above is still to be filled in.',
  blank: 'blank',
  anotherColumnAlreadyHas: 'Another column already has this name.',
  finishRuleOrTake: 'Finish this rule, or take it away.',
  howWorkedOut: (name: string) => `How “${name}” is worked out`,
  columnWorkedOut: 'A column that is worked out',
  changeColumn: 'Change the column',
  addColumn: 'Add the column',
  nameColumn: 'Name of the column',
  fieldLetterCalledSame: 'Its field in the letter is called the same.',
  fullName: 'Full name',
  whatDone: 'What is done',
  example: (words: string) => `For example: ${words}.`,
  sample: 'Sample',
  worksEveryRow: 'It works for every row.',
  listCannotWorkedOut: (faults: number) =>
    `${times(faults, 'cell')} of the list cannot be worked out; each says why in the table.`,
}

/** RefuseForm.tsx */
export const refuseForm = {
  putList: 'Put on the list',
  putDoNotWrite: 'Put on the do-not-write list',
  noRoundWillWrite: 'No round will write to this address, and what waits for it now is set aside.',
  noAddress: (fault: string) => `It is not an address: ${fault}.`,
  waitingSetAside: (setAside: number) =>
    `${times(setAside, 'letter')} waiting for it ${verb(setAside, 'was', 'were')} set aside.`,
  why: 'Why',
  askedTelephone: 'asked by telephone',
  address: 'Address',
  writeNoMore: (address: string) => `Write no more to ${address}?`,
}

/** RuleSet.tsx */
export const ruleSet = {
  allTheseHold: 'all of these hold:',
  anyTheseHolds: 'any of these holds:',
  addRule: 'Add a rule',
  addSetRules: 'Add a set of rules',
  columnGone: 'a column that is gone',
  howManyRulesMust: 'How many rules must hold',
  removeSet: 'Remove this set',
  column: 'Column',
  comparison: 'Comparison',
  removeRule: 'Remove this rule',
}

/** RuleValue.tsx */
export const ruleValue = {
  nRows: (n: number) => times(n, 'row'),
  nContacts: (n: number) => times(n, 'contact'),
  chosen: ', chosen,',
  done: 'Done',
  and: 'and',
  numberDays: 'Number of days',
  valuesSeparatedSemicolons: 'Values, separated by semicolons',
  chooseValues: 'Choose values',
  value: 'Value',
  valueOtherEnd: 'Value at the other end',
  chooseValue: 'Choose a value',
  searchValues: 'Search the values',
  valuesCannotShownJust: 'The values cannot be shown just now. Type one instead.',
  fetchingValues: 'Fetching the values…',
  nothingStandsColumn: 'This column is blank.',
  noValueContains: 'No value contains that.',
  firstValuesSearchOthers: (offered: number, different: number) =>
    `The first ${offered} of ${different.toLocaleString('en-GB')} values; search for others.`,
  blank: (blank: number) => `Blank in ${times(blank, 'row')}.`,
  yesOrNo: 'yes or no?',
  group: 'Group',
  chooseGroup: 'choose a group',
  groupGone: 'a group that is gone',
}

/** Senders.tsx */
export const senders = {
  added: (added: number, known: number) =>
    `${times(added, 'contact was', 'contacts were')} added${known > 0 ? `, ${known} known already` : ''}.`,
  whoWroteMailbox: 'Who wrote to the mailbox',
  days: (n: number) => `${n} days`,
  lookingIntoInbox: 'Looking into the inbox…',
  inboxHasNoneThese: 'The inbox has none of these days with these words.',
  keptOut: (keptOut: string) => `kept out: ${keptOut}`,
  take: (people: number) => `Take ${times(people, 'sender')}`,
  notNow: 'Not now',
  domainKeptOut: 'domain kept out',
  mailbox: 'Mailbox',
  last: 'In the last',
  theseWords: 'With these words',
  domainsKeptOut: 'Domains kept out',
  quaymailExample: 'quaymail.example',
  noMessages: 'No messages',
  messages: 'Messages',
  intoGroup: 'Into the group',
  none: 'none',
}

/** TakeFoot.tsx */
export const takeFoot = {
  notNow: 'Not now',
}

/** UpdateList.tsx */
export const updateList = {
  update: (name: string) => `Update “${name}”`,
  giveNewerTableRows:
    'Choose the newer table: its rows are matched with those here by a column that tells people apart. Before anything changes you see who is new, changed and gone. Whoever has had a letter keeps having had it.',
  compareGroups: 'Compare with its groups',
  notNow: 'Not now',
  beside: (name: string, words: string) => `“${name}” beside ${words}`,
  surestColumn: 'the surest column',
  giveAnotherTable: 'Choose another table',
  comparing: 'Comparing…',
  asTheyWere: (unchanged: number) => `, ${unchanged.toLocaleString('en-GB')} as they were.`,
  newChangedGone: (added: number, changed: number, gone: number) =>
    `${added.toLocaleString('en-GB')} new, ${changed.toLocaleString('en-GB')} changed, ${gone.toLocaleString('en-GB')} gone`,
  more: (unmatched: number) => `And ${unmatched - 5} more.`,
  newerTableHasNo: (join: string) => `The newer table has no ${join}: what stands there stays.`,
  all: (words: string) => `${words}: all`,
  more2: (lines: number, maxLines: number) => `And ${(lines - maxLines).toLocaleString('en-GB')} more.`,
  groupsAsTheyNow: 'the groups as they are now',
  rowsMatched: 'Rows are matched by',
  surest: ', the surest',
  listUpdated: 'The list was updated.',
  undo: 'Undo',
  newColumns: 'New columns',
  take: 'add',
  newIt: 'New',
  take2: 'add',
  changed: 'Changed',
  takeOver: 'change',
  goneFromNewerTable: 'Gone from the newer table',
  takeOutList: 'take out of the list',
  takingOver: 'Making the changes…',
  nothingChosen: 'Nothing is chosen',
  takeOverWhatChosen: 'Make the chosen changes',
  becomes: 'becomes',
}

/** CellInput.tsx */
export const cellInput = {
  altOpensCalendar: 'Alt ↓ opens the calendar',
  calendarRow: (name: string, number: number) => `Calendar for ${name}, row ${number}`,
}

/** GridHead.tsx */
export const gridHead = {
  row: 'Row',
  columnGone: 'a column that is gone',
}

/** GridRow.tsx */
export const gridRow = {
  cannotWorkedOutHere: (name: string, fault: string) => `“${name}” cannot be worked out here: ${fault}.`,
  selectRow: 'Select the row',
}

/** moveColumns.tsx */
export const moveColumns = {
  pressMPickColumn:
    'Press M to pick the column up. The left and right arrows move it, M, Enter or Space drops it, Escape puts it back.',
  wouldStand: (name: string) => `It would be placed at ${name}.`,
  pickedUpWouldStand: (name: string) => `${name} is picked up, and would be placed where it was.`,
  laidDown: (name: string, name2: string) => `${name} is dropped at ${name2}.`,
  staysWhere: (name: string) => `${name} stays where it was.`,
}

/** useColumns.ts */
export const useColumns = {
  moveColumn: 'Move a column',
  hideColumn: 'Hide a column',
  keepColumnSight: 'Keep a column in sight',
  changeWidth: 'Change a width',
  sortNoLonger: 'Stop sorting',
  sort: 'Sort',
}

/** useSelection.ts */
export const useSelection = {
  rowOrColumnYou: (slice: string) =>
    `The row or column that you were writing to was taken out of the list elsewhere. “${slice}” was not kept.`,
}
