// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { times } from '../words.ts'
/** outcome.ts */
export const outcome = {
  automaticReplyOnly: 'automatic reply only',
  readReceipt: 'read receipt',
  followedLink: 'followed a link',
  optedOut: 'opted out',
  notYetSent: 'not yet sent',
  doubt: 'in doubt',
  sentNothingHeard: 'sent, nothing heard',
}

/** outcomeList.ts */
export const outcomeList = {
  answerOrReason: 'Answer or reason',
  notRound: 'not in this round',
  onPaper: { toPrint: 'by paper post, to be printed', printed: 'by paper post', withdrawn: 'by paper post, withdrawn' },
}

/** incoming.ts */
export const incoming = {
  namesMore: (words: string, more: number) =>
    `${words} The report names ${times(more, 'more address', 'more addresses')}, to which this letter did not go.`,
}
