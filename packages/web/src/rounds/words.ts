// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import type { Life } from '@hand-post/contract'
import { times, verb } from '@hand-post/core'
import { sum } from 'd3-array'
import { daySpan, moment } from '../shared/moment.ts'

/** The words of the round that is open, and of rounds as they are listed. */
export const lifeChart = {
  life: ({ from, to, gone, toGo, answered }: Life): string => {
    const [went, left, came] = [sum(gone), sum(toGo), sum(answered)]
    const parts = [
      `${times(went, 'letter')} sent`,
      left > 0 && `${left.toLocaleString('en-GB')} to go`,
      `${times(came, 'person has answered', 'people have answered')}`,
    ]
    return `${daySpan(from, to)}: ${parts.filter(Boolean).join(', ')}`
  },
}

/** FindPerson.tsx */
export const findPerson = {
  leftOut: (plainly: string) => `Left out: ${plainly}`,
  nobodyListHasTheir: (trim: string) => `Nobody in the list has “${trim}” in their row.`,
  looking: 'Looking…',
  notRound: 'not in this round',
  findPerson: 'Find a person',
}

/** MessageFrame.tsx */
export const messageFrame = {
  pictureWithoutWords: 'a picture without words',
  message: 'Message',
}

/** MessagePane.tsx */
export const messagePane = {
  noAddress: 'no address',
  asSoonAsThere: 'As soon as there is a list and a letter, you see here what each person gets, as you type.',
  personGetsNoMessage: 'This person gets no message.',
  doesNotWait: 'does not wait',
  notAmended: 'This person’s letter does not wait any more, so it stays as it was posted.',
  showFirstWhoDoes: 'Show the first who does',
  iHaveReadMessage: 'I have read this message',
  read: (read: number, chosen: number) => `${read.toLocaleString('en-GB')} of ${chosen.toLocaleString('en-GB')} read`,
  sent: (sentAt: number | null) => `Sent ${moment(sentAt)}`,
  sendOnceMore: 'Send once more…',
  sendOnceMore2: 'Send it once more',
  hasHadLetterTimes: (person: string, sent: number, sentAt: number | null, address: string) =>
    `${person} has had this letter ${sent === 1 ? 'already' : `${sent} times already`}, last on ${moment(sentAt)}. The very same letter goes to ${address} once more, and cannot be called back. Nobody else gets anything.`,
  oneMoment: 'One moment…',
  messageStandsHere: 'The message is shown here',
  message: 'Message',
  ofIt: (at: number, chosen: number) => `${(at + 1).toLocaleString('en-GB')} of ${chosen.toLocaleString('en-GB')}`,
  notRound: 'not in this round',
  nobodyShow: 'Nobody to show',
  listHasNoRows: 'The list has no rows.',
  chooseRow: 'Choose a row.',
  firstPerson: 'First person',
  altShift: 'Alt Shift ↑',
  previousPerson: 'Previous person',
  nextPerson: 'Next person',
  lastPerson: 'Last person',
  altShift2: 'Alt Shift ↓',
  letterGoesOnceMore: (person: string) => `The letter goes to ${person} once more.`,
  timesAll: (sent: number) => `, ${sent} times in all`,
  onceMoreWay: ', and once more on its way',
  sendSameLetterAgain: (person: string) => `Send ${person} the same letter again?`,
  copyMe: 'Copy to me…',
}

