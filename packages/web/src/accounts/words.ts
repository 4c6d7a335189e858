// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { times } from '@hand-post/core'
import { moment } from '../shared/moment.ts'

/** SignIn.tsx */
export const signIn = {
  deskKeptPassword: 'This desk is protected by a password.',
  deskOfOffice: 'Sign in by your own account.',
  somebodyTryingManyPasswords:
    'Somebody is trying many passwords, so each has to wait. Yours is being tried again by itself; leave this page open.',
  typePassword: 'Type the password.',
  typeAddress: 'Type your address.',
  typeCode: 'Type the code.',
  signHandPost: 'Sign in to Hand Post',
  address: 'Your address',
  password: 'Password',
  oneSetHandPost: 'The one that was set as HAND_POST_PASSWORD where Hand Post was started.',
  forgotten: 'Forgotten it? A keeper of your office gives you a link by which you choose another.',
  code: 'One-time code',
  codeHint: 'The six figures that your phone shows just now. Without your phone, one of your recovery codes.',
  back: 'Back',
  or: 'or',
  atService: (name: string) => `Sign in at ${name}`,
  signing: 'Signing in…',
  sign: 'Sign in',
}

/** Join.tsx */
export const join = {
  title: 'Welcome to Hand Post',
  forWhom: (name: string, address: string) => `This invitation is for ${name}. You will sign in as ${address}.`,
  until: (at: number) => `It works once, until ${moment(at)}.`,
  choose: 'Choose a password',
  chooseHint: 'At least 12 characters; four or five words do well.',
  again: 'Once more',
  notTheSame: 'This is not the same password.',
  take: 'Choose it and sign in',
  cannot: 'This invitation cannot be taken',
  toDesk: 'Go to the desk',
  noToken: 'The link is not whole: open it as it was given to you, to its last character.',
}

/** SignedIn.tsx */
export const signedIn = {
  wait: 'Signing you in…',
  cannot: 'You are not signed in',
  again: 'Sign in again',
}

/** AccountScreen.tsx */
export const account = {
  title: 'Your account',
  titleDesk: 'Signing in',
  cannotShown: 'Your account cannot be shown',
  nobodySigns: 'Nobody signs in here',
  nobodySignsMore: 'Only this machine reaches this desk, so it asks nobody who they are.',
  mayWrite: 'You may prepare everything: lists, letters, enclosures, proof.',
  mayPost: 'You may post.',
  mayNotPost: (names: string) =>
    names === ''
      ? 'You may not post, and nobody else may yet: a keeper decides that.'
      : `You may not post: ${names} may.`,
  mayKeep: 'You are a keeper: you look after colleagues, mailboxes and settings.',
  toColleagues: 'Colleagues',
  byDeskPassword: 'Everybody who signs in here uses the same password.',
  setUp: 'Give everybody an account of their own',
  setUpMore:
    'Then it is known who wrote and who posted, and you decide who may do what. You become the first keeper, and the desk’s password ends. This cannot be taken back.',
  name: 'Your name',
  address: 'Your address',
  addressHint: 'You will sign in by it.',
  password: 'Your password',
  again: 'Once more',
  notTheSame: 'This is not the same password.',
  setUpNow: 'Set up accounts',
  passwordTitle: 'Password',
  before: 'Your password until now',
  next: 'New password',
  change: 'Change the password',
  changed: 'Your password is changed. Everywhere else you are signed out.',
  byService: 'You sign in at your office’s sign-in service, so there is no password here.',
  codeTitle: 'One-time code',
  codeOn: (left: number) =>
    `Besides the password a code from your phone is asked for. ${left === 0 ? 'No recovery code is left: turn it off and on again for new ones.' : `${times(left, 'recovery code')} left.`}`,
  codeOff:
    'With it a password that somebody has got hold of is not enough: a code is asked for as well, which an app on your phone shows.',
  codeBegin: 'Ask for a code too',
  codeEnd: 'Ask for no code any more',
  codeConfirmPassword: 'Your password, to be sure that it is you',
  goOn: 'Go on',
  scan: 'Point your phone’s authenticator app at this picture, or type the key into it.',
  picture: 'A picture for an authenticator app',
  key: 'Key',
  codeNow: 'The code that it shows now',
  codeConfirm: 'Ask for it from now on',
  recoveryTitle: 'Your recovery codes',
  recoveryMore:
    'Each works once in the place of a code, when your phone is not at hand. They are shown only now: print them, or write them down.',
  kept: 'I have kept them',
  copyAll: 'Copy them',
  copied: 'Copied',
  sessionsTitle: 'Where you are signed in',
  thisBrowser: 'this browser',
  sessionLine: (begun: number, used: number) => `since ${moment(begun)}, used ${moment(used)}`,
  from: (address: string) => `from ${address}`,
  browser: (program: string | null, device: string | null) =>
    `${program ?? 'A browser that does not say which it is'}${device === null ? '' : ` on a ${device}`}`,
  end: 'End it',
  endOthers: 'End all others',
  signOut: 'Sign out here',
}

