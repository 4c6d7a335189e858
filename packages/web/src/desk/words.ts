import type { RoundOverview } from '@hand-post/contract'
import { times, verb } from '@hand-post/core'
import { moment } from '../shared/moment.ts'

const n = (number: number) => number.toLocaleString('en-GB')

/** The words of the desk and of the page of all rounds. */
export const words = {
  tour: {
    title: 'How a round goes',
    contents: 'Parts of this page',
    offer: 'New here? How a round goes, from the table to the answers, stands on one page.',
    show: 'Show me',
    later: 'No, thank you',
    laterMore: 'The question mark at the top brings it back at any time.',
    helpWith: (stage: string) => `Help with ${stage}`,
  },
  rounds: {
    title: 'Rounds',
    notShown: 'The rounds cannot be shown',
    none: 'No rounds yet',
    noneMore:
      'A round is one letter that goes to many people, one message each. It stays here with its people, its letter and what came back.',
    noneShows: [
      'Its title and list',
      'The days its letters leave',
      'Its life, drawn',
      'Sent',
      'Answered',
      'What waits',
    ],
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
    waiting: ({ states, held, lastAt, inTray, replied, bounced }: RoundOverview): string[] => {
      const left = states.waiting + states.retrying + states.sending
      const silent = states.sent - replied - bounced
      return [
        states.inDoubt > 0
          ? `${times(states.inDoubt, 'letter')} in doubt: settle ${verb(states.inDoubt, 'it', 'them')}`
          : '',
        left > 0 && held ? `${times(left, 'letter')} held until you carry on` : '',
        left > 0 && !held ? `${times(left, 'letter')} to go until ${moment(lastAt)}` : '',
        inTray > 0 ? `${times(inTray, 'message')} in the in-tray` : '',
        states.refused > 0 ? `${times(states.refused, 'letter')} refused` : '',
        silent > 0 ? `${times(silent, 'person has', 'people have')} not answered` : '',
      ].filter(Boolean)
    },
    everybodyAnswered: 'Nothing: everybody has answered',
    nothing: 'Nothing',
  },
}