/** MessageSheet.tsx */
export const messageSheet = {
  ownAddress: '(an address of the message’s own)',
  noSource: 'The message cannot be shown as it goes over the line just now.',
  from: 'From',
  answers: 'Answers to',
  byPaperPost: 'By paper post to',
  noPostalAddress: 'no postal address',
  to: 'To',
  seenNobody: '(seen by nobody)',
  subject: 'Subject',
  noneYet: 'none yet',
  files: 'Files',
  notThere: (name: string) => `not there: ${name}`,
  size: 'Size',
  keepAsEml: 'Keep as .eml',
  look: (changed: boolean) => `Look${changed ? '*' : ''}`,
  asWideAsHere: 'as wide as here',
  n375Telephone: '375, a telephone',
  n600MailProgram: '600, a mail program',
  letter: 'Letter',
  plainText: 'Plain text',
  source: 'Source',
  bcc: 'Bcc',
  asEncodedEstimatedFrom: 'As encoded, estimated from above',
  asEncoded: 'As encoded',
  keepMessageAsFile: 'Keep this message as a file, exactly as it goes over the line',
  messageAsPlainText: 'Message as plain text',
  messageAsSource: 'Message as source',
  showMessageAs: 'Show the message as',
  restFilesKeepAs: (slice: string) => `${slice}
… (the rest is the files; “Keep as .eml” has all of it)`,
  oneMoment: 'One moment…',
  lookedOtherwiseThanPlainly: 'Not shown quite as it comes',
  widthReaderSWindow: 'Width of the reader’s window',
  dark: 'In dark mode',
  picturesOff: 'Pictures off',
  fieldsTinted: 'Fields tinted',
}

/** NewAddress.tsx */
export const newAddress = {
  mustBeFilledIn: 'This must be filled in.',
  oneDidNotTake: 'it is the one that did not take the letter',
  willNotDo: (address: string, fault: string) => `“${address}” will not do: ${fault}.`,
  newAddress: (person: string) => `New address of ${person}`,
  letterGoes: (person: string, address: string) => `The letter goes to ${person} at ${address}.`,
  newAddressList: 'New address in the list',
  anotherAddress: 'Another address',
  sendNewAddress: 'Send to the new address',
}

/** PeopleStage.tsx */
export const peopleStage = {
  update: 'Update it',
  takeAnotherList: 'Take another list',
  fromBringing: (said: number) => `${times(said, 'remark')} from bringing it in`,
  more: (data: number) => `And ${(data - 2000).toLocaleString('en-GB')} more.`,
  columnsHoldAddressesWhich: (perhapsAddresses: number) =>
    `${perhapsAddresses} columns hold addresses. Which one are the letters sent to?`,
  whichColumnHasPeople: 'Which column has the people’s names, to stand beside their addresses?',
  anotherColumn: 'another column…',
  noneAddressAlone: 'None: the address alone',
  letterCanShowRows: 'The letter can show the rows as a table: “Table of rows” at Letter.',
  whoGetsLetter: 'Who gets this letter?',
  allRows: 'All rows',
  byPaperPost: 'By paper post',
  round: 'In the round',
  leftOut: 'Left out',
  rowsShow: 'Rows to show',
  leftOutWhy: 'Left out, and why',
  oneMessageAllRows: 'One message with all its rows',
  messageEachRow: 'A message for each row',
  onlyFirstRow: 'Only the first row',
  usedUntilYouSay: ', used until you say',
  firstRowHas: (example: string) => `The first row has “${example}”`,
  anotherColumn2: 'Another column',
  severalRowsWhatShould: (doubled: number) =>
    `${times(doubled, 'address stands', 'addresses stand')} on several rows. What should such a mailbox get?`,
  whereAddressStandsSeveral: 'Where an address stands on several rows:',
}

/** RoundContext.tsx */
export const roundContext = {
  whatYouChangedLast: 'What you changed last could not be written to the desk, so nothing was made of it.',
  changeCell: 'Change a cell',
}

/** RoundLines.tsx */
export const roundLines = {
  allOnPaper: (n: number) => `${times(n, 'letter')} by paper post`,
  toPrint: (n: number) => `${n} to be printed`,
  toBePrinted: 'to print',
  draft: 'draft',
  held: 'held',
  finished: 'finished',
  peopleIn: (people: number, list: string) => `${times(people, 'person', 'people')} in “${list}”`,
  heldOf: (went: string, left: number) => `${went}, ${left} held`,
  refused: (n: number) => `${n} refused`,
  withdrawn: (n: number) => `${n} withdrawn`,
  replied: (n: number) => `, ${n} replied`,
  bounced: (n: number) => `, ${n} bounced`,
  noListYet: 'No list yet',
  sent: (sent: number, all: number) => `${sent} of ${times(all, 'letter')} sent`,
  goUntil: (went: string, left: number, lastAt: number | null) =>
    `${went}, ${left} to go${lastAt === null ? '' : ` until ${moment(lastAt)}`}`,
  doubt: (inDoubt: number) => `${inDoubt} in doubt`,
  doubt2: 'in doubt',
  underWay: 'under way',
  sent2: (sent: number, all: number) => `${sent} of ${all} sent`,
}

