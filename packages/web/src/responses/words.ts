// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import type { Board, ResponseEntry, TrayLine } from '@hand-post/contract'
import {
  type Device,
  type FileFault,
  type MachineReason,
  type PaperState,
  type ResponseKind,
  times,
  verb,
} from '@hand-post/core'
import { sum } from 'd3-array'
import { moment } from '../shared/moment.ts'

/** What came back, by its kind, before its moment. */
const kindWords: Record<ResponseKind, string> = {
  reply: 'Answered',
  automatic: 'Automatic answer,',
  bounce: 'Returned',
  delayed: 'Delayed,',
  delivered: 'Delivered',
  receipt: 'Read receipt,',
  open: 'Opened',
  click: 'Followed a link',
  optOut: 'Opted out',
}

/** personScreen */
export const personScreen = {
  forgotten: 'Its words are forgotten.',
  notShown: 'This person cannot be shown',
  also: 'Writes from these addresses too, by your word:',
  forget: 'Forget it',
  to: (address: string) => `to ${address}`,
  refused: (at: string, reason: string) => `On the do-not-write list since ${at}: ${reason}`,
  allow: 'Take off the list',
  refuse: 'Do not write to them',
  groups: (names: string[]) =>
    names.length === 0 ? 'In no group.' : `In the ${verb(names.length, 'group', 'groups')} ${names.join(', ')}.`,
  toBook: 'To the address book',
  notInBook: 'Not in the address book.',
  putIn: 'Put them in',
  letters: (n: number) => (n === 0 ? 'Letters' : times(n, 'letter')),
  summary: (rounds: { state: string; responses: { kind: string }[]; files: unknown[] }[]) => {
    const answers = sum(rounds, (r) => r.responses.filter((x) => x.kind === 'reply').length)
    const files = sum(rounds, (r) => (r.state === 'sent' ? r.files.length : 0))
    const sent = rounds.filter((r) => r.state === 'sent').length
    return `${times(sent, 'letter')} sent, ${times(files, 'file')} enclosed, ${times(answers, 'answer')}.`
  },
  none: 'Never written to',
  noneMore: 'No round has a letter for this address.',
  noneShows: ['Round and subject', 'When it left', 'The letter’s words', 'Its files', 'What came back'],
  planned: (at: string) => `planned ${at}`,
  theLetter: 'The letter',
  files: 'Files',
  came: (kind: ResponseKind, at: string) => `${kindWords[kind]} ${at}`,
}

/** InTray.tsx */
export const inTray = {
  shows: ['Who answered, and when', 'What it wants of you', 'Their words', 'The letter and the row they answer'],
  tray: 'In-tray',
  which: 'Which entries',
  open: (n: number) => `To look at ${n.toLocaleString('en-GB')}`,
  putBy: (n: number) => `Put by ${n.toLocaleString('en-GB')}`,
  done: (n: number) => `Done ${n.toLocaleString('en-GB')}`,
  nothingWantsYouJust: 'Nothing wants you just now.',
  look: (open: number, back: number) =>
    `${times(open, 'entry', 'entries')} to look at${back > 0 ? `, ${back} of them brought back` : ''}.`,
  cannotShown: 'The in-tray cannot be shown',
  empty: { open: 'The in-tray is empty', putBy: 'Nothing is put by', done: 'Nothing is done yet' },
  emptyMore: {
    open: 'Answers, returned letters and automatic replies of all rounds come here, and nothing else of your mailbox does.',
    putBy: 'What you put by until a day, or until something happens, waits here and comes back by itself.',
    done: 'What you are done with is kept here. Receipts come here by themselves.',
  },
  order: 'Order',
  orders: { pile: 'What wants you first', day: 'Newest first', round: 'By round' },
  piles: 'Piles',
  all: 'All',
  selectNone: 'Select none',
  selectAll: (n: number) => `Select all ${n.toLocaleString('en-GB')}`,
  space: 'Space',
  selects: 'selects',
  takesBack: 'takes back',
  more: (n: number) => `The first ${n.toLocaleString('en-GB')} are shown.`,
}

