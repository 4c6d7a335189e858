// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import type { RoundOverview } from '@hand-post/contract'
import { times, verb } from '@hand-post/core'
import { moment } from '../shared/moment.ts'

const n = (number: number) => number.toLocaleString('en-GB')

/** tour */
export const tour = {
  title: 'How a round goes',
  contents: 'Parts of this page',
  offer: 'New here? How a round goes, from the table to the answers, stands on one page.',
  show: 'Show me',
  later: 'No, thank you',
  laterMore: 'The question mark at the top brings it back at any time.',
  helpWith: (stage: string) => `Help with ${stage}`,
}

/** rounds */
export const rounds = {
  title: 'Rounds',
  notShown: 'The rounds cannot be shown',
  none: 'No rounds yet',
  noneMore:
    'A round is one letter that goes to many people, one message each. It stays here with its people, its letter and what came back.',
  noneShows: ['Its title and list', 'The days its letters leave', 'Its life, drawn', 'Sent', 'Answered', 'What waits'],
  goingOut: 'Going out',
  drafts: 'Not posted yet',
  finished: 'Finished',
  round: 'Round',
  days: 'Days',
  life: 'Letters, and answers below',
  sent: 'Sent',
  answered: 'Answered',
  waits: 'What waits',
  changed: 'Last changed',
  next: 'What comes next',
  subject: 'Subject',
  noSubject: 'none yet',
  noList: 'no list yet',
  peopleIn: (people: number, list: string) => `${times(people, 'person', 'people')} in “${list}”`,
  of: (some: number, all: number) => `${n(some)} of ${n(all)}`,
  noAnswer: 'nobody',
  bringIn: 'Bring in a list',
  write: 'Write the letter',
  proofAndPost: 'Proof it, and post it',
  /** What is open in a posted round, the most pressing first. */
  waiting: ({ states, paperLetters, held, lastAt, inTray, replied, bounced }: RoundOverview): string[] => {
    const left = states.waiting + states.retrying + states.sending
    const silent = states.sent - replied - bounced
    return [
      states.inDoubt > 0
        ? `${times(states.inDoubt, 'letter')} in doubt: settle ${verb(states.inDoubt, 'it', 'them')}`
        : '',
      left > 0 && held ? `${times(left, 'letter')} held until you carry on` : '',
      left > 0 && !held ? `${times(left, 'letter')} to go${lastAt === null ? '' : ` until ${moment(lastAt)}`}` : '',
      paperLetters.toPrint > 0 ? `${times(paperLetters.toPrint, 'letter')} on paper to be printed` : '',
      inTray > 0 ? `${times(inTray, 'message')} in the in-tray` : '',
      states.refused > 0 ? `${times(states.refused, 'letter')} refused` : '',
      silent > 0 ? `${times(silent, 'person has', 'people have')} not answered` : '',
    ].filter(Boolean)
  },
  everybodyAnswered: 'Nothing: everybody has answered',
  nothing: 'Nothing',
}

/** Desk.tsx */
export const desk = {
  broughtBack: 'brought back',
  shows: ['What is going out', 'What came back', 'What waits for me'],
  desk: 'Desk',
  lookMailbox: 'Look at the mailbox',
  doubtNotKnownWhether: (inDoubt: number) =>
    `${times(inDoubt, 'message is', 'messages are')} in doubt: it is not known whether ${verb(inDoubt, 'it', 'they')} went.`,
  settleOutTray: 'Settle in the out-tray',
  roundOneLetterGoing:
    'A round is one letter going out one by one to the people of one list. Start one with a spreadsheet; the practice mailbox is ready, so nothing reaches a real person while you try.',
  nothingWayJustNow: 'Nothing is on its way just now.',
  noAnswerWaitsRead: 'No answer waits to be read. Answers and bounced mail show up here by themselves.',
  noRoundUnfinished: 'No round is unfinished.',
  deskCannotShown: 'The desk cannot be shown',
  waitsUntil: (until: number) => `waits until ${moment(until)}`,
  stopped: 'is stopped',
  nothingDeskYet: 'Nothing on the desk yet',
  whatGoingOut: 'What is going out',
  whatCameBack: 'What came back',
  trayOpen: (inTray: number) => `In-tray, ${inTray} open`,
  tray: 'In-tray',
  whatWaitsMe: 'What waits for me',
  finished: 'Finished',
}

/** Palette.tsx */
export const palette = {
  findAction: 'Find an action',
  nothingNameTryAnother: 'Nothing has that name. Try another word.',
  whatDoYouWant: 'What do you want to do?',
  startRound: 'Start a round',
  goDesk: 'Go to the desk',
  goRounds: 'Go to rounds',
  goLists: 'Go to the lists',
  goAddressBook: 'Go to the address book',
  goDoNotWrite: 'Go to the do-not-write list',
  goLetters: 'Go to letters',
  goOutTray: 'Go to the out-tray',
  goTray: 'Go to the in-tray',
  goMailboxes: 'Go to mailboxes',
  goCopies: 'Make a copy of everything',
  checkRecord: 'Check a posting record',
  goAccount: 'Go to your account and sessions',
  goColleagues: 'Go to colleagues',
  goHappened: 'Go to what happened',
  signOut: 'Sign out',
  openRound: (title: string) => `Open round: ${title}`,
}

