// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import type { RecordCheck } from '@hand-post/core'
import { times, verb } from '@hand-post/core'
import { daySpan, moment } from '../shared/moment.ts'

/** RecordSheet.tsx */
export const recordSheet = {
  open: 'After the round…',
  title: 'After the round',
  record: 'Posting record',
  what: 'Who was written to, when, with what; what was accepted, who was left out and why: a PDF for the file. Of a finished round it is sealed, so that it can be checked later.',
  unfinished: 'The round is not finished, so a record of it is not sealed:',
  make: 'Make a posting record',
  none: 'None was made yet.',
  made: 'Records that were made',
  line: (at: number, letters: number) => `${moment(at)}, ${times(letters, 'letter')}`,
  sealed: 'sealed',
  notSealed: 'not sealed',
  pdf: 'PDF',
  seal: 'Seal (.json)',
  check: 'Check a posting record',
  checkHint: 'Against its seal and an archive of the messages; whoever has these can do it, without signing in.',
  archive: 'Archive of the messages',
  archiveWhat: (n: number) =>
    `${times(n, 'letter')} that ${verb(n, 'has', 'have')} gone, chasers and answers from here too, each exactly as it was sent. Any mail program opens it.`,
  nothingSent: 'No letter has gone yet, so there is nothing to archive.',
  as: 'As',
  forms: {
    zip: 'a zip: each message as an .eml file, a list of them, and every enclosure once',
    mbox: 'one mailbox file (.mbox)',
  },
  withAnswers: (n: number) => `With the ${times(n, 'answer')} that came, fetched whole from the mailbox`,
  makeArchive: 'Make the archive',
  ready: (name: string, size: string) => `“${name}” is ready, ${size}. It is kept here for an hour.`,
  save: 'Save it',
}

/** Ended.tsx */
export const ended = {
  title: 'Ending the round',
  what: 'When nobody is waited for any more: nothing more is counted or read for this round and its chasers. Answers that come later stay in the mailbox only; whoever opts out is heeded all the same. It can be opened again.',
  end: 'End this round',
  unfinished: 'A round is ended when it is finished: see above what is still open.',
  since: (at: number) => `Ended on ${moment(at)}: nothing more is counted or read for it.`,
  reopen: 'Open it again',
  forgotten: (at: number) =>
    `What this round kept of people was forgotten on ${moment(at)}: who opened, what they answered, files that came back. Counts stay, and nothing more is counted or read for it.`,
}

/** Forgetting.tsx */
export const forgetting = {
  title: 'What is kept of people',
  what: 'Who opened and followed links, when and with what; the words of answers, and of what you answered from here; files that came back. It can be forgotten for good, a while after the last letter left. Counts stay, and so do what was sent, who answered, what they chose, your outcome words, and what came back undelivered.',
  label: 'Forget it',
  never: 'never',
  after: (months: number) =>
    months % 12 === 0 ? `after ${times(months / 12, 'year')}` : `after ${times(months, 'month')}`,
  on: (at: number) =>
    `That is on ${daySpan(at, at)}, if the round is finished then and nothing of it lies in the in-tray.`,
  noneLeft: 'It is counted from when the last letter leaves.',
  waits: 'Before anything is forgotten:',
  now: 'Forget it now…',
  ask: (title: string) => `Forget what “${title}” keeps of people?`,
  there: (opened: number, answers: number, files: number) =>
    `Of ${times(opened, 'letter')} who opened or followed links, the words of ${times(answers, 'answer')}, and ${times(files, 'file')} that came back.`,
  forGood: 'They are taken away here for good: nobody can bring them back. The round stays ended.',
  elsewhere: 'What lies in the mailbox stays there, and copies of everything that were made before still have it.',
  first: 'An archive that is made later has nothing of what you answered from here: make it first, if it is wanted.',
  act: 'Forget it for good',
  keep: 'Keep it',
  soon: (at: number) => `What this round keeps of people is forgotten on ${daySpan(at, at)}.`,
  held: (at: number) =>
    `What this round keeps of people was to be forgotten on ${daySpan(at, at)}. It is kept until these are done:`,
  forgotten: (at: number) => `Forgotten on ${moment(at)}.`,
}