/** TrayList.tsx */
export const trayList = {
  files: 'Files that came back:',
  entries: 'Entries',
  copyS: 'a copy’s',
  whose: 'whose?',
  answered: 'answered by you',
  broughtBack: 'brought back',
  junk: 'in Junk',
  backUntil: (day: string) => `back ${day}`,
  until: (at: string, when: TrayLine['backWhen']) =>
    [
      at && `until ${at}`,
      when === 'opened' ? 'until they open it' : when === 'unanswered' ? 'if there is no answer' : '',
    ]
      .filter(Boolean)
      .join(', '),
  keys: 'Arrow keys: next and previous. Space: select. D: done. B: bring back. A: answer. O: outcome word. U: undo.',
}

/** trayActions.ts */
export const trayActions = {
  done: (n: number) => (n === 1 ? 'Done.' : `${times(n, 'entry', 'entries')} done.`),
  open: (n: number) => (n === 1 ? 'To be looked at again.' : `${times(n, 'entry', 'entries')} to be looked at again.`),
  putBy: (n: number, until: string) => `${n === 1 ? 'Put by' : `${times(n, 'entry', 'entries')} put by`} ${until}.`,
  pile: (n: number, pile: string) => `${times(n, 'entry', 'entries')} put to “${pile}”.`,
  word: (n: number, word: string | null) =>
    word === null
      ? `${times(n, 'person', 'people')} without a word now.`
      : `${times(n, 'person', 'people')}: “${word}”.`,
  wordsChanged: (lost: number) =>
    `The round has other words now.${lost === 0 ? '' : ` ${times(lost, 'person', 'people')} lost the one they had.`}`,
  taken: (person: string) => `It counts for ${person} now, and their address is remembered.`,
  refused: 'It is no answer to the letter, and is not kept.',
  undo: 'Undo',
  reminderDone: 'Done with the reminder.',
  undone: 'Taken back.',
  nothingToUndo: 'There is nothing to take back.',
}

/** TrayEntry.tsx */
export const trayEntry = {
  chose: (choice: string) => `Chose: ${choice}`,
  cannotShown: 'This entry cannot be shown',
  back: 'All entries',
  noSubject: '(no subject)',
  selected: (n: number) => `${times(n, 'entry', 'entries')} selected`,
  done: 'Done',
  lookAgain: 'Look at it again',
  bringBack: 'Bring back…',
  answer: 'Answer…',
  word: 'Outcome word…',
  pile: 'Pile',
  toPile: (name: string) => `Put to “${name}”`,
  theirs: (person: string) => `It is ${person}’s`,
  noAnswer: 'It is no answer',
  found: (how: string) => `Found ${how}.`,
  perhaps: (from: string, person: string) =>
    `This comes from ${from} and may be an answer of ${person}’s. It counts for nobody until you have said so.`,
  copy: (kind: string, address: string | null, person: string) =>
    `${kind === 'bounce' ? 'This is about' : 'This comes from'} ${address}, who has a copy of the letter. It does not count for ${person}.`,
  other: (kind: string, address: string | null, person: string) =>
    `${kind === 'bounce' ? 'This is about' : 'This comes from'} ${address}, which is neither ${person}’s address nor one with a copy. It counts for nobody until you say whose it is.`,
  junk: (folder: string) =>
    `It lies in the folder “${folder}”, and only its headers were read. Move it to the inbox in your mail program to read it here.`,
  answered: (at: string) => `You answered it on ${at}, as Sent has it.`,
  outcome: (word: string) => `Outcome: ${word}`,
  quotes: 'With what it quotes',
  noWords: 'It has no words of its own.',
  row: 'The row it answers',
  noRow: 'The row is not in the list any more.',
  letter: 'The letter it answers',
  sent: (person: string, sentAt: number | null) => `to ${person}, sent ${moment(sentAt)} in`,
  sorted: (why: string) => `Why here? ${why}`,
}

