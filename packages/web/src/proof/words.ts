// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { sentence, some, times, verb } from '@hand-post/core'
/** The words of the proof. */
export const words = {
  /** Of what a search has found, only that is accepted. */
  acceptAll: (n: number, searched: boolean) => (searched ? `Accept these ${n}` : `Accept all ${n}`),
}

/** AllMessages.tsx */
export const allMessages = {
  allMessages: 'All messages…',
  ofIt: (words: string, done: number, ofGiven: number) =>
    `${words}: ${done.toLocaleString('en-GB')} of ${ofGiven.toLocaleString('en-GB')}…`,
  sentHandFromYour:
    'To be sent by hand from your mail program. Nobody gets a second draft; opens and clicks are not counted.',
  putThereSentFrom: (drafts: number, sent: number) =>
    `${times(drafts, 'draft was', 'drafts were')} put there, ${sent} sent from there.`,
  lookAgain: 'Look again',
  asOnePdf: 'As one PDF',
  personPageTheirFiles: 'A person a page, with their files listed: to read and sign off on paper.',
  asMailboxFile: 'As a mailbox file',
  everyMessageExactlyAs: 'Every message exactly as it leaves, files included (.mbox): for any mail program.',
  mailboxNowNothingSent: (n: number) => `${times(n, 'draft lies', 'drafts lie')} in the mailbox now. Nothing was sent.`,
  takenOutMailbox: (taken: number) => `${times(taken, 'draft was', 'drafts were')} taken out of the mailbox.`,
  notFoundThereSent: (missing: number) =>
    `${times(missing, 'other was', 'others were')} not found there: sent, deleted or changed in the mail program. The proof goes on asking about ${verb(missing, 'it', 'them')}.`,
  puttingThemThere: 'Putting them there…',
  asDraftsMailbox: 'As drafts in the mailbox',
  takingThemAway: 'Taking them away…',
  takeAwayAgain: (sent: number, drafts: number) => `Take ${sent === 0 && verb(drafts, 'it', 'them')} away again`,
}

/** ProofStage.tsx */
export const proofStage = {
  takeFileBack: (file: string) => `Take “${file}” back`,
  give: (file: string) => `Give “${file}”`,
  take: (value: string) => `Take “${value}”`,
  messagesFrozenWhatEach: 'Its messages are frozen. What each person gets stands beside, as it was posted.',
  seeDispatch: 'See its dispatch',
  asSoonAsThere: 'As soon as there are people and a letter, every message is made and checked here, not a sample.',
  bringList: 'Bring in a list',
  rehearse: 'Rehearse…',
  everyMessageRoundMade:
    'Every message of the round was made and checked. Read a few beside this, rehearse it, or send yourself a copy before you post.',
  goDispatch: 'Go on to dispatch',
  showOther: (findings: number, shownAtFirst: number) => `Show the other ${findings - shownAtFirst}`,
  accepted: (accepted: string) => `Accepted: “${accepted}”`,
  accept: 'Accept',
  takeBack: 'Take it back',
  writeNothingAllThem: 'Write nothing for all of them, and close up the space',
  change: 'Change it',
  mustSettled: 'must be settled',
  wantsYourWord: 'wants your word',
  know: 'to know',
  roundProofedBeforePosted: 'This round was proofed before it was posted',
  nothingProofYet: 'Nothing to proof yet',
  proofBrokeOff: 'The proof broke off',
  makingCheckingEveryMessage: 'Making and checking every message…',
  madeChecked: (people: number) => `${times(people, 'message')} made and checked.`,
  first100MessagesChecked: 'The first 100 messages are checked.',
  othersTheirWay: (sofar: string) => `The others are on their way${sofar ? `: ${sofar}` : ''}…`,
  nothingLeftSettle: 'Nothing is left to settle.',
  nothingLeftSettleBut: (unread: number) =>
    `Nothing is left to settle but ${times(unread, 'file')} still to be examined.`,
  mustSettled2: (stops: number) => `${stops} must be settled`,
  yourWord: (asks: number) => `${asks} ${verb(asks, 'wants', 'want')} your word`,
  nothingSettle: 'Nothing to settle',
  showPersonSMessage: 'Show this person’s message',
  whyRightAs: 'Why is it right as it is?',
  reasonKeptRound: 'The reason is kept with the round.',
  theyShareMailbox: 'They share a mailbox',
  goPeople: 'Go to People',
  goLetter: 'Go to the letter',
  goEnclosures: 'Go to Enclosures',
  goDispatch2: 'Go to Dispatch',
  undo: 'Undo',
  cellChanged: 'The cell was changed.',
  setAside: 'Set aside',
  foundProof: 'found by the proof',
  setAsidePersonGets: 'Set aside: this person gets no message.',
  swapEverywhere: (to: string) => `Swap it for “${to}” everywhere`,
  swapped: (from: string, to: string) => `“${from}” was swapped for “${to}”.`,
  putFieldPlace: (to: string) => `Put the field “${to}” in its place`,
  swapped2: (mark: string, to: string) => `“${mark}” was swapped for “${to}”.`,
  nameRowChanged: 'The name in the row was changed.',
  holdsAllThem: 'That holds for all of them.',
  given: (file: string) => `“${file}” was given.`,
  takenBack: (file: string) => `“${file}” was taken back.`,
  takeOut: 'Take it out',
  makeFilesNow: 'Make the files now',
  made: (made: number) => `${times(made, 'file was', 'files were')} made.`,
  noFilesLetter: 'No files with this letter',
  nobodyGetsFileTheir: 'Nobody gets a file of their own.',
  nothingWrittenWhereBlank: (column: string) => `Nothing is written where “${column}” is blank.`,
  orTheseWordsAll: 'Or these words for all of them',
  writtenWhereBlank: (text: string, column: string) => `“${text}” is written where “${column}” is blank.`,
}

/** ReadingSet.tsx */
export const readingSet = {
  choosing: 'Choosing what to read…',
  shows: (person: string, read: boolean, join: string) => `${person} ${read ? '(read)' : ''} shows: ${join}.`,
  read: 'read',
  onlyMessage: 'it is the only message',
  theseAllMessages: 'these are all messages',
  youHaveSeenEvery: (people: number) => `you have seen every variation of all ${people.toLocaleString('en-GB')}`,
  readingSet: 'Reading set',
  readingSetRead: (set: number, whole: string) =>
    `${sentence(some(set, set, 'message'))} of the reading set ${verb(set, 'is', 'are')} read: ${whole}.`,
  readTheseRead: (set: number, whole: string, left: number) =>
    `Read ${set === 1 ? 'this one' : `these ${set}`} and ${whole}. ${set - left} read.`,
  readLast: 'Read: that was the last',
  readNext: 'Read; next',
  beginRead: 'Begin to read',
  copiesAllMe: (set: number) => `Copies of ${set === 1 ? 'it' : `all ${set}`} to me…`,
  hideThem: 'Hide them',
  showThem: 'Show them',
  read2: 'to read',
}