/** NextTime.tsx */
export const nextTime = {
  title: 'The next time',
  what: (list: string | null) =>
    `A round like this one: the same letter, files for everybody, rules and ways${list === null ? '' : `, to “${list}”`}. Nothing of its people is taken along: own files, notes, and who was set aside. The list can be updated from a newer file there.`,
  whom: 'To whom',
  who: {
    everybody: 'everybody whom its rules choose',
    answered: (n: number) => `who answered (${n.toLocaleString('en-GB')})`,
    notAnswered: (n: number) => `who did not answer (${n.toLocaleString('en-GB')})`,
    word: (word: string, n: number) => `your word for them was “${word}” (${n.toLocaleString('en-GB')})`,
    choice: (choice: string, n: number) => `who chose “${choice}” (${n.toLocaleString('en-GB')})`,
  },
  reached: (n: number) => `Leave out the ${n.toLocaleString('en-GB')} whose letter came back or was refused`,
  columns:
    'The list gets columns of what came of this round, as far as it has none; the rules look into them, and stand at People.',
  begin: 'Begin a round like this one…',
  name: 'Its name',
  days: 'The letter names these days and years. What shall stand there?',
  noDays: 'The letter names no day and no year.',
  instead: (words: string) => `In the place of “${words}”`,
  start: 'Begin it',
}

/** CheckRecord.tsx */
export const checkRecord = {
  title: 'Check a posting record',
  handPost: 'Hand Post',
  back: 'Go to the desk',
  what: 'Whether a posting record is the one that was sealed, and whether an archive has every letter as it was sent. The files are read in this window only; nothing is sent anywhere.',
  choose: {
    seal: { title: 'The seal', what: '.json, which lies beside the record', accept: '.json,application/json' },
    archive: {
      title: 'The archive',
      what: '.mbox or .zip',
      accept: '.mbox,.zip,application/mbox,application/zip',
      wanted: true,
    },
    pdf: { title: 'The record itself', what: '.pdf, if you have it', accept: '.pdf,application/pdf' },
  },
  drop: 'Drop it here, or',
  chooseFile: 'choose a file',
  another: 'Another',
  check: 'Check',
  checking: (done: string, of: string) => `Reading the archive: ${done} of ${of}`,
  stop: 'Stop',
  stopped: 'Stopped before the end. Nothing can be said of it.',
  holds: 'The record holds',
  fails: 'The record does not hold',
  ofRound: (round: string, madeAt: string | null) =>
    `“${round}”${madeAt === null ? '' : `, made ${moment(Date.parse(madeAt))}`}`,
  chain: (n: number) => `All ${times(n, 'entry', 'entries')} are those that were sealed.`,
  letters: ({ letters, copies }: RecordCheck) =>
    `${letters.found.toLocaleString('en-GB')} of ${times(letters.sent, 'letter')} ${verb(letters.found, 'is', 'are')} in the archive exactly as ${verb(letters.found, 'it was', 'they were')} sent${copies.sent > 0 ? `; and ${copies.found.toLocaleString('en-GB')} of ${times(copies.sent, 'copy', 'copies')}` : ''}.`,
  unhashed: (n: number) =>
    `Of ${times(n, 'letter')} the record has no hash, for ${verb(n, 'it', 'they')} could not be made any more: nothing can be said of ${verb(n, 'its', 'their')} bytes.`,
  files: (n: number) =>
    `${times(n, 'enclosure')} lying by ${verb(n, 'itself is one', 'themselves are those')} that ${verb(n, 'was', 'were')} sent.`,
  beside: (answers: number, others: string[]) =>
    `Of these the record says nothing: ${[...(answers > 0 ? [times(answers, 'answer')] : []), ...others].join(', ')}.`,
  pdf: {
    same: 'The PDF is the one that was made with this seal.',
    other: '',
    notGiven: 'No PDF was given, so only the seal was checked.',
  },
  end: 'End of the chain',
  endHint:
    'Compare it with the last page of a record that was kept elsewhere: whoever could change PDF, seal and archive together could make a chain of their own, but not one that ends like this.',
  more: (n: number) => `And ${n.toLocaleString('en-GB')} more.`,
  cannot: 'It cannot be checked',
}

/** Happened.tsx */
export const happened = {
  title: 'What happened',
  none: 'Nothing was noted yet',
  noneMore: 'Whatever is done is noted here, with who did it: posting, holding, amending, accepting, and the like.',
  when: 'When',
  who: 'Who',
  what: 'What',
  itself: 'Hand Post itself',
  roundGone: 'a round that is not there any more',
  more: 'Show earlier',
}