/** BringBack.tsx */
export const bringBack = {
  title: 'Bring back',
  named: (words: string) => `as it says: “${words}”`,
  returns: 'when they are back',
  tomorrow: 'Tomorrow',
  monday: 'Next Monday',
  week: 'In a week',
  another: 'Another day and hour',
  bring: 'Bring back then',
  unanswered: 'Only if there is no answer by then',
  opened: 'When they open the letter',
  openedMore: 'Or on the day, whichever is first, if one is given.',
  noDay: 'Give a day and hour first.',
  past: 'That has passed already.',
}

/** OutcomeWords.tsx */
export const outcomeWord = {
  title: 'Outcome word',
  none: 'No word',
  change: 'Change the words…',
  label: 'Words of this round, one a line',
  hint: 'Up to nine, such as “coming” or “paid”. A word that is left out is taken from whoever has it.',
  save: 'Save the words',
  first: 'This round has no words yet. Write those that you want to sort its answers by.',
  tooMany: 'A round has up to nine words.',
  tooLong: 'A word has up to 40 characters.',
  otherRounds: 'The selected entries are of several rounds: words are given round by round.',
}

/** Reminders.tsx */
export const reminders = {
  title: 'Reminders',
  due: (round: string, unanswered: number, about: number) =>
    unanswered === 0
      ? `${round}: all ${times(about, 'person', 'people')} have answered.`
      : `${round}: ${unanswered} of ${times(about, 'person', 'people')} ${verb(unanswered, 'has', 'have')} not answered.`,
  coming: (round: string, at: string) => `${round}: you will be reminded on ${at} of those who have not answered.`,
  people: (names: string[], more: number) => `${names.join(', ')}${more > 0 ? ` and ${more} more` : ''}`,
  write: (n: number) => `Write to these ${n.toLocaleString('en-GB')}…`,
  done: 'Done with it',
  board: 'Look at the board',
}

/** ResponsesStage.tsx */
export const responsesStage = {
  whoIsForgotten: 'Who it was is forgotten; only the number stays.',
  whenRoundPostedYou:
    'When the round is posted, you see here who answered, whose letter came back, and who was not heard from.',
  goDispatch: 'Go to Dispatch',
  onPaper: (letters: Board['paper']) => {
    const of = (state: PaperState) => letters.find((one) => one.state === state)
    const printed = of('printed')
    const parts = [
      printed && `${printed.letters} printed on ${moment(printed.printedAt)}`,
      of('toPrint') && `${of('toPrint')!.letters} to be printed at Dispatch`,
      of('withdrawn') && `${of('withdrawn')!.letters} withdrawn`,
    ].filter(Boolean)
    const all = letters.reduce((sum, one) => sum + one.letters, 0)
    return `${all} by paper post: ${parts.join(', ')}. What becomes of letters on paper is not seen here.`
  },
  repliedNotYetAnswered: (replied: number, unanswered: number, next: string) =>
    `${replied} replied; ${unanswered} not yet answered. ${next}`,
  sentArrived: (sent: number, messages: number, arrived: number) =>
    `${sent} of ${times(messages, 'letter')} sent, ${arrived} arrived.`,
  ofThe: (ofGiven: number, ofWhat: string) => `Of the ${ofGiven} ${ofWhat}`,
  opensClicksWereNot: 'Opens and clicks were not asked for in this round.',
  replied: 'replied',
  opened: 'opened',
  sent: 'sent',
  posted: 'posted',
  bounced: 'bounced',
  withdrawn: 'withdrawn',
  notAnswered: 'not answered',
  sentAutomaticReply: 'sent an automatic reply',
  fetchedMachineOnly: 'opened by a machine only',
  followedLink: 'followed a link',
  gaveReadReceipt: 'sent a read receipt',
  optedOutFurtherLetters: 'opted out of further letters',
  refusedHost: 'refused by the host',
  notYetSent: 'not yet sent',
  doubt: 'in doubt',
  arrived: 'that arrived',
  nothingHasGoneYet: 'Nothing has gone yet',
  boardCannotShown: 'The board cannot be shown',
  nothingNew: 'Nothing new.',
  found: (found: number) => `${times(found, 'answer')} found.`,
  looking: 'Looking…',
  lookAnswers: 'Look for answers',
  showThesePeople: (n: number, ofGiven: number, ofWhat: string) => `${n} of ${ofGiven} ${ofWhat}: show these people`,
  withoutWord: 'without a word',
  byWords: 'By your words',
  byChoice: 'By the choices of the letter',
  choseNothing: 'chose nothing',
  delayed: 'delayed on their way',
  files: 'sent a file back',
  noFiles: 'sent no file back',
  followed: (address: string) => `followed ${address}`,
  keepFiles: 'Files that came back…',
}

