// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import type { PaperState } from '../paper/states.ts'
import { listed, times, verb } from '../words.ts'

/** events.ts */
export const events = {
  changedBy: (name: string) => `Changed last by ${name}; read and posted by another.`,
  posted: (letters: number, paper: number, chasers: number) =>
    `Posted: ${listed([
      times(letters, 'letter'),
      ...(paper > 0 ? [`${times(paper, 'letter')} on paper`] : []),
      ...(chasers > 0 ? [times(chasers, 'chaser')] : []),
    ])}.`,
  toppedUp: (letters: number, paper: number) =>
    `Posted to those who came late to the list: ${listed([
      times(letters, 'letter'),
      ...(paper > 0 ? [`${times(paper, 'letter')} on paper`] : []),
    ])}.`,
  sentToNew: (person: string, address: string) =>
    `Posted once more to ${person}, whose letter was refused or came back: now to ${address}.`,
  onceMore: (people: string[], more: number) =>
    `The same letter posted once more to ${listed([...people, ...(more > 0 ? [`${more.toLocaleString('en-GB')} more`] : [])])}.`,
  held: 'Held by the writer.',
  heldItself: (why: string) => `Held by Hand Post: ${why}`,
  carriedOn: 'Carried on by the writer.',
  amending: 'Opened to be amended; what waits is held.',
  amended: (version: number, letters: number, paper: number) =>
    `Amended: ${times(letters, 'letter')} that waited ${verb(letters, 'is', 'are')} of version ${version}${paper > 0 ? `, and ${times(paper, 'letter')} on paper` : ''}.`,
  gaveUp: 'The amendment was given up: nothing was changed.',
  withdrawn: (letters: number, paper: number) =>
    `Withdrawn by the writer: ${times(letters, 'letter')}${paper > 0 ? ` and ${times(paper, 'letter')} on paper` : ''}.`,
  settled: (went: boolean, letters: number, found: number) =>
    `${times(letters, 'letter')} of which it was not known whether ${verb(letters, 'it', 'they')} went: the writer said that ${verb(letters, 'it', 'they')} ${went ? 'did' : 'did not'}${found > 0 ? `; ${found.toLocaleString('en-GB')} more ${verb(found, 'was', 'were')} found in Sent` : ''}.`,
  paper: (letters: number, to: PaperState) =>
    `${times(letters, 'letter')} on paper: ${{ toPrint: 'to be printed (again)', printed: 'printed', withdrawn: 'withdrawn' }[to]}.`,
  ended: 'Ended by the writer: nothing more is counted or read for it.',
  reopened: 'Opened again by the writer.',
  forgotten: (opened: number, answers: number, files: number) =>
    `Forgotten for good, counts excepted: who opened or followed links, and with what (${times(opened, 'letter')}); the words of ${times(answers, 'answer')}; ${times(files, 'file')} that came back. It stays ended.`,
  record: (end: string | null) =>
    end === null
      ? 'A posting record was made; the round was not finished.'
      : `A posting record was made and sealed: ${end}`,
}

const may = (mayPost: boolean, keeps: boolean) =>
  listed(['prepare letters', ...(mayPost ? ['post'] : []), ...(keeps ? ['keep'] : [])])

/** How the settings of a mailbox are called; one that is not here is called by its own name. */
const settingNames: Readonly<Record<string, string>> = {
  name: 'its name',
  address: 'its address',
  senderName: 'the sender’s name',
  aliases: 'further addresses',
  signature: 'the signature',
  user: 'the user',
  password: 'the password',
  smtp: 'the sending host',
  imap: 'the reading host',
  hours: 'the hours',
  secondEyes: 'whether a second pair of eyes is wanted',
  perDay: 'recipients a day',
  dayZone: 'where the day begins',
  perHour: 'recipients an hour',
  recipientsPerMinute: 'recipients a minute',
  perMinute: 'messages a minute',
  perMessage: 'recipients of a message',
  folders: 'folders that are read',
  junk: 'whether junk is read',
  oauth: 'the sign-in service',
  tell: 'what is told by mail',
  gentleStart: 'the gentle start',
  largestMessage: 'the largest message',
  hostFilesSent: 'who files sent mail',
  timeZone: 'the time zone',
}

