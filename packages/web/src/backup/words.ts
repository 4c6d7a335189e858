// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { times, verb } from '@hand-post/core'
import { moment } from '../shared/moment.ts'

/** Backups.tsx */
export const backups = {
  title: 'Copies of everything',
  what: 'Lists, letters, rounds, files, answers and settings, as they are at one moment, in one zip. Letters may leave meanwhile. Whoever has a copy can read all of it: keep it as you keep the mailbox.',
  make: 'Make a copy',
  key: 'The key',
  keyHint:
    'Passwords of mailboxes, and the links in letters that have gone, can be read with the key only. It goes into the copy sealed by a passphrase, or is kept apart.',
  sealed: 'in the copy, sealed by a passphrase',
  apart: 'kept apart: the file “key” in the data folder, which I keep somewhere else',
  passphrase: 'Passphrase',
  passphraseHint: 'At least 12 characters: several words are easiest. Without it the key in the copy is lost.',
  again: 'Once more',
  notTheSame: 'This is not the same passphrase.',
  ready: (name: string, size: string) => `“${name}” is ready, ${size}. It is kept here for an hour.`,
  save: 'Save it',
  damaged: (names: string[]) =>
    `${times(names.length, 'file')} could not be copied, for ${verb(names.length, 'it is', 'they are')} not on the disk as ${verb(names.length, 'it was', 'they were')} added:`,
  never: 'None was made yet.',
  last: (at: number, size: string, withKey: boolean) =>
    `The last one was made on ${moment(at)} (${size}, ${withKey ? 'the key sealed in it' : 'the key kept apart'}).`,
  restored: (madeAt: number, restoredAt: number) =>
    `What you see here was put back on ${moment(restoredAt)} from the copy of ${moment(madeAt)}.`,
  waited: (letters: number, copies: number) =>
    `${times(letters, 'letter')}${copies > 0 ? ` and ${times(copies, 'copy', 'copies')}` : ''} waited then. What of it was found in Sent has gone; Dispatch asks about the rest, and nothing of it leaves before you carry its round on.`,
  back: 'Putting one back',
  backHint:
    'On this machine or another, into a folder that is empty; one in which there is something is left as it is. What waited in a copy may have been sent since from where it was made, so nothing of it leaves by itself.',
  command: 'HAND_POST_DATA=… HAND_POST_PASSPHRASE=… npm run restore -- "Hand Post ….zip"',
  byCommand: 'A copy can be made by a command, too, every night if you like:',
  makeCommand: 'HAND_POST_PASSPHRASE=… npm run backup -- "Hand Post ….zip"',
  cannotShown: 'What is known of copies cannot be shown',
}