/** BoardPeople.tsx */
export const boardPeople = {
  writeTo: (n: number) => (n === 1 ? 'Write to this person…' : `Write to these ${n.toLocaleString('en-GB')}…`),
  nPeople: (n: number) => times(n, 'person', 'people'),
  nobodyJustNow: 'Nobody just now.',
  person: 'Person',
  outcome: 'Outcome',
  when: 'When',
  version: 'Version',
  theirWords: 'In their words',
  outcomes: 'Outcomes',
  choice: 'Choice',
  word: 'Your word',
  giveWord: (n: number) => (n === 1 ? 'Give them a word…' : `Give these ${n} a word…`),
}

/** By what it is seen that a machine did it. */
const machineWords: Record<MachineReason, string> = {
  quick: ' (a machine: within ten seconds of sending)',
  burst: ' (a machine: several links within five seconds)',
  robot: ' (a machine: it calls itself one)',
  ahead: ' (a machine: it names no program, as mail services do that fetch pictures ahead)',
}
const countries = new Intl.DisplayNames('en-GB', { type: 'region' })
/** A country by its name. */
const nameOfCountry = (code: string): string => countries.of(code) ?? code

/** SeenBy.tsx */
export const seenBy = {
  ofOpened: (title: string, opened: number) => `${title}, of the ${opened} opened`,
  programs: {
    title: 'Opened with',
    label: 'With which programs letters were opened; the figures stand in the table below.',
    what: 'Program',
  },
  onDevices: {
    title: 'On which devices',
    label: 'On which devices letters were opened; the figures stand in the table below.',
    what: 'Device',
  },
  fromCountries: {
    title: 'From which countries',
    label: 'From which countries letters were opened; the figures stand in the table below.',
    what: 'Country',
  },
  letters: 'Letters',
  unknown: 'not told',
  proxied: 'by the mail service, in their place',
  devices: { computer: 'computer', phone: 'phone', tablet: 'tablet' } satisfies Record<Device, string>,
  nameOfCountry,
  opened: (n: number, of: number) =>
    of === 0
      ? 'No letter has arrived yet.'
      : `${n} of the ${times(of, 'letter')} that arrived ${verb(n, 'was', 'were')} opened by a person (${Math.round((100 * n) / of)}%), as far as can be seen.`,
  honest:
    'An open tells that a program fetched the picture in the letter, and a followed link that an address was asked for: not that somebody read. Whoever reads without pictures opens nothing here.',
  noOpens: 'Opens were not asked for in this round: who followed a link has opened the letter.',
  machines: (some: { why: MachineReason | null; letters: number }[]) =>
    `Apart from these, machines only: ${some.map(({ why, letters }) => `${times(letters, 'letter')} ${why === null ? '' : shortly[why]}`.trim()).join(', ')}.`,
  links: 'Links of the letter',
  followed: (n: number, of: number) => (of === 0 ? String(n) : `${n} of ${of} (${Math.round((100 * n) / of)}%)`),
  whoFollowed: (address: string) => `Show who followed ${address}`,
  more: (n: number) => `and ${times(n, 'further address', 'further addresses')}, each followed by fewer.`,
  withoutQuery: 'Links are told apart without what stands behind “?”: that may be each person’s own.',
  noLinks: 'Links were not counted in this round.',
  noneYet: 'Nothing was opened yet.',
}
const shortly: Record<MachineReason, string> = {
  quick: 'within ten seconds of sending',
  burst: 'with several links within five seconds',
  robot: 'by what calls itself a machine',
  ahead: 'by what names no program',
}

