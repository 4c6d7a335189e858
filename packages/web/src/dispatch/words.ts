// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import type { Round } from '@hand-post/contract'
import { listed, times, verb } from '@hand-post/core'
import { fromUntil, moment } from '../shared/moment.ts'
/** DispatchStage.tsx */
export const dispatchStage = {
  timetableDrawnAsSoon: 'The timetable is drawn as soon as there are people.',
  calendar: 'These days for your calendar (.ics)',
  bringList: 'Bring in a list',
  timetable: 'Timetable',
  mayWriteRecipients: (
    name: string,
    perDay: number,
    calendar: boolean,
    perMinute: number,
    allowance: number,
    timeZone: string,
  ) =>
    `${name} may write to ${perDay.toLocaleString('en-GB')} recipients ${calendar ? 'a day' : 'in any 24 hours'}, at most ${times(perMinute, 'message')} a minute; just now ${allowance.toLocaleString('en-GB')} more. Times are those of ${timeZone}.`,
  nothingPostedLookWhether: (notWritten: string) =>
    `Nothing was posted. ${notWritten} Look whether Hand Post still runs, then try again.`,
  goProof: 'Go to the proof',
  post: (n: number, paper: number) => `Post ${times(n + paper, 'letter')}`,
  onPaper: (paper: number, notPrinted: number) =>
    `${paper.toLocaleString('en-GB')} by paper post: to be printed after posting, and not counted in what the mailbox may send.${notPrinted > 0 ? ` ${times(notPrinted, 'file')} behind them must be printed by hand.` : ''}`,
  allOnPaper: 'No message leaves: every letter goes by paper post.',
  whatPostedFrozenCannot:
    'What is posted is frozen, and cannot be called back once it has left. You are asked once more.',
  lookFirst: 'Look at this first',
  from: 'From',
  more: (many: string) => `and ${many} more`,
  copy: (address: string) => `${address}, a copy`,
  ofIt: (address: string, letters: number) => `${address}, of ${times(letters, 'letter')}`,
  moreAsProofShows: (accepted: number, maxNamed: number) => `and ${accepted - maxNamed} more, as the proof shows`,
  whatHasNotLeft: 'What has not left yet can be held or withdrawn at any time. What has left cannot.',
  nothingSendYet: 'Nothing to send yet',
  timetableCannotDrawn: 'The timetable cannot be drawn',
  nothingLeavesUntilMailbox: 'Nothing leaves until the mailbox is working again: ',
  mailboxWaitsUntil: (pausedUntil: number | null, timeZone: string) =>
    `The mailbox waits until ${moment(pausedUntil, timeZone)}: `,
  noFilesGoThem: 'No files go with them.',
  everybody: (common: number) => `${times(common, 'file')} ${verb(common, 'goes', 'go')} to everybody`,
  peopleSOwn: (own: number, peopleWithOwn: number) =>
    `${times(own, 'file')} of people’s own to ${times(peopleWithOwn, 'person', 'people')}`,
  roundNobody: (going: string, staying: number) =>
    `${going} ${times(staying, 'file')} that ${verb(staying, 'lies', 'lie')} with the round ${verb(staying, 'goes', 'go')} to nobody.`,
  nobodyGetsCopy: 'Nobody gets a copy.',
  lettersCopiedCopyGoes: (letters: number, letters2: number, many: string, many2: string, whom: string) =>
    `${letters === letters2 ? 'Every letter is' : `${many} of ${many2} letters are`} copied to ${whom}. A copy goes when the person’s letter was taken.`,
  noneThemCanLeave: 'None of them can leave: each is for more recipients than the mailbox may write to in a day.',
  otherRoundsHaveWaiting: (waitingElsewhere: number) =>
    `, with the ${times(waitingElsewhere, 'recipient')} that other rounds have waiting`,
  whenLastHasLeft: (at: number, zone: string, many: string, others: string) =>
    `When the last has left, ${moment(at, zone)}, the mailbox may write to ${many} more recipients within its 24 hours${others}.`,
  whenLastHasLeft2: (at: number, zone: string, others: string) =>
    `When the last has left, ${moment(at, zone)}, the mailbox has used up what it may write to in 24 hours${others}.`,
  post2: 'Post',
  proofMustSettledBefore: (stops: number) =>
    `${times(stops, 'finding')} of the proof must be settled before this round can be posted.`,
  proofYourWordBefore: (asks: number) =>
    `${times(asks, 'finding')} of the proof ${verb(asks, 'wants', 'want')} your word before this round can be posted.`,
  post3: (letters: number | undefined, n: number) => `Post ${times(letters ?? n, 'letter')}?`,
  posting: 'Posting…',
  post4: (letters: number | undefined, n: number) => `Post ${times(letters ?? n, 'letter')}`,
  practiceMailboxNothingReaches: ', a practice mailbox: nothing reaches a real person',
  nobodyOutside: (home: string) => `Nobody outside ${home}.`,
  outsideCopies: (home: string, many: string, letters: number, copies: number) =>
    `Outside ${home}: ${many} of ${times(letters, 'person', 'people')}${copies > 0 ? `, and ${times(copies, 'address', 'addresses')} with copies` : ''}.`,
  proofAcceptedReason: (accepted: number) =>
    `${times(accepted, 'finding')} of the proof ${verb(accepted, 'was', 'were')} accepted with a reason.`,
  readingSetReadEnd: 'The reading set was read to its end: every variation of the letter has been seen.',
  showEveryVariationLetter: (set: number, read: number) =>
    `Of the ${times(set, 'message')} that show every variation of the letter, ${read === 0 ? 'none was' : `${read} ${verb(read, 'was', 'were')}`} read.`,
}

