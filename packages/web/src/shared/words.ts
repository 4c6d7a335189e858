// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { times } from '@hand-post/core'
/** main.tsx */
/** told.ts */
export const told = {
  seeIt: 'See it',
}

export const main = {
  listsLettersFewWeeks:
    'Lists, letters and a few weeks of answers are being put on the desk. That takes about two minutes, once; this page goes on by itself.',
  contents: 'To the contents',
  handPostDoesNot:
    'Hand Post does not answer. What you see may be out of date; letters already posted go on as soon as it runs again.',
  nothingLostEverythingKept: 'Nothing was lost: everything is kept by the desk. Load the page again.',
  goFromLineAbove: 'Choose a page in the line above.',
  exampleBeingMade: 'The example is being made',
  screenBroke: 'This screen broke',
  thereNoSuchPage: 'There is no such page',
}

/** Boundary.tsx */
export const boundary = {
  handPostHasMade: 'Hand Post has made a mistake here. What you have written is kept, and letters on their way go on.',
  tryAgain: 'Try again',
  cannotShown: (what: string) => `${what} cannot be shown`,
}

/** Calendar.tsx */
export const calendar = {
  year: 'Year',
  month: 'Month',
  nextMonth: 'Next month',
  monthBefore: 'Month before',
}

/** dates.tsx */
export const dates = {
  writeAs: (written: string, kind: string, example: string) =>
    `“${written}” is ${kind === 'date' ? 'not a day in the calendar' : 'not a day and an hour'}. Write it as ${example}.`,
  calendar: (label: string) => `Calendar: ${label}`,
}

/** find.tsx */
export const find = {
  nothingHas: (find: string) => `Nothing has “${find}” in it.`,
  search: (name: string) => `Search the ${name}`,
  search2: 'Search',
}

/** form.tsx */
export const form = {
  leave: 'Leave it',
  whatYouChangedHere: 'What you changed here has not been stored, and will be lost.',
  leaveWhatNotStored: 'Leave without storing?',
  stayHere: 'Stay here',
  changedNotStoredYet: 'Changed, and not stored yet.',
}

/** parts.tsx */
export const parts = {
  whatEachLineWill: 'What each line will show',
  notNow: 'Not now',
  oneMoment: 'One moment…',
}

/** PersonTable.tsx */
export const personTable = {
  clickSortShiftChange: 'Click to sort; Shift ← and → change its width',
  sortedDownwards: 'sorted downwards',
  sortedUpwards: 'sorted upwards',
}

/** SearchList.tsx */
export const searchList = {
  nMatches: (n: number) => times(n, 'match', 'matches'),
  search: (label: string) => `Search: ${label}`,
  search2: 'Search',
  noneHasTheseWords: 'None has these words in its name.',
  moreSearchThem: (fitting: number, drawn: number) =>
    `And ${(fitting - drawn).toLocaleString('en-GB')} more: search for them.`,
  all: (items: number) => `${items.toLocaleString('en-GB')} in all.`,
}

/** Sheet.tsx */
export const sheet = {
  notNow: 'Not now',
  close: 'Close',
}

/** api.ts */
export const api = {
  somethingWentWrong:
    'Something went wrong in this page. What you have written is kept; load the page again if it does not go on.',
}

/** rows.ts */
export const rows = {
  listChanges:
    'The list is being changed by somebody else just now, again and again, so its rows could not be fetched as they stand. Nothing was done; try again in a moment.',
}

/** making.tsx */
export const making = {
  making: 'Making it…',
  stop: 'Stop',
  stopped: 'Stopped. Nothing was made.',
  progress: (words: string, done: number, of: number) =>
    of <= 1 ? `${words}…` : `${words}: ${done.toLocaleString('en-GB')} of ${of.toLocaleString('en-GB')}`,
}

/** UnderWay.tsx */
export const underWay = {
  title: 'Under way now',
  ofOthers: 'What colleagues have under way of this round',
  underWay: 'Under way…',
  of: (name: string) => `“${name}”`,
  howFar: (what: string, name: string) => `How far: ${what}${name === '' ? '' : ` of “${name}”`}`,
  since: (name: string, ms: number) => {
    const time = ms < 90_000 ? times(Math.round(ms / 1000), 'second') : times(Math.round(ms / 60_000), 'minute')
    return name === '' ? `for ${time}` : `${name}, for ${time}`
  },
  stopping: (name: string) => (name === '' ? 'Stopping at its next step' : `${name} is stopping it, at its next step`),
  tooLate: 'It was not stopped: it was done by then.',
}

/** OthersPost.tsx */
export const othersPost = {
  words: (names: string) =>
    names === ''
      ? 'Your account may prepare letters, and not have them leave. Nobody’s may yet: a keeper decides that, at Colleagues.'
      : `Your account may prepare letters, and not have them leave. Ask ${names}.`,
}

/** Sharing.tsx */
export const sharing = {
  whose: (name: string) => `Who sees “${name}”`,
  state: (shared: 'everybody' | 'chosen' | 'nobody', others: number, own: boolean) =>
    shared === 'everybody'
      ? 'Seen by everybody'
      : shared === 'nobody'
        ? 'Seen by you alone'
        : own
          ? `Seen by you and ${others}`
          : 'Seen by some',
  title: (name: string) => `Who sees “${name}”?`,
  ways: {
    everybody: (_owner: string | null) => 'Everybody who signs in here',
    chosen: (owner: string | null) => `${owner ?? 'You'}, and those who are chosen`,
    nobody: (owner: string | null) => `${owner ?? 'You'} alone`,
  },
  nobodyElse: 'There is nobody else yet.',
  means: {
    list: 'Whoever sees a round that goes to this list sees the list too.',
    letter: 'Rounds that began with this letter keep their own copy of it.',
    round:
      'Its list comes with it, and so does everything that comes back. Who posts it must also be allowed to use its mailbox.',
    mailbox:
      'Only those may send from it. Whoever sees a round of it still sees what comes back of that round; keepers look after every mailbox.',
  },
  notYours: (kind: string, owner: string | null) =>
    kind === 'mailbox'
      ? 'Keepers decide this.'
      : owner === null
        ? 'It is everybody’s, and stays so.'
        : `It belongs to ${owner}, who decides this.`,
  store: 'Store',
  close: 'Close',
}