/** HeardFrom.tsx */
export const heardFrom = {
  forgotten: ' (its words are forgotten)',
  allTheirLetters: 'All their letters',
  refused: 'Refused:',
  whatCameBackFrom: (person: string) => `What came back from ${person}`,
  /** What opened or followed, as far as it tells of itself. */
  by: (client: ResponseEntry['client'], country: string | null) => {
    if (!client) return ''
    const what = client.proxy
      ? 'fetched by their mail service in their place'
      : [client.program && `with ${client.program}`, client.device && `on a ${client.device}`].filter(Boolean).join(' ')
    return [what && `, ${what}`, country && `, from ${nameOfCountry(country)}`].filter(Boolean).join('')
  },
  machine: machineWords,
  whoHasCopyDoes: (from: string, person: string) =>
    ` (of ${from || 'somebody'}, who has a copy: it does not count for ${person})`,
  anotherAddressCountsOnce: (person: string) =>
    ` (of another address: it counts once you say in the in-tray that it is ${person}’s)`,
  perhaps: ' (perhaps: it counts once you say in the in-tray that it is theirs)',
  no: ' (no answer, by your word)',
  kinds: {
    reply: 'replied',
    automatic: 'sent an automatic reply',
    bounce: 'came back',
    delayed: 'is delayed on its way',
    delivered: 'was delivered',
    receipt: 'sent a read receipt',
    open: 'opened it',
    click: 'followed a link',
    optOut: 'opted out of further letters',
  } satisfies Record<ResponseKind, string>,
}

/** BoardCharts.tsx */
export const boardCharts = {
  ways: { time: 'Over time', choices: 'Choices', seen: 'Opens and links', hour: 'By hour', rounds: 'Earlier rounds' },
  which: 'What is drawn',
  drawings: 'Charts',
  nothingSent: 'Nothing has left yet.',
  nothingHeard: 'Nothing was opened or answered yet.',
  noEarlier: 'There is no earlier round to this list.',
  notADay: 'A day after the letters arrived, it stands here how many were answered.',
  whyBack: 'Why letters came back',
  returned: (count: number, sent: number, domain: string, reason: string, hard: boolean) =>
    `${count} of ${sent} at ${domain}: ${reason}${hard ? '' : ' (may be taken another time)'}`,
  moreReasons: (n: number) => `and ${times(n, 'further reason')}`,
}

/** RemindMe.tsx */
export const remindMe = {
  remindMe: 'Remind me…',
  of: (n: number | null) =>
    n === null
      ? 'Of everybody who has not answered by then, by name, on the desk and in the in-tray:'
      : `Of those of these ${times(n, 'person', 'people')} who have not answered by then, by name, on the desk and in the in-tray:`,
  with: 'A letter to them can be begun from there with one click.',
  when: 'When',
  remind: 'Remind me then',
  done: (at: string) => `You will be reminded on ${at}.`,
}

/** TimelineChart.tsx */
export const timelineChart = {
  title: 'What came back over time',
  whatCameBackOver: 'What came back over time; the figures stand in the table below.',
  kinds: { sent: 'sent', opened: 'opened', replied: 'replied', bounced: 'bounced' },
  what: 'What',
  howMany: 'How many',
  first: 'First',
  last: 'Last',
}

/** HourChart.tsx */
export const hourChart = {
  title: (zone: string) => `When in the day letters were opened and answered (time in ${zone.replaceAll('_', ' ')})`,
  label: 'At which hour of the day letters were opened and answered; the figures stand in the table below.',
  hour: 'Hour',
  hourOf: (hour: number) => `${String(hour).padStart(2, '0')}:00`,
  opened: 'opened',
  replied: 'replied',
}

const percent = (part: number, of: number) => `${Math.round((100 * part) / of)}%`