/** RoundScreen.tsx */
export const roundScreen = {
  letterNotSaved: 'The letter is not saved',
  deleteIt: 'Delete',
  deleteRound: 'Delete the round',
  letterChoicePeopleGo: 'Its letter and its choice of people go; the list stays. Nothing of it was ever sent.',
  roundCannotShown: 'This round cannot be shown',
  round: (name: string) => `This round: ${name}`,
  nextPerson: 'Next person',
  previousPerson: 'Previous person',
  firstPerson: 'First person',
  lastPerson: 'Last person',
  stage: 'This stage',
  divideRowsFromRest: 'Divide the rows from the rest',
  rows: 'Rows',
  rows2: 'The rows',
  dividePair: 'Divide the pair',
  message: 'The message',
  everythingSaved: 'Everything is saved',
  saving: 'Saving…',
  titleRound: 'Title of the round',
  postedLettersFrozen: 'Posted: its letters are frozen',
  deleteIt2: (title: string) => `Delete “${title}”?`,
}

/** RoutingSlip.tsx */
export const routingSlip = {
  alsoHere: 'Also here',
  isAt: (name: string, stage: string) => `${name}, at ${stage}`,
  isHere: (name: string) => `${name} is here`,
  nPeople: (n: number) => times(n, 'person', 'people'),
  people: 'People',
  letter: 'Letter',
  enclosures: 'Enclosures',
  proof: 'Proof',
  dispatch: 'Dispatch',
  responses: 'Responses',
  wantsAttention: 'wants attention',
  wantsYourWord: 'wants your word',
  notBegun: 'not begun',
  underWay: 'under way',
  rule: (byRule: number) => `${byRule} by rule`,
  setAside: (setAside: number) => `${setAside} set aside`,
  notChased: (n: number) => `${n} not to be chased`,
  notWritten: (doNotWrite: number) => `${doNotWrite} not to be written to`,
  sameAddress: (joined: number, sameAddress: number) => `${joined + sameAddress} of the same address`,
  cameLateNoLetter: (late: number) =>
    `${times(late, 'person', 'people')} came late and ${verb(late, 'has', 'have')} no letter`,
  posted: (all: number) => `Posted to ${times(all, 'person', 'people')}`,
  leftOut: (out: string) => `; left out: ${out}`,
  onPaper: (n: number) => `, ${n} by paper post`,
  toPrint: (sent: number, all: number, toPrint: number) =>
    `${all > 0 ? `${sent} of ${all} sent, ` : ''}${toPrint} to be printed`,
  allPrinted: (n: number) => `${n} printed`,
  allOnPaper: (n: number) => `${times(n, 'letter')} by paper post`,
  bringList: 'Bring in a list',
  notWrittenYet: 'Not written yet',
  none: 'None',
  haveTheirFiles: (with_: number, people: number) => `${with_} of ${people} have their files`,
  amending: (left: number) => `Held: amended for the ${left} who wait`,
  settledBeforePosting: 'Settled before posting',
  readingEveryMessage: 'Reading every message…',
  nothingProofYet: 'Nothing to proof yet',
  settle: (stops: number, asks: number) => `${stops + asks} to settle`,
  yourWord: (asks: number) => `${asks} ${verb(asks, 'wants', 'want')} your word`,
  nothingSettle: 'Nothing to settle',
  heldNotSent: (left: number, all: number) => `Held: ${left} of ${all} not sent`,
  sentUntil: (sent: number, all: number, last: number | undefined | null) =>
    `${sent} of ${all} sent${last == null ? '' : `, until ${moment(last)}`}`,
  sent: (sent: number, all: number) => `${sent} of ${all} sent`,
  withinMinute: 'Within a minute',
  nothingPlanned: 'Nothing planned',
  nothingYet: 'Nothing yet',
  repliedBounced: (replied: number, arrived: number, bounced: number) =>
    `${replied} of ${arrived} replied, ${bounced} bounced`,
  stagesRound: 'Stages of the round',
}

/** TopLine.tsx */
export const topLine = {
  handPost: 'Hand Post',
  ctrlK: 'Ctrl K',
  signOut: 'Sign out',
  accountOf: (name: string) => `${name}: your account`,
  signingIn: 'Signing in',
  findsEveryActionRound: 'finds every action. In a round,',
  and: 'and',
  goFromPersonPerson: 'go from person to person,',
  to: 'to',
  fromStageStage: 'from stage to stage.',
  alt: 'Alt ↑',
  alt2: 'Alt ↓',
  alt1: 'Alt 1',
  alt6: 'Alt 6',
  picturesLinksLettersGo: (publicAddress: string, publicIsLocal: boolean) =>
    `Pictures and links in letters go by ${publicAddress}${publicIsLocal ? ', which only this machine can reach: opens and clicks are seen from the practice mailbox only, until a public address is set.' : '.'}`,
  apiDescribed: 'The API, described',
  desk: 'Desk',
  rounds: 'Rounds',
  people: 'People',
  letters: 'Letters',
  outTray: 'Out-tray',
  tray: 'In-tray',
  mailboxes: 'Mailboxes',
  main: 'Main',
  paused: 'paused',
  leftToday: (allowance: number, perDay: number) =>
    `${allowance.toLocaleString('en-GB')} of ${perDay.toLocaleString('en-GB')} left today`,
  findAction: 'Find an action',
  useLightTheme: 'Use the light theme',
  useDarkTheme: 'Use the dark theme',
  help: 'Help',
}
