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
  sentence: (gone: number, other: number, planned: number) =>
    `${gone + other === 0 ? 'Nobody was' : `${times(gone + other, 'recipient')} ${verb(gone + other, 'was', 'were')}`} written to in the last 24 hours${other > 0 ? `, ${other.toLocaleString('en-GB')} of them by other mail` : ''}; ${planned === 0 ? 'nothing is planned for the next 24.' : `${times(planned, 'recipient')} planned for the next 24.`}`,
  chart: 'Recipients by the hour; the figures stand in the table below.',
  most: (n: number) => `${n.toLocaleString('en-GB')} an hour`,
  now: 'now',
  asTable: 'As a table',
  hour: 'Hour from',
  gone: 'By Hand Post',
  other: 'By other mail',
  planned: 'Planned',
}

/** Mailboxes.tsx */
export const limitWords = {
  perDay: (n: number) => `${times(n, 'recipient')} a day`,
  perHour: (n: number) => `${times(n, 'recipient')} an hour`,
  recipientsPerMinute: (n: number) => `${times(n, 'recipient')} a minute`,
  perMinute: (n: number) => `${times(n, 'message')} a minute`,
  perMessage: (n: number) => `${times(n, 'recipient')} of one message`,
}
/** ToldHere.tsx */
export const toldHere = {
  title: 'Told without looking',
  notify: 'Notifications of this browser',
  when: 'When a round is done, has held itself, or has letters in doubt, while Hand Post is open somewhere behind other windows.',
  notAllowed:
    'This browser does not allow notifications for Hand Post. Allow them in its settings for this page, then load the page again.',
}
export const mailboxes = {
  copies: 'Copies of everything',
  copiesHint: 'Lists, letters, rounds, files and answers in one file, to be put back here or on another machine.',
  makeCopy: 'Make a copy',
  notTold: (fault: string) => `A message to you about a round could not be sent: ${fault}`,
  saidLimit: (at: string, words: string, counted: boolean) =>
    `${at} the host said: “${words}”.${counted ? ' It named no figure; so many had left in 24 hours just then.' : ''}`,
  saidLimitIs: (limit: string) =>
    `That is less than is set here: ${limit}. With the host’s limit, what waits is planned so that it is not turned down.`,
  takeLimit: 'Take it as the limit',
  leaveLimit: 'Leave the limit as it is',
  changeSettings: 'Change its settings',
  mailboxes: 'Mailboxes',
  keepersChange: 'Keepers look after them.',
  lettersLeaveFromYour: 'Letters leave from your own mailbox, and answers are read there.',
  addMailbox: 'Add a mailbox',
  recipientsLeft: (
    allowance: number,
    perDay: number,
    calendar: boolean,
    perMinute: number,
    { ours, other }: { ours: number; other: number },
  ) =>
    `${perDay.toLocaleString('en-GB')} recipients ${calendar ? 'a day' : 'in 24 hours'}: ${ours.toLocaleString('en-GB')} by Hand Post, ${other.toLocaleString('en-GB')} by other mail, ${allowance.toLocaleString('en-GB')} left; at most ${times(perMinute, 'message')} a minute.`,
  sentNotRead: (fault: string) => `Other mail could not be counted just now, because Sent could not be read: ${fault}`,
  gentle: (today: number) =>
    `It starts gently: ${times(today, 'recipient')} today, since it is new or was quiet for long.`,
  open: (hours: string, zone: string, off: number) =>
    `Letters leave at these hours: ${hours} (${zone})${off > 0 ? `, but not on ${times(off, 'day')} off` : ''}.`,
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

/** SignInFields.tsx */
export const signInFields = {
  title: 'How it is opened',
  ways: { password: 'By a password', oauth: 'By a sign-in service (OAuth 2.0)' },
  explained:
    'Many large mail hosts take no password from programs. There you sign in at the host’s own page and allow Hand Post to send and read mail; Hand Post never sees the password, and you can withdraw it there at any time. Your host, or whoever looks after it, gives you what follows.',
  issuer: 'Address of the sign-in service',
  issuerHint: 'What else there is to know of it is found by this.',
  issuerLike: 'https://sign-in.brindlequay.example',
  authorization: 'Address where one signs in',
  authorizationLike: 'https://sign-in.brindlequay.example/authorize',
  token: 'Address where tokens are had',
  tokenLike: 'https://sign-in.brindlequay.example/token',
  clientId: 'Client id',
  clientIdHint: 'What Hand Post is called there.',
  clientSecret: 'Client secret',
  clientSecretHint: 'Only where the service has given one. Kept encrypted.',
  scope: 'Scope',
  scopeHint: 'What is asked for: words separated by spaces.',
  comesBackTo: 'The service must know that the browser comes back to',
  typed: 'The service cannot be found by its address: type both of its addresses',
  signIn: 'Sign in…',
  again: 'Sign in again…',
  beginning: 'One moment…',
  waits: 'Waiting for you to sign in there.',
  openPage: 'Open the page',
  signedIn: (host: string) => `Signed in at ${host}. Store the mailbox to use it.`,
  stored: (host: string) => `Signed in at ${host}.`,
  goesOn: 'Signed in again: the mailbox goes on.',
  lookUp: 'Look up the hosts',
  lookingUp: 'Looking…',
  lookUpHint: 'By the domain of the address, where it names them.',
  first: 'Sign in first.',
  firstAgain: (elsewhere: string, are: string) =>
    `Sign in again: what was allowed goes only where it was allowed for, and ${elsewhere} ${are} another now.`,
}

/** MailboxForm.tsx */
export const mailboxForm = {
  tell: 'Tell me by a message to this mailbox’s own address',
  answers: 'Where answers are looked for',
  answersHint: 'The inbox is always looked into. Where you have answers sorted into other folders, choose those too.',
  foldersLater: 'Further folders can be chosen when the mailbox is stored.',
  junk: 'Look into Junk too, by headers only, for answers to our letters',
  tellHint: 'It leaves from the mailbox itself and counts as one recipient.',
  tellDone: 'when a round is done',
  tellHeld: 'when a round has held itself',
  tellDoubt: 'when letters are in doubt and I must say whether they went',
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

/** weekForm.ts, WeekFields.tsx */
export const weekFields = {
  days: ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'],
  hoursOf: (day: string) => `Hours on ${day}`,
  how: 'From – to, several with commas',
  dayByDay: (hours: string) => (hours === '' ? 'Day by day' : `Day by day: ${hours}`),
  readyChoices: 'Ready choices',
  ready: {
    anyTime: 'Any time',
    office: 'Office hours',
    mornings: 'Mornings',
    afternoons: 'Afternoons',
    weekdays: 'Weekdays',
    own: 'As below',
  },
  neverOpen: 'These hours are never open, so nothing would ever leave. Give at least one day some hours.',
}

/** DaysOff.tsx */
export const daysOff = {
  further: 'Further days off',
  noFurther: 'None yet, such as a staff day, or the days between Christmas and New Year.',
  takeAway: (days: string) => `Take away ${days}`,
  from: 'From',
  to: 'To (empty: one day)',
  first: 'First day off',
  last: 'Last day off',
  why: 'Why',
  add: 'Add',
  firstMissing: 'Give the first day off.',
  lastBeforeFirst: 'The last day is before the first.',
  holidaysOf: 'Closed on the public holidays of',
  none: 'no country: none of them',
  region: 'Region',
  wholeCountry: 'those of the whole country',
  noHolidays: 'No public holidays are known there. Give the days off one by one.',
  off: (off: number, of: number) =>
    off === of
      ? `${times(of, 'public holiday')} in the years to come, all days off: look at them`
      : `${off} of ${times(of, 'public holiday')} in the years to come are days off: look at them`,
}

/** limits of a mailbox, in MailboxForm.tsx */
export const limits = {
  hours: 'When letters may leave',
  hoursHint: 'In the mailbox’s time zone. A round may keep hours of its own.',
  daysOff: 'Days off',
  usual: 'Usual limits',
  usualHint: 'Common practice, with no source: look up what your host says.',
  personal: 'A personal mailbox: 500 a day',
  organisation: 'An organisation’s: 1,500 a day',
  perDay: 'Recipients a day',
  perDayHint: 'To, Cc and Bcc each count.',
  countedBy: 'A day is',
  rolling: 'any 24 hours',
  calendar: 'a calendar day at the host',
  dayZone: 'The host’s time zone',
  dayZoneHint: 'By whose midnight it counts.',
  perHour: 'Recipients an hour',
  recipientsPerMinute: 'Recipients a minute',
  noneOfIts: 'Empty: no limit of its own.',
  perMessage: 'Recipients of one message',
  gentle: 'Start gently when the mailbox is new, or has been quiet for 30 days',
  secondEyes: 'A second pair of eyes for every round',
  secondEyesWhy: 'A round is posted by somebody else than whoever changed it last, who has read its reading set.',
  gentleWhy:
    'A host distrusts a mailbox that suddenly writes to many. On each day on which it sends it may write to more, until its own limit is all that counts.',
  gentleDays: 'Recipients on the first day, the second, and so on',
  gentleDaysWrong: 'Write whole numbers with commas between them, such as 20, 40, 80.',
}

/** mailboxValues.ts */
export const mailboxValues = {
  passwordMissing: 'The password is missing.',
  typeAgainStoredOne: (join: string, are: string) =>
    `Type it again: the stored one goes only where it was given for, and ${join} ${are} another now.`,
  between001500: 'Between 0.01 and 500 MB.',
}

/** FolderFields.tsx */
export const folderFields = {
  choose: 'Choose further folders…',
  chosen: (paths: string[]) => `Also looked into: ${paths.join(', ')}.`,
  waiting: 'The folders are being asked for…',
  none: 'The mailbox has no other folders.',
  gone: (path: string) => `${path} (is not there any more)`,
  folders: 'Further folders',
}