/** BarsChart.tsx */
export const barsChart = {
  share: (n: number, of: number) => (of === 0 ? String(n) : `${n} (${Math.round((100 * n) / of)}%)`),
}

/** ChoiceChart.tsx */
export const choiceChart = {
  title: 'What was chosen',
  label: 'How many people chose what; the figures stand in the table below.',
  choice: 'Choice',
  people: 'People',
  nothing: 'chose nothing',
}

/** ComparedChart.tsx */
export const comparedChart = {
  title: 'Answered after so many days',
  label:
    'How many letters were answered after so many days, beside earlier rounds; the figures stand in the table below.',
  round: 'Round',
  withinDays: (days: number) => `after ${times(days, 'day')}`,
  days: (days: number) => times(days, 'day'),
  percent: (n: number) => `${n}%`,
  share: (replied: number, arrived: number) => `${percent(replied, arrived)} (${replied} of ${arrived})`,
  notYet: 'not yet',
  shortTitle: (title: string) => (title.length > 16 ? `${title.slice(0, 15).trimEnd()}…` : title),
  rest: (words: string) => `… ${words}`,
  before: (title: string, replied: number, arrived: number) =>
    `${title}, ${percent(replied, arrived)} (${replied} of ${arrived})`,
  sentence: (days: number, replied: number, arrived: number, before: string[]) =>
    `Answered after ${times(days, 'day')}: ${percent(replied, arrived)} (${replied} of ${arrived}). In earlier rounds to this list: ${before.join('; ')}.`,
}

/** RoundsOfList.tsx, SharesChart.tsx */
export const roundsOfList = {
  title: (list: string) => `Rounds to “${list}”`,
  open: 'All rounds to this list',
  back: 'The list',
  notShown: 'The rounds cannot be shown',
  none: 'No round to this list was posted yet',
  noneWhat:
    'When several were, they stand beside each other here: how many arrived, were opened and answered, and how soon.',
  one: 'One round was posted to this list. With the next one there is something to compare.',
  more: (n: number) => `${times(n, 'earlier round')} ${verb(n, 'is', 'are')} not among them.`,
  shares: 'What came of each round',
  sharesLabel:
    'What share of the letters arrived, was opened and was answered, round after round; the figures stand in the table below.',
  lines: { arrived: 'arrived', opened: 'opened', replied: 'answered' },
  days: 'How soon they answered',
  daysHint: (most: number) => `Those of up to ${most} rounds, chosen below.`,
  notADay: 'No letter of these has been there for a day yet.',
  table: 'The rounds, the latest first',
  heads: {
    draw: 'Draw',
    round: 'Round',
    posted: 'Posted',
    letters: 'Letters',
    arrived: 'Arrived',
    opened: 'Opened',
    replied: 'Answered',
    half: 'Half of these within',
    chased: 'Chasers',
    said: 'What they said',
  },
  draw: (title: string) => `Draw ${title}`,
  of: (n: number, of: number) => (of === 0 ? '–' : `${percent(n, of)} (${n.toLocaleString('en-GB')})`),
  percent: (n: number) => `${n}%`,
  notCounted: 'not counted',
  nobody: '–',
  letters: (messages: number, paper: number) =>
    paper === 0
      ? messages.toLocaleString('en-GB')
      : `${messages.toLocaleString('en-GB')} and ${paper.toLocaleString('en-GB')} on paper`,
  waiting: (n: number) => `${n.toLocaleString('en-GB')} still to leave`,
  within: (ms: number) =>
    ms < 3_600_000
      ? times(Math.max(1, Math.round(ms / 60_000)), 'minute')
      : ms < 172_800_000
        ? times(Math.round(ms / 3_600_000), 'hour')
        : times(Math.round(ms / 86_400_000), 'day'),
  said: (what: string, people: number) => `${what} ${people.toLocaleString('en-GB')}`,
}

