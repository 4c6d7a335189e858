// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { listed, times, verb } from '../words.ts'

/** smtpAnswer.ts */
export const smtpAnswer = {
  thereNoSuchMailbox: 'There is no such mailbox at that address.',
  domainAddressDoesNot: 'The domain of the address does not exist.',
  addressNotWrittenWay: 'The address is not written in a way the host understands.',
  mailboxHasMovedLeft: 'The mailbox has moved, and left no new address.',
  domainSaysTakesNo: 'The domain says that it takes no mail.',
  mailboxDoesNotTake: 'The mailbox does not take the message.',
  mailboxSwitchedOff: 'The mailbox is switched off.',
  mailboxFull: 'The mailbox is full.',
  messageLongerThanMailbox: 'The message is longer than the mailbox takes.',
  messageTooBigHost: 'The message is too big for the host.',
  hostAddressDoesNot: 'The host of the address does not answer.',
  wayHostCannotFound: 'The way to the host cannot be found.',
  couldNotHandedOver: 'It could not be handed over in the time allowed.',
  hostHoldsBackSafety: 'The host holds it back for safety reasons.',
  hostDoesNotTake: 'The host does not take this message from this sender.',
  minute: 'in a minute',
  hour: 'an hour',
  minutes: (minutes: number) => `in ${minutes} minutes`,
  mailHostRefusedSign: (text: string) => `The mail host refused the sign-in: ${text}`,
  mailHostCouldNot: (text: string) => `The mail host could not sign in just now: ${text}`,
  connectionBrokeWhileMessage: (text: string) =>
    `The connection broke while the message was being handed over: ${text}`,
  mailHostCannotReached: (text: string) => `The mail host cannot be reached: ${text}`,
  hostSaid: (said: string, text: string) => `${said} The host said: ${text}`,
  hostSaid2: (text: string) => `The host said: ${text}`,
  asksUsComeBack: (grey: boolean, said: string | null, waitWords: string, text: string) =>
    `${grey ? 'The host does not know this mailbox yet and' : (said ?? 'The host')}${grey || !said ? '' : ' It'} asks us to come back ${waitWords}. The host said: ${text}`,
  mailboxHasUsedUp: (text: string) => `The mailbox has used up what it may send: ${text}`,
  mailHostAsksGo: (text: string) => `The mail host asks to go slower: ${text}`,
  mailHostCannotTake: (text: string) => `The mail host cannot take mail just now: ${text}`,
}

/** unusual.ts */
export const unusual = {
  nightOrWeekend: (which: string, odd: number, first: string) =>
    `${which} ${verb(odd, 'leaves', 'leave')} at night or at the weekend, ${verb(odd, '', 'the first ')}on ${first}.`,
  nobodyHasReadMessage: 'Nobody has read the message that shows the letter as it goes out.',
  nobodyHasReadAny: (n: string) => `Nobody has read any of the ${n} messages that show every variation of the letter.`,
  peopleListGetNo: (n: string, n2: string, countSentence: string) =>
    `${n} of the ${n2} people in the list get no letter. ${countSentence}`,
}

/** brake.ts */
export const brake = {
  atDomain: (n: number, domain: string, why: string) =>
    `${n.toLocaleString('en-GB')} at ${domain}${why === '' ? '' : ` (${why})`}`,
  holdsItself: (bad: number, of: number, where: string) =>
    `The round holds itself: of ${of === 50 ? 'fifty letters in a row' : `its first ${times(of, 'letter')}`}, ${bad.toLocaleString('en-GB')} were refused or came back: ${where}. Look at them, and carry on when the rest may go.`,
}

const list = (figures: readonly number[]) => {
  const shown = figures.slice(1, 4).map((n) => n.toLocaleString('en-GB'))
  return figures.length > 4 ? `${shown.join(', ')} …` : listed(shown)
}