/** DispatchStage.tsx, of a chaser, and of its round */
export const chaserPosting = {
  withItsRound: (title: string) => `This chaser is posted together with “${title}”, and shown in its last word.`,
  goToRound: 'Go to that round',
  toCome: (title: string, days: string) => `Behind them, “${title}”: ${days}.`,
}

/** LateComers.tsx */
export const lateComers = {
  setAsideWhy: 'set aside when topping up',
  acceptedWhy: 'accepted when topping up',
  postedTheirLettersFrozen: (all: number) =>
    `Posted to ${times(all, 'person', 'people')}: their letters are frozen, whatever changes here. Whoever is added to the list now can be topped up.`,
  cameLateListNo: (n: number) =>
    `${times(n, 'person', 'people')} came late to the list and ${verb(n, 'has', 'have')} no letter of this round yet.`,
  ofThemOnPaper: (n: number) => `${times(n, 'letter')} of these ${verb(n, 'goes', 'go')} by paper post.`,
  showFirst: 'Show the first',
  topUp: (n: number) => `Top up ${n.toLocaleString('en-GB')}…`,
  post: (n: number) => `Post ${times(n, 'letter')}`,
  onlyTheyGetWho: (all: number) =>
    `Only they get it: the ${times(all, 'person', 'people')} who ${verb(all, 'has', 'have')} a letter of this round already get nothing more. They get the letter as it was posted, with what stands in their rows now.`,
  proofing: 'Proofing…',
  rightSo: 'It is right so',
  accepted: 'accepted',
  setAside: 'Set aside',
  settleWhatStopsFirst:
    'Settle what stops first: change the cells in the list and come back, or add the files that are missing here.',
  postedLateComers: (n: number) => `${times(n, 'letter was', 'letters were')} posted to the late-comers.`,
  postRound: (n: number) => `Post this round to ${times(n, 'late-comer')}?`,
  makingThem: 'Making them…',
  makeTheirFiles: 'Make their files',
  addTheirFiles: 'Add their files',
}

