// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import type { Board } from '@hand-post/contract'
import { type PaperState, type ResponseKind, times, verb } from '@hand-post/core'
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
  notShown: 'This person cannot be shown',
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
  shows: ['Who answered, and when', 'Replied or bounced', 'Their words', 'The letter they answer, beside them'],
  doneOnes: 'Done',
  tray: 'In-tray',
  copyS: 'a copy’s',
  whose: 'whose?',
  all: 'All',
  replyMailProgram: 'Reply in the mail program',
  s: (person: string) => `It is ${person}’s`,
  whatQuotes: 'With what it quotes',
  sent: (person: string, sentAt: number | null) => `to ${person}, sent ${moment(sentAt)} in`,
  nothingWantsYouJust: 'Nothing wants you just now.',
  look: (open: number) => `${times(open, 'answer')} to look at.`,
  whichAnswers: 'Which answers',
  look2: 'To look at',
  trayCannotShown: 'The in-tray cannot be shown',
  trayEmpty: 'The in-tray is empty',
  nothingDoneYet: 'Nothing is done yet',
  repliesReturnedLettersAll:
    'Replies and returned letters of all rounds come here, and nothing else of your mailbox does. Automatic replies are on each round’s board.',
  whatYouMarkAs: 'What you mark as done is kept here.',
  answers: 'Answers',
  noSubject: '(no subject)',
  lookAgain: 'Look at it again',
  done: 'Done',
  whoHasCopyLetter: (kind: string, fromAddress: string | null, person: string) =>
    `${kind === 'bounce' ? 'This is about' : 'This comes from'} ${fromAddress}, who has a copy of the letter. It does not count for ${person}.`,
  whichNeitherSAddress: (kind: string, fromAddress: string | null, person: string) =>
    `${kind === 'bounce' ? 'This is about' : 'This comes from'} ${fromAddress}, which is neither ${person}’s address nor one with a copy. It counts for nobody until you say whose it is.`,
  letterAnswers: 'The letter it answers',
}

/** ResponsesStage.tsx */
export const responsesStage = {
  nPeople: (n: number) => times(n, 'person', 'people'),
  whenRoundPostedYou:
    'When the round is posted, you see here who answered, whose letter came back, and who was not heard from.',
  goDispatch: 'Go to Dispatch',
  onPaper: (letters: Board['paper']) => {
    const of = (state: PaperState) => letters.filter((one) => one.state === state)
    const [printed, toPrint, withdrawn] = [of('printed'), of('toPrint'), of('withdrawn')].map((all) => all.length)
    const last = Math.max(...of('printed').map((one) => one.printedAt ?? 0))
    const parts = [
      printed > 0 && `${printed} printed on ${moment(last)}`,
      toPrint > 0 && `${toPrint} to be printed at Dispatch`,
      withdrawn > 0 && `${withdrawn} withdrawn`,
    ].filter(Boolean)
    return `${letters.length} by paper post: ${parts.join(', ')}. What becomes of letters on paper is not seen here.`
  },
  repliedNotYetAnswered: (replied: number, unanswered: number, next: string) =>
    `${replied} replied; ${unanswered} not yet answered. ${next}`,
  sentArrived: (sent: number, messages: number, arrived: number) =>
    `${sent} of ${times(messages, 'letter')} sent, ${arrived} arrived.`,
  outcomesAs: (ending: string) => `Outcomes as .${ending}`,
  ofThe: (ofGiven: number, ofWhat: string) => `Of the ${ofGiven} ${ofWhat}`,
  opensClicksWereNot: 'Opens and clicks were not asked for in this round.',
  allTheirLetters: 'All their letters',
  refused: 'Refused:',
  nobodyJustNow: 'Nobody just now.',
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
  cameBack: 'came back',
  delayedWay: 'is delayed on its way',
  delivered: 'was delivered',
  opened: 'opened it',
  whatCameBackFrom: (person: string) => `What came back from ${person}`,
  machineHowFast: ' (a machine, judging by the speed)',
  whoHasCopyDoes: (from: string, person: string) =>
    ` (of ${from || 'somebody'}, who has a copy: it does not count for ${person})`,
  anotherAddressCountsOnce: (person: string) =>
    ` (of another address: it counts once you say in the in-tray that it is ${person}’s)`,
  person: 'Person',
  outcome: 'Outcome',
  when: 'When',
  version: 'Version',
  theirWords: 'In their words',
  outcomes: 'Outcomes',
}

/** TimelineChart.tsx */
export const timelineChart = {
  asTable: 'As a table',
  whatCameBackOver: 'What came back over time; the figures stand in the table below.',
  what: 'What',
  howMany: 'How many',
  first: 'First',
  last: 'Last',
}
