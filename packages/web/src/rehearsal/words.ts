// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { sentence, sizeWords, some, times } from '@hand-post/core'
import { moment } from '../shared/moment.ts'

/** RehearsalScreen.tsx */
export const rehearsalScreen = {
  nLetters: (n: number) => times(n, 'letter'),
  onPaper: (n: number) =>
    `${times(n, 'more letter goes', 'more letters go')} by paper post: look at ${n === 1 ? 'it' : 'them'} as PDF at Proof, “All messages…”.`,
  proof: 'Proof',
  rehearsal: (title: string) => `Rehearsal of “${title}”`,
  clearAway: 'Clear it away',
  rehearseAgain: 'Rehearse again',
  leavingPageStopsNothing: 'Leaving this page stops it, and nothing of it is kept.',
  stop: 'Stop',
  rehearse: (letters: string) => `Rehearse ${letters}`,
  rehearsedNobodyGotAnything: (at: number) => `. Rehearsed ${moment(at)}; nobody got anything.`,
  roundHasBeenChanged: 'The round has been changed since. What you read here is as it was then: rehearse again.',
  proofHasStillSettle: (open: number) =>
    `The proof has ${times(open, 'thing')} still to settle, so this is not yet what will leave.`,
  settleThem: 'Settle them',
  wouldNotLeave: (refused: number) => `${times(refused, 'letter')} would not leave:`,
  noInboxHasAddress: 'No inbox has that in its address.',
  whatSees: (ownerOf: string) => `What ${ownerOf} sees`,
  ofIt: (max: number, found: number) => `${(max + 1).toLocaleString('en-GB')} of ${found.toLocaleString('en-GB')}`,
  came: (at: number) => `Came in ${moment(at)}`,
  rehearsalCannotShown: 'The rehearsal cannot be shown',
  rehearsalClearedAway: 'The rehearsal was cleared away.',
  lettersPracticeMailbox: (done: number, ofGiven: number) =>
    `${done.toLocaleString('en-GB')} of ${ofGiven.toLocaleString('en-GB')} letters are with the practice mailbox…`,
  makingEveryLetter: 'Making every letter…',
  rehearsing: 'Rehearsing',
  nothingRehearsedYet: 'Nothing is rehearsed yet',
  wholeRoundGoesPractice:
    'The whole round goes to the practice mailbox on this machine: every letter with its files, at its time. You then look into each inbox as its owner would. Nobody gets anything, and nothing else changes.',
  roundPostedSoThere: 'This round is posted, so there is nothing to rehearse any more.',
  arrived: (messages: number) => `${sentence(some(messages, messages, 'letter'))} arrived`,
  arrived2: (taken: number, messages: number) => `${some(taken, messages, 'letter')} arrived`,
  asTheyWouldLeave: (first: number, last: number | null, rehearsal: number) =>
    ` as they would leave: ${first === last ? moment(first) : `${moment(first)} to ${moment(last)}`}, ${sizeWords(rehearsal)} in all`,
  somebodyWithoutName: 'Somebody without a name',
  inboxes: 'Inboxes',
  findInbox: 'Find an inbox',
  findOne: (inboxes: number) => `Find one of ${times(inboxes, 'inbox', 'inboxes')}`,
  whoseInbox: 'Whose inbox',
  copiesOnly: 'copies only',
  inbox: 'Inbox',
  previousInbox: 'Previous inbox',
  nextInbox: 'Next inbox',
  inboxCannotLookedInto: 'This inbox cannot be looked into',
  lettersInbox: 'Letters in the inbox',
  files: 'with files',
  messageCannotRead: 'This message cannot be read',
}
