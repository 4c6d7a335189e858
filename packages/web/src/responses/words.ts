import { type ResponseKind, times } from '@hand-post/core'
import { sum } from 'd3-array'

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

/** The words of what comes back. */
export const words = {
  person: {
    notShown: 'This person cannot be shown',
    refused: (at: string, reason: string) => `On the do-not-write list since ${at}: ${reason}`,
    allow: 'Take off the list',
    refuse: 'Do not write to them',
    groups: (names: string[]) =>
      names.length === 0 ? 'In no group.' : `In the ${names.length === 1 ? 'group' : 'groups'} ${names.join(', ')}.`,
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
  },
}