/** Drawing.tsx */
export const drawing = {
  asTable: 'As a table',
  keep: 'Print or keep',
  print: 'Print…',
  svg: 'As a drawing (.svg)',
  png: 'As a picture (.png)',
  noPng: 'The picture could not be made. Take the drawing (.svg) instead.',
}

/** ReturnedFiles.tsx */
export const returnedFiles = {
  files: 'Files that came back',
  fetching: 'Its files are being fetched from the mailbox.',
  look: 'Look',
  lookAt: (name: string) => `Look at ${name}`,
  save: 'Save',
  saveOf: (name: string) => `Save ${name}`,
  ours: 'It is your own file, sent back as it was.',
  examining: 'It is being examined.',
  faults: {
    executable: (detail: string) => `It is a program${detail && ` (${detail})`}: do not open it.`,
    macros: (detail: string) => `It has macros${detail && ` (${detail})`}: open it only where they cannot run.`,
    locked: () => 'It is locked with a password.',
    broken: (detail: string) => `It cannot be read${detail && `: ${detail}`}.`,
    swells: (detail: string) => `It swells when it is unpacked${detail && ` (${detail})`}: do not open it.`,
    empty: () => 'It is empty.',
    wrongEnding: (detail: string) => `Its ending belies what it is${detail && `: ${detail}`}.`,
  } satisfies Record<FileFault, (detail: string) => string>,
}

/** FileView.tsx */
export const fileView = {
  save: 'Save it',
  notThere: 'The file is not there any more. Load the page again.',
  noPicture: 'This picture cannot be shown. Save it, and open it with another program.',
  noPages: 'The pages of this PDF cannot be shown: it is damaged or not whole. Save it, and try another program.',
  locked: 'This PDF is locked with a password. Save it, and open it with a program that asks for it.',
  noPage: (n: number) => `Page ${n} cannot be shown.`,
  page: (n: number, of: number, name: string) => `Page ${n} of ${of} of ${name}`,
  more: (shown: number, of: number) => `These are the first ${shown} of ${of} pages. Save it to see them all.`,
}

/** KeepFiles.tsx */
export const keepFiles = {
  title: 'Files that came back',
  person: 'Person',
  cameAs: 'Came as',
  keptAs: 'Kept as',
  pattern: 'What each is called, with fields of the list in two braces, for instance {{Name}}-permit:',
  asTheyCame: 'as they came',
  unknown: (names: string[]) =>
    `The list has no column ${names.map((name) => `“${name}”`).join(', ')}: nothing is written for ${names.length === 1 ? 'it' : 'them'}.`,
  fetching: (n: number) => `${times(n, 'answer')} ${verb(n, 'brings', 'bring')} files that are still being fetched.`,
  none: 'No files came back',
  noneMore: 'Files that people send back with their answers stand here, with whose they are.',
  cannotShown: 'The files cannot be shown',
  firstOf: (shown: number, of: number) =>
    `These are the first ${shown.toLocaleString('en-GB')} of ${of.toLocaleString('en-GB')}. The zip has all of them.`,
  zip: (n: number | null) => (n === null ? 'Keep all as a zip' : `Keep ${times(n, 'file')} as a zip`),
  folder: 'Write to a folder…',
  writing: (done: number, of: number) => `${done} of ${of} written…`,
  written: (n: number, folder: string) => `${times(n, 'file')} written to the folder “${folder}”.`,
  taken: (names: string[]) =>
    `The folder has ${names.length === 1 ? 'a file of this name' : 'files of these names'} already: ${names.slice(0, 5).join(', ')}${names.length > 5 ? ` and ${names.length - 5} more` : ''}. Nothing was written. Choose another folder, or another pattern.`,
  notGiven: (name: string) => `${name} is not there any more.`,
  brokeOff: (done: number, of: number, why: string) => `${done} of ${of} were written, then it broke off: ${why}`,
  leftOut: (why: string) => `left out${why && `: ${why}`}`,
}