/** MessageTable.tsx */
export const messageTable = {
  version: 'Version',
  went: 'It went',
  didNotSend: 'It did not: send it',
  postersSay: 'Whoever may post says what came of it.',
  willTry: 'will try',
  copySent: 'copy sent',
  copiesSent: (gone: number) => `${gone} copies sent`,
  copiesSent2: (gone: number, copies: number, each: string) => `${gone} of ${copies} copies sent; ${each}`,
  sent: 'in Sent',
  notSent: (filingFault: string) => `not in Sent: ${filingFault}`,
  notSentYet: 'not in Sent yet',
  state: 'State',
  person: 'Person',
  round: 'Round',
  when: 'When',
  whatBecame: 'What became of it',
  more: 'More',
  show: 'Show',
  allLetters: (n: number) => `all (${n.toLocaleString('en-GB')})`,
  ofState: (state: string, n: number) => `${state} (${n.toLocaleString('en-GB')})`,
  found: (n: number) => times(n, 'letter'),
  noneOfState: 'No letter is in that state any more.',
  messagesAllRounds: 'Messages of all rounds',
  messages: 'Messages',
  foundSentAfterAll: 'It was found in Sent after all, so it is not sent again.',
  wereFoundSentAfter: (found: number) => `${found} were found in Sent after all, so they are not sent again.`,
  copy: (address: string, reason: string | null) => `Copy to ${address}: ${reason ?? ''}`,
}

/** nextDeparture.ts */
export const nextDeparture = {
  goes: (at: string) => `It goes on ${at}.`,
  goesAfter: (at: string, what: string) => `It goes on ${at}: what holds it is ${what}.`,
}

/** OutTray.tsx */
export const outTray = {
  shows: ['Waiting, sending or in doubt', 'The person', 'The round', 'When it leaves', 'What became of it'],
  searchOf: 'letters that wait',
  outTray: 'Out-tray',
  lettersLieHereFrom:
    'Letters lie here from the moment a round is posted until they have left. They go on when the browser is closed.',
  onlyLettersShownSearched: 'Only the letters that are shown are searched.',
  nothingWaitingGo: 'Nothing is waiting to go.',
  waitingGoOrderLeaving: (waiting: number) => `${times(waiting, 'letter')} waiting to go, in the order of leaving.`,
  doubtYourWord: (doubt: number) => ` ${times(doubt, 'letter')} in doubt ${verb(doubt, 'wants', 'want')} your word.`,
  firstShown: (messages: number) => ` The first ${messages.toLocaleString('en-GB')} are shown.`,
  outTrayCannotShown: 'The out-tray cannot be shown',
  outTrayEmpty: 'The out-tray is empty',
  answerIn: (round: string) => `An answer, ${round}`,
}