/** RowsTable.tsx */
export const rowsTable = {
  notChased: 'settled',
  notChasedWhy: 'Has no letter of the round that this one chases, or what the chaser is for is done',
  onPaper: 'on paper',
  byPaperPost: 'Gets the letter by paper post. Click to set this person aside.',
  putSelectedOnPaper: 'Put the selected rows on paper',
  takeSelectedOffPaper: 'Send the selected rows a message again',
  byHand: 'by hand',
  round: 'In this round',
  useAddresses: 'Use it for the addresses',
  useNames: 'Use it for the names',
  addNames: 'Add it to the names',
  setAside: 'Set aside',
  rule: 'by rule',
  leftOutYourRules: 'Left out by your rules.',
  setAside2: 'set aside',
  clickTakeBack: 'Click to take back.',
  doNotWrite: 'do not write',
  doNotWriteList: 'On the do-not-write list; no round writes to it.',
  goesMessageEarlierRow: 'Goes with the message of an earlier row of the same address.',
  had: 'had it',
  earlierRowSameAddress: 'An earlier row of the same address has the message.',
  cameLate: 'came late',
  roundButWithoutMessage: 'In the round, but without a message yet.',
  setAside3: (get: string | undefined, open: boolean, why: string) =>
    `Set aside${get ? `: ${get}` : ''}. ${open ? why : ''}`,
  roundClickSetAside: 'In this round. Click to set aside.',
  round2: 'In this round.',
  included: 'Included',
  namesNoFiles: 'It names no files',
  useEachPersonS: 'Use it for each person’s own files',
  setSelectedRowsAside: 'Set the selected rows aside…',
  hand: 'by hand',
  setAside4: (rows: number) => `Set ${times(rows, 'person', 'people')} aside?`,
  why: 'Why',
  keptRoundTheirRows: 'Kept with the round. Their rows stay in the list.',
}

/** Rules.tsx */
export const rules = {
  savedRules: 'Saved rules',
  rules: 'Rules',
  onlyPeopleWhom: 'Only people for whom',
  everybodyListButThose: 'Everybody in the list, but those set aside.',
  groupGone: 'a group that is gone',
  chosenEverybodyListBut: 'Chosen: everybody in the list, but those set aside.',
  chosenPeopleWhom: (words: string) => `Chosen: people for whom ${words}.`,
  forget: (name: string) => `Forget ${name}`,
  nameTheseRules: 'Name for these rules',
  save: 'Save',
}

/** SendCopies.tsx */
export const sendCopies = {
  goYouOnlyReal: (rowIds: number) =>
    `${rowIds === 1 ? 'The message goes' : `${times(rowIds, 'message')} go`} to you only, with the real files. A line on top says to whom the real ${verb(rowIds, 'one goes', 'ones go')}.`,
  copiesWayNobodyElse: (sent: number, to: string) =>
    `${sent === 1 ? 'A copy is' : `${sent} copies are`} on ${verb(sent, 'its', 'their')} way to ${to}. Nobody else gets anything.`,
  whichYourAddresses: 'To which of your addresses?',
  sending: 'Sending…',
  sendCopy: 'Send the copy',
  sendCopies: (rowIds: number) => `Send ${rowIds} copies`,
}

/** StartRound.tsx */
export const startRound = {
  startRound: 'Start a round with it',
  startRound2: 'Start a round',
  whatRoundAbout: 'What is this round about?',
  onlyYouSeeTitle: 'Only you see this title.',
  seasonPermits: 'Season permits',
  fromWhichMailbox: 'From which mailbox?',
  startRound3: 'Start the round',
  startPeople: 'Start with the people',
}