/** timetable.ts */
export const timetable = {
  letters: (n: number) => times(n, 'letter'),
  now: 'now',
  withinAMinute: (start: string) => `within a minute from ${start}`,
  fromTo: (start: string, end: string) => `from ${start} to ${end}`,
  onDays: (days: number) => `, on ${times(days, 'day')}`,
  nothingPlanned: 'Nothing is planned: nobody in the round gets a message.',
  unplanned: (n: number) =>
    `${n === 1 ? 'One letter has no time yet: it is given one' : `${n.toLocaleString('en-GB')} letters have no time yet: they are given theirs`} within a few minutes.`,
  held: (n: number) =>
    `The round is held: ${n === 1 ? 'one letter waits, and has' : `${n.toLocaleString('en-GB')} letters wait, and have`} no time until you carry on.`,
  in24Hours: (n: number) => `the mailbox’s limit of ${times(n, 'recipient')} in any 24 hours`,
  aDay: (n: number) => `the mailbox’s limit of ${times(n, 'recipient')} a day`,
  anHour: (n: number) => `the mailbox’s limit of ${times(n, 'recipient')} in any hour`,
  aMinute: (n: number) => `the mailbox’s limit of ${times(n, 'recipient')} in any minute`,
  messagesAMinute: (n: number) => `the mailbox’s limit of ${times(n, 'message')} a minute`,
  gentleStart: (days: readonly number[]) =>
    `the mailbox’s gentle start, with ${times(days[0] ?? 0, 'recipient')} on its first day${days.length > 1 ? `, then ${list(days)}` : ''},`,
  yourOwn: (n: number) => `your own limit of ${times(n, 'recipient')} a day`,
  rests: (of: number) => `the rest between groups of ${of.toLocaleString('en-GB')}`,
  pace: (n: number) =>
    n >= 1
      ? `the pace of ${times(n, 'letter')} a minute`
      : Math.round(1 / n) >= 60
        ? 'the pace of one letter an hour'
        : `the pace of one letter every ${times(Math.round(1 / n), 'minute')}`,
  evenly: 'the even spread over the open hours',
  hours: 'when the mailbox’s hours are open',
  roundHours: 'when the round’s hours are open',
  ownTimes: 'each person’s own time',
  waitForAnotherDay: (n: number, name: string) =>
    `${times(n, 'letter')} ${verb(n, 'waits', 'wait')} for a later day: ${name} is what holds ${verb(n, 'it', 'them')}.`,
  whatDecides: (name: string) => `What decides is ${name.replace(/,$/, '')}.`,
  doneBy: (at: string) => `All have left by ${at}.`,
  notDoneBy: (at: string, n: number, name: string | null) =>
    `This cannot be done by ${at}: ${times(n, 'letter')} ${verb(n, 'leaves', 'leave')} later${name === null ? '' : `, and ${name} is what holds ${verb(n, 'it', 'them')}`}.`,
  lastBeforeFirst: (at: string) => `This cannot be done by ${at}: that is before the first may leave.`,
  never: (n: number, why: string) => `${times(n, 'letter')} can never leave: ${why}.`,
  tooMany: {
    day: 'more recipients than the mailbox may write to in a day',
    hour: 'more recipients than the mailbox may write to in an hour',
    minute: 'more recipients than the mailbox may write to in a minute',
    roundDay: 'more recipients than your own limit a day',
    message: 'more copies than the host takes in one message',
  },
  neverOpen: (n: number) => `${times(n, 'letter')} can never leave: the mailbox’s hours are never open.`,
  neverOpenTogether: (n: number) =>
    `${times(n, 'letter')} can never leave: the hours of the round and of the mailbox are never open at the same time.`,
}

/** How many letters are in each of the states that a notice tells of. */
export type StatesToTell = Record<
  'sent' | 'waiting' | 'retrying' | 'refused' | 'inDoubt' | 'setAside' | 'withdrawn',
  number
>

/** notices.ts */
export const notices = {
  subject: {
    done: (title: string) => `Hand Post: “${title}” is done`,
    held: (title: string) => `Hand Post: “${title}” has held itself`,
    doubt: (title: string, n: number) => `Hand Post: “${title}” has ${times(n, 'letter')} in doubt`,
  },
  counts: (s: StatesToTell) =>
    `${[
      `${times(s.sent, 'letter')} sent`,
      s.waiting + s.retrying && `${s.waiting + s.retrying} waiting`,
      s.refused && `${s.refused} refused`,
      s.inDoubt && `${s.inDoubt} in doubt`,
      s.setAside && `${s.setAside} set aside`,
      s.withdrawn && `${s.withdrawn} withdrawn`,
    ]
      .filter(Boolean)
      .join(', ')}.`,
  doubtMeans:
    'It is not known whether it went: it was being handed over when the connection or Hand Post ended, and it is not in Sent. Ask whoever it is for, then say at Dispatch whether it went.',
  where: (address: string) => `The round: ${address}`,
}

/** chaser.ts */
const days = (n: number, of: 'workingDays' | 'days') => times(n, of === 'days' ? 'day' : 'working day')
const chasedPeople: Readonly<Record<'silent' | 'softBounce' | 'noChoice' | 'noFile' | 'chosen', string>> = {
  silent: 'who have not answered',
  softBounce: 'whose letter came back for a while only',
  noChoice: 'who have chosen nothing',
  noFile: 'who have sent no file back',
  chosen: 'who were chosen on the board',
}
export const chaser = {
  tooSoon: 'A chaser leaves 1 day after the letter, or later.',
  tooLate: 'A chaser leaves 366 days after the letter at the latest.',
  nobody: 'A chaser to nobody is none: choose whom it goes to.',
  optedOut: (when: string) => `They have opted out, ${when}.`,
  cameBack: (when: string) => `Their letter came back, ${when}.`,
  cameBackSoftly: (when: string) => `Their letter came back for a while only, ${when}.`,
  answered: (when: string) => `They have answered, ${when}.`,
  hasWord: (word: string) => `They have the outcome word “${word}”.`,
  notMeant: 'What has come of them meanwhile is not what the chaser is for.',
  proposed: 'It waits: what may be their answer lies in the in-tray. Say there whether it is.',
  atOnce: 'at once',
  after: (n: number, of: 'workingDays' | 'days') => `${days(n, of)} after the letter`,
  who: (kinds: readonly (keyof typeof chasedPeople | 'word')[], given: readonly string[]) =>
    kinds
      .map((kind) =>
        kind === 'word' ? `who have ${given.map((word) => `“${word}”`).join(' or ')}` : chasedPeople[kind],
      )
      .join(', or '),
  sameDay: (n: number, of: 'workingDays' | 'days') =>
    `Two chasers would leave ${days(n, of)} after the letter. Give one of them another day.`,
  dayOf: (written: string) =>
    new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'long', timeZone: 'UTC' }).format(
      Date.parse(`${written}T00:00:00Z`),
    ),
  upTo: (letters: number, from: string, to: string | null) =>
    `up to ${times(letters, 'chaser')} ${to === null ? `on ${from}` : `between ${from} and ${to}`}`,
  never: (letters: number) => `${times(letters, 'chaser')}, with no day on which they could leave`,
}