/** SentAnswers.tsx */
export const sentAnswers = {
  title: 'Your answers',
  written: (at: string) => `Written on ${at}`,
  leaves: (at: number | null) =>
    at === null ? 'Waits: nothing leaves this mailbox just now.' : `Leaves on ${moment(at)}.`,
  leaving: 'Leaves just now.',
  sent: (at: number | null) => (at === null ? 'Sent.' : `Sent on ${moment(at)}.`),
  retrying: (at: number | null, why: string) => `Put off${at === null ? '' : ` until ${moment(at)}`}: ${why}`,
  notGone: (why: string) => `Did not go: ${why}`,
  withdrawn: 'Withdrawn by you: it did not go.',
  looking: 'It was cut off while it left. Hand Post looks in Sent whether it went.',
  doubt:
    'Nobody knows whether it went: it was cut off while it left, and it is not in Sent. Ask the person, then say so at the',
  outTray: 'out-tray',
  withdraw: 'Withdraw',
  again: 'Write it again…',
}

/** AnswerSheet.tsx */
export const answerSheet = {
  title: (person: string) => `Answer ${person}`,
  from: 'From',
  to: 'To',
  subject: 'Subject',
  answer: 'Your answer',
  quote: 'With what they wrote, quoted below',
  quoted: 'What is quoted',
  send: 'Send',
  sendBy: 'Ctrl+Enter sends it. It leaves ten seconds later, and can be withdrawn until then.',
  leaves: (person: string, at: number | null, soon: boolean) =>
    at === null
      ? `The answer to ${person} waits: nothing leaves this mailbox just now. See Mailboxes.`
      : soon
        ? `The answer to ${person} leaves in ten seconds.`
        : `The answer to ${person} leaves on ${moment(at)}.`,
  withdraw: 'Withdraw',
  withdrawn: 'Withdrawn: it does not go. What you wrote is kept.',
  asFirstWritten: (person: string) =>
    `The answer to ${person} was on its way already, as you first wrote it. What you changed since did not go with it: see the entry.`,
  files: 'Files of the answer',
  addFiles: 'Add files',
  takeOut: 'Take out',
  takeOutOf: (name: string) => `Take out ${name}`,
  draft: 'Put into Drafts',
  inProgram: 'In the mail program',
  lies: (folder: string) =>
    `The answer lies in the folder “${folder}” of the mailbox. Look it over there, and send it. The entry says so when it was sent.`,
  cannot: 'This cannot be answered here',
  saved: (n: number) => (n === 0 ? 'Saved answers: none yet' : `Saved answers (${n})`),
  saveAs: 'Save what is written under the name',
  save: 'Save',
  savedAs: (name: string) => `Saved as “${name}”.`,
  forget: 'Forget',
  forgetOf: (name: string) => `Forget ${name}`,
  forgotten: (name: string) => `“${name}” is forgotten.`,
  undo: 'Undo',
  fields:
    'Fields of the list may stand in it in two braces, for instance {{Name}}: they are filled in for the row that is answered.',
  gaps: (blank: string[], unknown: string[]) =>
    [
      blank.length > 0 && `Blank in this row: ${blank.join(', ')}.`,
      unknown.length > 0 && `No column of the list: ${unknown.join(', ')}.`,
      'Read the answer through.',
    ]
      .filter(Boolean)
      .join(' '),
}

/** HandBack.tsx */
export const handBack = {
  open: 'Hand back the list…',
  title: 'Hand back the list with its outcomes',
  as: 'As',
  original: (name: string) => `“${name}”, as it was, with columns added at its right`,
  originalHint:
    'A copy: the workbook that you brought in stays as it is. Formats, formulas, widths and other sheets are kept.',
  formats: {
    original: '',
    xlsx: 'a new workbook (.xlsx)',
    ods: 'a new workbook (.ods)',
    csv: 'text (.csv), with times in ISO 8601',
  },
  columns: 'Columns',
  columnsHint: 'In this order, behind the list’s own. What is chosen is kept for this list.',
  noColumns: 'Choose one column at least.',
  more: 'More columns',
  earlier: (name: string) => `${name}: further to the left`,
  later: (name: string) => `${name}: further to the right`,
  download: 'Download',
}