/** Progress.tsx */
export const progress = {
  nLetters: (n: number) => times(n, 'letter'),
  nCopies: (n: number) => times(n, 'copy', 'copies'),
  withdrawn: (letters: number, copies: number) =>
    `${times(letters, 'letter was', 'letters were')} withdrawn${copies > 0 ? `, and ${times(copies, 'copy', 'copies')} of letters that had gone` : ''}.`,
  carry: 'Carry on',
  hold: 'Hold',
  withdrawNotYetSent: (left: number, copiesLeft: number) =>
    `Withdraw ${left > 0 ? `the ${left} not yet sent` : times(copiesLeft, 'copy', 'copies')}`,
  allDoubt: (allDoubts: number) => `All ${allDoubts} in doubt:`,
  theyWent: 'They went',
  theyDidNotSend: 'They did not: send them',
  beingHandedOverWhen: (allDoubts: number, settling: boolean | null) =>
    `${verb(allDoubts, 'was', 'were')} being handed over when the connection or Hand Post ended. ${settling ? 'They will count as sent.' : 'Sent is looked into once more first; what lies there is not sent again. Whoever has had theirs already gets it twice.'}`,
  withdraw: (left: number, copiesLeft: number) =>
    `Withdraw ${left > 0 ? times(left, 'letter') : times(copiesLeft, 'copy', 'copies')}`,
  haveGoneStayGone: (sent: number) =>
    `${sent > 0 ? `The ${sent} that have gone stay gone.` : 'Nothing has gone yet.'} A withdrawn letter cannot be put back; it would take a new round.`,
  copiesSent: (sent: number, all: number) => `Copies: ${sent} of ${all} sent`,
  follow: (waiting: number, sending: number) => `${waiting + sending} to follow`,
  triedAgain: (retrying: number) => `${retrying} to be tried again`,
  doubt: (inDoubt: number) => `${inDoubt} in doubt`,
  setAsideDoNot: (setAside: number) => `${setAside} set aside (do-not-write list)`,
  chaserNotNeeded: (setAside: number) => `${setAside} not needed`,
  sent: (sent: number, all: number) => `${sent} of ${times(all, 'letter')} sent`,
  beingHandedOver: (sending: number) => `${sending} being handed over`,
  progress: 'Progress',
  roundHeldNothingMore: 'The round is held: nothing more leaves until you carry on.',
  late: ({ from, until, letters, why }: NonNullable<Round['late']>, zone: string) =>
    `${letters === null ? 'Nothing could leave' : `${times(letters, 'letter that was', 'letters that were')} due could not leave`} ${fromUntil(from, until, zone)}. ${why} From then on ${letters === 1 ? 'it goes' : 'they go'} by the plan, not all at once.`,
  amend: 'Amend what waits…',
  amendTitle: (left: number) => `Amend the letter for the ${left} who wait?`,
  amendIt: 'Hold, and amend',
  amendWords: (left: number) =>
    `The round is held, and its letter, enclosures, notes, sender and copies are open for the ${times(left, 'person', 'people')} who ${verb(left, 'waits', 'wait')}. Who gets it and from which mailbox stays. You proof it again, and post the change.`,
  amendSent: (sent: number) =>
    sent === 0
      ? 'None has gone yet.'
      : `The ${sent} that ${verb(sent, 'has', 'have')} gone stay as they are: nobody gets two.`,
  amending: 'The round is held while it is amended.',
  versions: 'Versions',
  version: (number: number, at: number) => (number === 1 ? `As posted, ${moment(at)}` : `Amended, ${moment(at)}`),
  versionLetters: (letters: number, sent: number) =>
    letters === 0 ? 'nobody’s letter is of it' : `${times(letters, 'letter')}, ${sent} sent`,
  seeOne: 'See one',
  messagesCannotShown: 'The messages cannot be shown',
  didAllGo: (allDoubts: number) => `Did all ${allDoubts} go?`,
  sendAll: (allDoubts: number) => `Send all ${allDoubts}?`,
  send: (allDoubts: number) => `Send ${allDoubts}`,
  withdrawNotYetSent2: (left: number) => `Withdraw the ${left} not yet sent?`,
  withdraw2: (copiesLeft: number) => `Withdraw ${times(copiesLeft, 'copy', 'copies')}?`,
  notToBePrinted: (n: number) => `${times(n, 'letter')} on paper ${verb(n, 'is', 'are')} not to be printed any more. `,
  allOnPaper: 'Every letter goes by paper post',
  allOnPaperWords: 'No message of this round leaves the mailbox. Print the letters above.',
  willNotSentNor: (left: number) => `${times(left, 'letter')} will not be sent, nor will their copies. `,
  lettersHaveGoneWill: (copiesLeft: number) =>
    `${times(copiesLeft, 'copy', 'copies')} of letters that have gone will not be sent either. `,
}