/** deeds.ts */
export const deeds = {
  accountsSetUp: 'Accounts were set up; the desk’s password ended.',
  signedIn: {
    password: 'Signed in.',
    code: 'Signed in, with a one-time code.',
    service: 'Signed in at the sign-in service.',
    invitation: 'Took the invitation and chose a password.',
  },
  invited: (name: string, mayPost: boolean, keeps: boolean) =>
    `An account for ${name} was made: may ${may(mayPost, keeps)}.`,
  invitedAgain: (name: string) => `A new link was made for ${name}.`,
  accountChanged: (
    name: string,
    was: { name: string; address: string; mayPost: boolean; keeps: boolean },
    is: { address: string; mayPost: boolean; keeps: boolean },
  ) => {
    const changes = [
      ...(was.name === name ? [] : [`called ${was.name} before`]),
      ...(was.address === is.address ? [] : [`address ${is.address}, ${was.address} before`]),
      ...(was.mayPost === is.mayPost && was.keeps === is.keeps
        ? []
        : [`may ${may(is.mayPost, is.keeps)}; before: ${may(was.mayPost, was.keeps)}`]),
    ]
    return `The account of ${name} was changed: ${changes.length === 0 ? 'nothing of it' : changes.join('; ')}.`
  },
  accountEnded: (name: string) => `The account of ${name} was ended.`,
  passwordChanged: 'The password was changed.',
  codeOn: 'A one-time code is asked for from now on.',
  codeOff: 'No one-time code is asked for any more.',
  mailboxAdded: (mailbox: string) => `The mailbox “${mailbox}” was added.`,
  mailboxChanged: (mailbox: string, settings: string[]) =>
    `The mailbox “${mailbox}” was changed: ${settings.length === 0 ? 'nothing of it' : listed(settings.map((name) => settingNames[name] ?? name))}.`,
  mailboxRemoved: (mailbox: string) => `The mailbox “${mailbox}” was removed.`,
  mailboxCarriedOn: (mailbox: string) => `The pause or stop of “${mailbox}” was ended.`,
  accepted: (findings: number, reason: string) =>
    `Accepted at the proof: ${times(findings, 'finding')}. Reason: ${reason || 'none given'}`,
  unaccepted: (findings: number) => `No longer accepted at the proof: ${times(findings, 'finding')}.`,
  secondEyes: (wanted: boolean) =>
    wanted ? 'A second pair of eyes is wanted from now on.' : 'No second pair of eyes is wanted any more.',
  pace: 'The pace of what waits was changed.',
  answersSeen: 'Looked at what came back.',
  answerSent: 'An answer was sent.',
  outcomeTaken: 'What came of it was taken out as a file.',
  messagesTaken: 'All messages were taken out as a file.',
  archiveMade: 'An archive of the messages was made.',
  shared: (kind: string, name: string, shared: 'everybody' | 'chosen' | 'nobody', others: string[]) =>
    `The ${kind} “${name}” is shared with ${shared === 'chosen' ? listed(others) : shared} from now on.`,
  roundDeleted: (round: string) => `The draft “${round}” was deleted.`,
  listTaken: (list: string) => `The list “${list}” was taken out as a file.`,
  listDeleted: (list: string) => `The list “${list}” was deleted.`,
  backupMade: (withKey: boolean) =>
    `A copy of everything was made, ${withKey ? 'with the key, sealed' : 'without the key'}.`,
  workStopped: (what: string, by: string) =>
    // Whether it had ended by then is another matter.
    `What was under way was told to stop: ${what}${by === '' ? '' : `, begun by ${by}`}.`,
}

/** archive.ts */
export const archive = {
  neither: 'This is neither an .mbox file nor a zip of messages. Choose the archive as Hand Post made it.',
  tooLarge: (name: string, most: string) =>
    `${name} is larger than ${most}, more than any letter. This archive was not made by Hand Post, or was changed.`,
  tooMany: (n: number) =>
    `The archive has ${n.toLocaleString('en-GB')} entries, more than any round. It was not made by Hand Post.`,
  locked: (name: string) => `“${name}” in the archive is locked by a password. Unlock the archive first.`,
  broken: (why: string) => `The archive cannot be read to its end: ${why}`,
  entry: (n: number) => `message ${n.toLocaleString('en-GB')} of the .mbox file`,
}

/** check.ts */
export const check = {
  notARecord: (where: string, fault: string) =>
    `This file is not a seal as Hand Post makes it${where ? ` (at “${where}”)` : ''}: ${fault} Choose the .json file that lies beside the posting record.`,
  notJson: 'This file is not JSON. Choose the .json file that lies beside the posting record.',
  sealTooLarge: (most: string) =>
    `This file is larger than ${most}, more than any seal. Choose the .json file that lies beside the record.`,
  newer: (version: number) =>
    `This seal is of version ${version}, which this version of Hand Post does not know. Check it with a newer one.`,
  head: 'the head of the record',
  brokenAt: (n: number, of: number, what: string) =>
    `Entry ${n.toLocaleString('en-GB')} of ${of.toLocaleString('en-GB')} (${what}) is not what was sealed: it, or what stands before it, was changed.`,
  brokenEnd: 'The last entry does not lead to the end of the chain: entries were taken away or added.',
  wrongCount: (n: number, of: number) =>
    `The record has ${times(n, 'entry', 'entries')} and says that it has ${of.toLocaleString('en-GB')}.`,
  message: (person: string) => `the letter to ${person}`,
  kinds: {
    version: 'a version of the letter',
    event: 'an event',
    leftOut: 'somebody left out',
    paper: 'a letter on paper',
  },
  changed: (person: string, name: string) =>
    `The letter to ${person} is not the one that was sent: its bytes were changed (${name}).`,
  separator: (person: string, name: string) =>
    `The line before the letter to ${person} does not say what was sent, when and from whom (${name}).`,
  missing: (person: string, address: string) => `The letter to ${person} at ${address} is not in the archive.`,
  missingCopy: (person: string) =>
    `The copy of the letter to ${person}, as those got it who had one, is not in the archive.`,
  twice: (person: string, name: string) => `The letter to ${person} is in the archive more than once (${name}).`,
  beyond: (name: string) => `${name} is no letter of this record.`,
  file: (name: string) => `${name} is no file that was sent with these letters, or was changed.`,
  pdf: 'The PDF is not the one that was made with this seal.',
}
