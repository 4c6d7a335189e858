// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { times, verb } from '@hand-post/core'
import { moment } from '../shared/moment.ts'

/** practice */
export const practice = {
  mark: 'practice',
  more: 'A practice mailbox: nothing that it sends reaches a real person.',
  explained:
    'A mail host on this machine with made-up people behind it. They open, answer, are away, or do not exist. Nothing that you send by it reaches a real person.',
  /** Beside an address in a list to choose from. */
  inList: (name: string) => `${name}, practice`,
  hosts: 'Its hosts are on this machine and stay as they are: rehearsals and first tries need them.',
}

/** useChart */
export const useChart = {
  counting: 'Counting what has left…',
  sentence: (gone: number, planned: number) =>
    `${gone === 0 ? 'Nobody was' : `${times(gone, 'recipient')} ${verb(gone, 'was', 'were')}`} written to in the last 24 hours; ${planned === 0 ? 'nothing is planned for the next 24.' : `${times(planned, 'recipient')} planned for the next 24.`}`,
  chart: 'Recipients by the hour; the figures stand in the table below.',
  most: (n: number) => `${n.toLocaleString('en-GB')} an hour`,
  now: 'now',
  asTable: 'As a table',
  hour: 'Hour from',
  gone: 'Written to',
  planned: 'Planned',
}

/** Mailboxes.tsx */
export const mailboxes = {
  changeSettings: 'Change its settings',
  mailboxes: 'Mailboxes',
  lettersLeaveFromYour: 'Letters leave from your own mailbox, and answers are read there.',
  addMailbox: 'Add a mailbox',
  recipientsLeftThese24: (allowance: number, perDay: number, perMinute: number) =>
    `${allowance.toLocaleString('en-GB')} of ${perDay.toLocaleString('en-GB')} recipients left in these 24 hours; at most ${times(perMinute, 'message')} a minute.`,
  tryAgainNow: 'Try again now',
  goneNotSentTried: (count: number, fault: string) =>
    `${times(count, 'letter')} that ${verb(count, 'has', 'have')} gone ${verb(count, 'is', 'are')} not in Sent: ${fault} It is tried again by itself`,
  letterSentBeforeHand: (foundFiling: number) =>
    `On ${moment(foundFiling)} a letter was in Sent before Hand Post had filed it: this host files what it sends, so Hand Post files nothing there.`,
  inboxCouldNotRead: (count: number) =>
    `${count === 1 ? 'One message' : times(count, 'message')} in the inbox could not be read, and may have been an answer. Look at ${verb(count, 'it', 'them')} in your mail program.`,
  from: (at: number, sender: string, subject: string) =>
    `${moment(at)}, from ${sender || 'a sender without a name'}${subject && `, “${subject}”`}`,
  why: (why: string) => `Why: ${why}`,
  and: (count: number, newest: number) => `And ${times(count - newest, 'earlier one')}.`,
  iHaveSeen: (count: number) => `I have seen ${verb(count, 'it', 'them')}`,
  newMailbox: 'A new mailbox',
  mailboxesCannotShown: 'The mailboxes cannot be shown',
  nothingLeavesUntilFixed: 'Nothing leaves until this is fixed: ',
  nothingLeavesUntil: (pausedUntil: number | null) => `Nothing leaves until ${moment(pausedUntil)}: `,
}

/** MailboxForm.tsx */
export const mailboxForm = {
  thereNone: 'There is no reading host',
  withoutReadingHostCopies: 'Without a reading host, copies are not filed in Sent and answers are not read.',
  giveOne: 'Add one',
  limits: 'Its limits',
  hostItselfKeepsWhat: 'The host itself keeps what it sends in Sent, so Hand Post files no copy',
  ccBccGetMessage:
    'Cc and Bcc get a message of their own, when the person’s was taken. Of a letter with copies such a host keeps two in Sent: the letter, and the one to its copies.',
  findOutTestSend: (trim: string) =>
    `Find out with the test: send one message to ${trim || 'the mailbox'} itself, look for it in Sent, and take it away again`,
  store: 'Store',
  notNow: 'Not now',
  removeMailbox: 'Remove this mailbox',
  remove: 'Remove it',
  settingsPasswordGoNothing: 'Its settings and its password go. Nothing in the mailbox itself is touched.',
  tlsFromStart: 'TLS from the start',
  starttls: 'STARTTLS',
  noneMachineOnly: 'none (this machine only)',
  takeCertificateNobodyKnown: 'Accept a certificate that no known authority has signed',
  anybodyBetweenCouldPose: ': somebody in between could pose as this host',
  mailboxStored: 'The mailbox is stored.',
  address: 'Address',
  lettersComeFromAddress: 'Letters come from this address.',
  officeBrindlequayExample: 'office@brindlequay.example',
  senderSName: 'Sender’s name',
  standsBeforeAddress: 'Stands before the address.',
  harbourOffice: 'Harbour Office',
  userName: 'User name',
  signingLeftEmptyAddress: 'For signing in; left empty, it is the address.',
  password: 'Password',
  keptEncryptedMachineNever: 'Kept encrypted on this machine, and never shown again.',
  leftEmptyStoredOne: 'Left empty, the stored one stays.',
  whatYouCall: 'What you call it',
  leftEmptyAddress: 'Left empty, it is the address.',
  timeZone: 'Time zone',
  daysHoursTimetableTold: 'Days and hours of the timetable are told in it.',
  furtherAddresses: 'Further addresses',
  yourOwnMailboxMay: 'Of your own, that this mailbox may write from; several separated by semicolons',
  harbourMasterBrindlequayExample: 'harbour.master@brindlequay.example',
  signature: 'Signature',
  linesStandWhereLetter: 'Its lines stand where a letter keeps the place for a signature.',
  harbourOfficeBrindleQuay: 'Harbour Office\nBrindle Quay Harbour Trust',
  sendingHostSmtp: 'Sending host (SMTP)',
  readingHostImap: 'Reading host (IMAP)',
  recipients24Hours: 'Recipients in 24 hours',
  often500BusinessAccount: 'Often 500; with a business account, 1,500.',
  messagesMinute: 'Messages a minute',
  mostEverLeave: 'The most that ever leave.',
  largestMessageMb: 'Largest message, in MB',
  filesAsEncoded: 'With its files, as encoded.',
  testStepStep: 'The test, step by step',
  works: 'works',
  fails: 'fails',
  trying: 'Trying…',
  test: 'Test it',
  remove2: (name: string) => `Remove ${name}?`,
  host: 'Host',
  mailBrindlequayExample: 'mail.brindlequay.example',
  port: 'Port',
  encryption: 'Encryption',
}

/** mailboxValues.ts */
export const mailboxValues = {
  passwordMissing: 'The password is missing.',
  typeAgainStoredOne: (join: string, are: string) =>
    `Type it again: the stored one goes only where it was given for, and ${join} ${are} another now.`,
  between001500: 'Between 0.01 and 500 MB.',
}