/** AmendBar.tsx */
export const amendBar = {
  label: 'Amending',
  amending: (waiting: number, sent: number) =>
    waiting === 0
      ? 'Nothing of this round waits any more, so there is nothing left to amend.'
      : `You are amending this for the ${times(waiting, 'person', 'people')} who ${verb(waiting, 'waits', 'wait')}${sent > 0 ? `; the ${sent} that ${verb(sent, 'has', 'have')} gone stay as they are` : ''}.`,
  nothingLeaves: 'Nothing leaves meanwhile.',
  settleFirst: (n: number) => `Settle the proof first: ${times(n, 'finding')}`,
  postChange: 'Post the change…',
  giveUp: 'Give it up…',
  giveUpTitle: 'Give up what was changed?',
  giveUpIt: 'Give it up',
  giveUpWords: (waiting: number) =>
    `Letter, enclosures, notes, sender and copies are again what they were when the round was posted, and the ${times(waiting, 'letter')} that ${verb(waiting, 'waits', 'wait')} ${verb(waiting, 'goes', 'go')} as posted. Changes of the list stay. The round stays held until you carry on.`,
  givenUp: 'Given up: the round is as it was posted, and held.',
  posted: 'The change is posted, and the round goes on.',
  notWritten: (words: string) =>
    `What you changed is not saved yet. ${words} Look whether Hand Post still runs, then try again.`,
  postTitle: (letters: number | undefined) =>
    letters === undefined ? 'Post the change?' : `Post the change to ${times(letters, 'person', 'people')}?`,
  post: (letters: number | undefined) =>
    letters === undefined ? 'Post the change' : `Post the change to ${times(letters, 'person', 'people')}`,
  posting: 'Posting…',
  cannot: (n: number) =>
    `${times(n, 'letter')} that ${verb(n, 'waits', 'wait')} cannot be made anew. Withdraw ${verb(n, 'it', 'them')} at Dispatch, or bring the ${verb(n, 'row', 'rows')} back; nothing is posted before that.`,
  nothingDiffers: 'Nothing is different from what was posted. Change something first, or give it up.',
  otherAddresses: (n: number) => `${times(n, 'letter')} ${verb(n, 'goes', 'go')} to another address than posted:`,
  otherAddress: (person: string, was: string, is: string) => `${person}: ${is}, not ${was}`,
  more: (n: number) => `and ${n} more`,
  differ: {
    subject: (n: number, all: number) => `Another subject: ${ofAll(n, all)}.`,
    words: (n: number, all: number) => `Other words: ${ofAll(n, all)}.`,
    enclosures: (n: number, all: number) => `Other enclosures: ${ofAll(n, all)}.`,
    sender: (n: number, all: number) => `Another sender, or address for answers: ${ofAll(n, all)}.`,
    copies: (n: number, all: number) => `Other copies: ${ofAll(n, all)}.`,
    address: (n: number, all: number) => `Another address: ${ofAll(n, all)}.`,
  },
  same: (n: number) => `${times(n, 'letter')} ${verb(n, 'is', 'are')} the same as posted.`,
  onPaper: (n: number) =>
    `${times(n, 'letter')} on paper that ${verb(n, 'is', 'are')} not printed yet ${verb(n, 'is', 'are')} made anew.`,
  sent: (n: number) =>
    n === 0 ? 'None has gone yet.' : `${times(n, 'person has', 'people have')} had it as posted, and get nothing more.`,
  inDoubt: (n: number) =>
    `${times(n, 'letter')} in doubt ${verb(n, 'stays', 'stay')} as posted: if you say later that ${verb(n, 'it', 'one')} did not go, it goes like that.`,
  goesOn: (sentence: string) => `The round goes on at its own pace. ${sentence}`,
}
const ofAll = (n: number, all: number) => (n === all ? times(n, 'letter') : `${n} of ${times(all, 'letter')}`)

/** WithdrawSome.tsx */
export const withdrawSome = {
  open: 'Withdraw some…',
  title: 'Withdraw some of what waits',
  find: 'people who wait',
  chosen: 'Withdraw',
  person: 'Person',
  address: 'Address',
  planned: 'Planned',
  held: 'held',
  noTime: 'no time yet',
  withdrawOf: (person: string) => `Withdraw the letter to ${person}`,
  thoseOfWhom: 'Those of whom',
  noRules: 'Add a rule to choose by their rows, or tick people below.',
  chosenOf: (chosen: number, waiting: number) =>
    `${chosen} of the ${waiting} that wait ${verb(chosen, 'is', 'are')} chosen.`,
  withdraw: (n: number) => `Withdraw ${times(n, 'letter')}`,
  withdrawTitle: (n: number) => `Withdraw ${times(n, 'letter')}?`,
  cannotBePutBack:
    'They will not be sent, nor will their copies. A withdrawn letter cannot be put back; it would take a new round.',
  more: (n: number) => `and ${n} more`,
  withdrawn: (n: number, of: number) =>
    n === of
      ? `${times(n, 'letter was', 'letters were')} withdrawn.`
      : `${times(n, 'letter was', 'letters were')} withdrawn; ${of - n} had left meanwhile.`,
}