/** Colleagues.tsx */
export const colleagues = {
  title: 'Colleagues',
  what: 'Who signs in here, and what each may do. Everybody may prepare letters; posting them is for those whom you say.',
  cannotShown: 'Colleagues cannot be shown',
  forKeepers: 'This is for keepers',
  forKeepersMore: 'They look after who signs in here and what each may do. Ask one of them.',
  none: 'There are no accounts yet',
  noneMore: 'Everybody signs in by the same password. Set up accounts first; you become the first keeper.',
  toSetUp: 'Set up accounts',
  happened: 'What happened',
  invite: 'Invite a colleague',
  name: 'Name',
  address: 'Address',
  addressHint: 'They sign in by it. Nothing is sent to it by itself.',
  may: 'May',
  write: 'prepare letters',
  writeMore: 'lists, letters, enclosures, proof, answers',
  post: 'post',
  postMore: 'have letters leave',
  keep: 'keep',
  keepMore: 'colleagues, mailboxes, settings, copies of everything',
  makeLink: 'Make the link',
  link: 'The link',
  linkFor: (name: string) => `A link for ${name}`,
  linkMore: (name: string, until: number) =>
    `Give this link to ${name}, by a way that only they read. It works once, until ${moment(until)}, and is shown only now.`,
  linkAgainMore:
    'With it they choose a new password; the code from their phone, if they use one, ends with that, and they are signed out everywhere. Until then all stays as it is.',
  copyLink: 'Copy the link',
  copied: 'Copied',
  done: 'Done',
  state: {
    invited: (until: number | null) => (until === null ? 'invited, link over' : `invited until ${moment(until)}`),
    active: (seen: number | null) => (seen === null ? 'never here yet' : `here ${moment(seen)}`),
    ended: () => 'ended',
  },
  code: 'with one-time code',
  noCode: 'password only',
  you: 'you',
  change: 'Change',
  changeTitle: (name: string) => `${name}: what they may do`,
  store: 'Store',
  newLink: 'New link',
  newLinkAsk: (name: string) => `Make a new link for ${name}?`,
  endAccount: 'End the account',
  endAsk: (name: string) => `End the account of ${name}?`,
  endMore: (name: string) =>
    `${name} is signed out everywhere, at once, and cannot sign in again. Their lists, letters and rounds stay, and so does what is known of who did what.`,
  ended: 'Accounts that have ended',
}

/** HappenedScreen.tsx */
export const happenedScreen = {
  title: 'What happened',
  what: 'Who did what, the newest first. Nothing of it is ever changed or taken away.',
  whose: 'Of',
  everybody: 'everybody',
  endedName: (name: string) => `${name} (ended)`,
  forKeepers: 'What happened with a round stands in its posting record too: open that at Responses.',
}
