// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { times } from '../words.ts'
/** outcome.ts */
export const outcome = {
  automaticReplyOnly: 'automatic reply only',
  delayed: 'delayed on its way',
  readReceipt: 'read receipt',
  followedLink: 'followed a link',
  optedOut: 'opted out',
  notYetSent: 'not yet sent',
  doubt: 'in doubt',
  sentNothingHeard: 'sent, nothing heard',
}

/** plainReturns.ts */
export const plainReturns = {
  delayed: 'delayed on its way',
  full: 'mailbox full',
  tooLarge: 'message too large',
  refused: 'refused by the host’s rules',
  noDomain: 'no such domain',
  unknown: 'no such mailbox',
  timedOut: 'host could not be reached',
}

/** piles.ts */
export const piles = {
  names: {
    question: 'Wants an answer',
    answer: 'Answers',
    returned: 'Returned',
    perhaps: 'Perhaps an answer',
    automatic: 'Automatic',
    thanks: 'Thanks only',
    choice: 'Choices',
    receipt: 'Receipts',
  },
  one: {
    question: 'wants an answer',
    answer: 'answer',
    returned: 'returned',
    perhaps: 'perhaps',
    automatic: 'automatic',
    thanks: 'thanks only',
    choice: 'choice',
    receipt: 'receipt',
  },
  questionMark: (sentence: string) => `It asks: “${sentence}”`,
  request: (phrase: string) => `It says “${phrase}”.`,
  thanksOnly: (phrase: string, n: number) => `It says “${phrase}” in ${times(n, 'word')}, without a question or a day.`,
  sentByItself: 'It was sent by a program, as its headers say.',
  awayUntil: (day: string) => `It was sent by a program, and names ${day}.`,
  report: 'It is a report on delivery.',
  receipt: 'It is a read receipt.',
  notSure: 'It bears no header that says which letter it answers.',
  choiceOnly: (choice: string) => `It chooses “${choice}”, and says nothing besides.`,
  rest: 'It asks nothing, and is more than thanks.',
  empty: 'It has no words of its own.',
}

/** match.ts */
export const match = {
  header: 'by its headers, which name the letter',
  report: 'by the report, which names the letter',
  token: 'by our signed address, which it quotes',
  page: 'on the page of the letter’s choices',
  quoted: 'by the letter’s Message-ID, which it quotes',
  names: 'by the address that it names, and the letter’s subject',
  senderSubject: 'by its sender and its subject',
  nameSubject: 'by the sender’s name and the subject; the address is not known',
  subjectOnly: 'by its subject, which only this letter has; the sender is not known',
  addressOnly: 'by the address that it names',
  taken: 'by your word',
}

/** incoming.ts */
export const incoming = {
  namesMore: (words: string, more: number) =>
    `${words} The report names ${times(more, 'more address', 'more addresses')}, to which this letter did not go.`,
}

/** returnedFiles.ts */
export const returnedFiles = {
  unnamed: 'file',
}

/** answers.ts */
export const answers = {
  wrote: (at: string | null, from: string) => (at === null ? `${from} wrote:` : `On ${at} ${from} wrote:`),
  cut: '(What follows was left out.)',
}

/** calendarReply.ts */
export const calendarReply = {
  accepts: 'Accepts',
  declines: 'Declines',
  tentative: 'May come to',
  delegates: 'Sends somebody else to',
  invites: 'Invites to',
  tells: 'Tells of',
  counters: 'Proposes another time for',
  cancels: 'Cancels',
  line: (does: string, summary: string, when: string) =>
    `${does} ${summary === '' ? 'an appointment' : `“${summary}”`}${when === '' ? '' : `, ${when}`}.`,
}

/** outcomeSheet.ts */
export const outcomeSheet = {
  notRound: 'not in this round',
  onPaper: { toPrint: 'by paper post, to be printed', printed: 'by paper post', withdrawn: 'by paper post, withdrawn' },
  headings: {
    outcome: 'Outcome',
    sentAt: 'Sent',
    to: 'Sent to',
    from: 'Sent from',
    subject: 'Subject',
    files: 'Files sent',
    answer: 'Host’s answer',
    delivered: 'Delivered',
    opened: 'Opened',
    openedLast: 'Last opened',
    openedTimes: 'Times opened',
    clicked: 'Followed a link',
    clickedTimes: 'Links followed',
    links: 'Which links',
    repliedAt: 'Answered',
    words: 'Their words',
    automaticAt: 'Automatic reply',
    awayUntil: 'Away until',
    bouncedAt: 'Came back',
    bouncedWhy: 'Why it came back',
    choice: 'Choice',
    word: 'Outcome word',
    returned: 'Files returned',
    chasedTimes: 'Times chased',
    chasedLast: 'Last chased',
    optedOut: 'Opted out',
    version: 'Version',
    paperAt: 'Printed for paper post',
  },
}