/** TimetableChart.tsx */
export const timetableChart = {
  nLetters: (n: number) => times(n, 'letter'),
  now: 'now',
  table: (days: number, maxDays: number) => `And ${times(days - maxDays, 'further day')}, in the table.`,
  asTable: 'As a table',
  timetableFiguresStandTable: (sentenceGiven: string) =>
    `Timetable. ${sentenceGiven} The figures stand in the table below.`,
  allGone: 'all gone',
  gone: (gone: number) => `${gone} gone`,
  thenWaits: (what: string) => `then: ${what}`,
  none: 'none',
  shut: 'closed',
  day: 'Day',
  first: 'First',
  last: 'Last',
  letters: 'Letters',
  recipients: 'Recipients',
  gone2: 'Gone',
  others: 'Other rounds',
  holder: 'What the next day waits for',
  legendWaiting: 'to go',
  legendGone: 'gone',
  legendOthers: 'other rounds of the mailbox',
  legendClosed: 'closed',
  /** Why a day's letters end: what the next one waits for, as short as can be. */
  holds: {
    day: 'the day’s limit',
    hour: 'the hour’s limit',
    minute: 'the minute’s limit',
    messages: 'the host’s pace',
    gentle: 'the gentle start',
    roundDay: 'your limit a day',
    groups: 'the rest',
    pace: 'the pace',
    until: 'the even spread',
    hours: 'the hours',
    time: 'own times',
    start: 'the first minute',
    paused: 'the host’s pause',
    now: '',
  },
}

/** usePlan.ts */
export const usePlan = {
  notComputed: 'It could not be worked out here. Load the page again; nothing was changed.',
}

/** PaceFields.tsx, paceForm.ts */
export const paceFields = {
  daysOff: 'Days on which nothing of this round leaves',
  firstLetterLeaves: 'The first letter leaves',
  asSoonAsRound: 'as soon as the round is posted',
  dayHour: 'on a day and hour',
  dayHourFirstLetter: 'Day and hour of the first letter',
  pastFirstLetterLeaves: 'That is past: the first letter leaves at once.',
  pace: 'Pace',
  lettersMinute: 'Letters a minute',
  carefulPace10Or: 'A careful pace is 10 or fewer.',
  oneLetterHour: 'One letter an hour.',
  oneLetterEvery: (minutes: number) => `One letter every ${times(minutes, 'minute')}.`,
  untilMendedStays: (perMinute: number) => `Until that is mended it stays at ${perMinute.toLocaleString('en-GB')}.`,
  perDay: 'At most a day',
  perDayHint: 'Recipients. Empty: as the mailbox may.',
  groupsOf: 'In groups of',
  rest: 'Minutes of rest',
  bothOrNeither: 'Give both figures, or neither.',
  uneven: 'uneven gaps, up to half as long again',
  brake: 'hold the round when, of fifty letters, more than',
  goSlower: 'halve the pace when the host asks twice to go slower',
  brakeShare: 'Share at which the round holds itself',
  brakeRest: 'are refused or come back',
  evenly: 'spread evenly over the hours, and done by',
  doneBy: 'Day and hour by which the last has left',
  lastBeforeFirst: 'That is before the first may leave.',
  hours: 'Letters leave at',
  mailboxHours: (words: string) => `the mailbox’s hours (${words})`,
  within: 'some of these hours only',
  instead: 'other hours, whatever the mailbox’s are',
}

