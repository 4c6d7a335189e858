// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { verb } from '../words.ts'

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