/** LetterMenu.tsx */
export const letterMenu = {
  more: (person: string) => `What to do with the letter to ${person}`,
  first: 'Send it before the others of its round',
  last: 'Send it after the others of its round',
  withdraw: 'Withdraw it…',
  withdrawTitle: (person: string) => `Withdraw the letter to ${person}?`,
  withdrawIt: 'Withdraw it',
  withdrawn:
    'It will not be sent, nor will its copies. A withdrawn letter cannot be put back; it would take a new round.',
}

/** Sharing.tsx */
export const sharing = {
  title: (mailbox: string) => `Whose turn it is in ${mailbox}`,
  order: 'Rounds in the order of their turns',
  evenly: 'they share the mailbox evenly',
  howInTurn: 'Each moment goes to the first of them that can use it.',
  howEvenly: 'Each moment goes to whichever of them has waited longest.',
  howToDrag:
    'Press Space to pick the round up, the arrows to move it, Space to put it down, Escape to leave it where it was.',
  drag: (title: string) => `Move ${title}`,
  up: (title: string) => `${title} before the one above`,
  down: (title: string) => `${title} after the one below`,
  waiting: (n: number) => times(n, 'letter'),
  held: ', held',
}

/** OwnTimesFields.tsx */
export const leavingOrder = {
  order: 'Order',
  list: 'as in the list',
  random: 'at random',
  byColumn: (name: string) => `by “${name}”`,
  descending: 'the last of them first',
}

/** OwnTimesFields.tsx */
export const ownTimesFields = {
  title: 'Each person at a time of their own',
  column: 'When, from the column',
  noColumn: 'none has days or hours',
  byPace: 'none: all by the pace',
  zoneColumn: 'By the clock at the place in',
  mailboxZone: (zone: string) => `no column: ${zone}`,
  hour: 'At this hour',
  how: 'From a column of days and hours, of days, or of hours; or at one hour by everybody’s own clock, from a column of time zones such as Europe/London.',
  blanks:
    'Whoever has nothing there goes by the pace. Times that are past or outside the hours are found by the proof.',
  columnGone: 'The column is gone from the list: all go by the pace.',
}

/** PaceSheet.tsx */
export const paceSheet = {
  title: 'Another pace for what waits',
  open: 'Another pace…',
  apply: (n: number) => `Apply to ${times(n, 'letter')}`,
  applied: 'What waits goes by the new pace.',
  held: 'The round is held: so it would go if you carried on now.',
  asItIs: 'This is the pace as it is.',
}

/** Wishes.tsx */
export const wishes = {
  plainUntracked: 'The letter goes as plain text: opens and followed links cannot be seen.',
  keepTrack: 'Keep track of',
  thereNoLinkLetter:
    'There is no link in the letter, so nobody will be counted. Links and buttons are put in at Letter.',
  publicAddressMachineOnly:
    'The public address is on this machine only: real recipients’ mail programs cannot reach it, and links that go by it would not open for them.',
  wishes: 'Wishes',
  whoOpensSmallPicture: 'who opens it, by a small picture',
  whoFollowsLinks: 'who follows its links',
  whoHasReadAsking: 'who has read it, by asking for a receipt',
}

const many = (n: number) => n.toLocaleString('en-GB')
/** Chasers.tsx */
export const chasers = {
  chasers: 'Chasers',
  chaser: 'Chaser',
  none: 'Whoever does not answer can be written to again by itself. A moment before, the mailbox is read: nobody who has answered gets it.',
  some: 'A moment before each leaves, the mailbox is read: nobody who has answered gets it.',
  add: 'Add a chaser…',
  addAnother: 'Add another…',
  change: 'When and to whom…',
  chaserOf: 'A chaser of',
  goes: (after: string, who: string, rows: number | null) =>
    `${after}, to ${rows === null ? 'those' : `those of ${times(rows, 'person', 'people')}`} ${who}`,
  postedTogether: 'it is posted together with this round',
  notPosted: 'not posted yet',
  toSettle: (n: number) => (n === 0 ? 'Its files are still being examined.' : `Its proof has ${n} to settle first.`),
  sent: (n: number) => `${many(n)} sent`,
  sending: (n: number) => `${many(n)} being handed over`,
  toGo: (n: number) => `${many(n)} to go`,
  toGoFrom: (n: number, from: string) => `${many(n)} to go, from ${from}`,
  held: (n: number) => `${many(n)} held`,
  amended: (n: number) => `${many(n)} being amended`,
  wantsWord: (n: number) =>
    `${many(n)} ${verb(n, 'waits', 'wait')} for your word in the in-tray on what may be an answer`,
  unfit: (n: number) => `${many(n)} will not be needed`,
  notNeeded: (n: number) => `${many(n)} not needed`,
  refused: (n: number) => `${many(n)} refused`,
  inDoubt: (n: number) => `${many(n)} in doubt`,
  withdrawn: (n: number) => `${many(n)} withdrawn`,
}

/** ChaserSheet.tsx */
export const chaserSheet = {
  begin: 'Add a chaser',
  changeIt: 'When the chaser leaves, and to whom',
  addIt: 'Add it, and write it',
  keep: 'Keep',
  added: 'The chaser was added. Say it in your own words here.',
  when: 'When',
  atOnce: 'At once, when it is posted',
  howMany: 'How many days',
  ofWhat: 'Which days',
  workingDays: 'working days',
  allDays: 'days, weekends too',
  afterLetter: 'Some days after each person’s letter',
  later: 'later',
  sameTime: 'At the time at which their letter left, within the mailbox’s hours. Its days off are no working days.',
  toWhom: 'To those',
  chosen: (n: number) => `Of the ${times(n, 'person', 'people')} chosen on the board, those`,
  whoChosen: 'of whom nothing has come since',
  whoChosenHint: 'No answer, no choice, no returned mail and no outcome word since they were chosen.',
  silent: 'who have not answered',
  silentHint: 'Nor chosen anything, nor been given an outcome word. An automatic reply is no answer.',
  softBounce: 'whose letter came back for a while only',
  softBounceHint: 'As when their mailbox was full.',
  noChoice: 'who have chosen nothing',
  noFile: 'who have sent no file back',
  evenIfTheyWrote: 'Even if they have written.',
  word: (word: string) => `who have the outcome word “${word}”`,
  never: 'Never to whoever has opted out, is on the do-not-write list, or whose letter came back for good.',
  how: 'How',
  thread: 'In the thread of their letter, under its subject',
  threadHint: 'Else it is a letter of its own, with a subject of its own.',
  quote: 'With what their letter said below',
  madeOf: 'Made of',
  asNow: 'the row as it is when the chaser leaves',
  asNowHint: 'It is proofed once more then. Should anything be to settle, the chaser holds itself and says so.',
  asPosted: 'the row as it is when it is posted',
  daysFault: (days: string) => `“${days}” is no number of days from 1 to 366.`,
  whoFault: 'Choose whom it goes to: to nobody it is none.',
}

/** SecondEyes.tsx */
export const secondEyes = {
  want: 'Want a second pair of eyes',
  means: 'Somebody else than whoever changed it last reads the reading set, and posts it.',
  wanted: {
    round: 'A second pair of eyes is wanted.',
    mailbox: 'A second pair of eyes is wanted for whatever leaves from this mailbox.',
  },
  stands: (changed: string | null, own: boolean, unread: number, of: number) =>
    own
      ? 'You changed it last: somebody else who may post reads the reading set, and posts it.'
      : `${changed === null ? '' : `${changed} changed it last. `}${
          unread === 0
            ? 'You have read the reading set as it stands.'
            : `You have read ${of - unread} of the ${of} letters of the reading set as they stand.`
        }`,
  others: (changed: string | null) =>
    changed === null
      ? 'Whoever posts it reads the reading set first.'
      : `${changed} changed it last: somebody else who may post reads the reading set, and posts it.`,
  changedSince: (people: string[]) => `Changed since you read it: the letter to ${listed(people)}.`,
  read: 'Read them at Proof',
  notWanted: 'No second pair of eyes',
}
