import { devices } from '@hand-post/core'
import { z } from 'zod'
import { id } from './ids.ts'
import { accountRoles, route } from './route.ts'

/** Characters that a password has at least (OWASP ASVS 4.0.3, 2.1.1), and at most. */
export const shortestPassword = 12
export const longestPassword = 1000

const name = z.string().trim().min(1, 'Type a name.').max(200)
const address = z.string().trim().max(254).pipe(z.email('Type an address like name@office.example.'))
const password = z.string().max(longestPassword)
const newPassword = password.min(
  shortestPassword,
  `Choose at least ${shortestPassword} characters: four or five words do well.`,
)
/** A one-time code as it is typed: six figures, or a recovery code. */
const code = z.string().trim().max(40)

/** What somebody may do, besides writing, which everybody may. */
const rights = z.object({ mayPost: z.boolean(), keeps: z.boolean() })

/** Somebody who signs in. */
export const accountSchema = rights.extend({
  id: z.number(),
  name: z.string(),
  address: z.string(),
  /** `invited`: no way of signing in was chosen yet. */
  state: z.enum(['invited', 'active', 'ended']),
  /** Until when an invitation can be taken that is open (ms since 1970). */
  invitedUntil: z.number().nullable(),
  /** Whether a one-time code is asked for as well. */
  code: z.boolean(),
  /** When they were at the desk last (ms since 1970), to the minute. */
  seenAt: z.number().nullable(),
})
export type Account = z.infer<typeof accountSchema>

/** A link's token, which stands behind # in the address, so that no server and no log has it. */
const invitationToken = z.string().min(1).max(100)

/** An invitation that was just made: its token is told this once. */
const invited = z.object({ account: accountSchema, token: z.string(), until: z.number() })

/** Whoever is signed in. */
export const meSchema = z.object({
  /** Null where there are no accounts. */
  account: accountSchema.pick({ id: true, name: true, address: true, code: true }).nullable(),
  roles: z.array(z.enum(accountRoles)),
  /** Whether they sign in by a password, which can be changed. */
  hasPassword: z.boolean(),
  /** How many recovery codes are left. */
  recoveryLeft: z.number(),
})
export type Me = z.infer<typeof meSchema>

/** A browser in which somebody is signed in. */
export const sessionSchema = z.object({
  id: z.number(),
  /** Whether it is the one that asks. */
  own: z.boolean(),
  begun: z.number(),
  used: z.number(),
  /** What the browser says it is, and on what. */
  program: z.string().nullable(),
  device: z.enum(devices).nullable(),
  from: z.string(),
})
export type SessionLine = z.infer<typeof sessionSchema>

/** What can be shared with everybody, with some, or with nobody. */
export const shareables = ['list', 'letter', 'round', 'mailbox'] as const
export type Shareable = (typeof shareables)[number]

/** Whom something is shared with. */
export const sharingSchema = z.object({
  shared: z.enum(['everybody', 'chosen', 'nobody']),
  /** Whose it is; null where it is everybody's. */
  owner: z.object({ id: z.number(), name: z.string() }).nullable(),
  /** The accounts besides its owner's. */
  with: z.array(z.number()),
  /** Whether whoever asks may change that. */
  mayChange: z.boolean(),
})
export type Sharing = z.infer<typeof sharingSchema>
const ofThing = z.object({ kind: z.enum(shareables), thing: id })

/** How many lines of what happened are given at once. */
export const happenedAtOnce = 100

/** Something that happened. */
export const happenedSchema = z.object({
  at: z.number(),
  /** Who did it; null where nobody signed in, and where Hand Post did it by itself. */
  by: z.string().nullable(),
  itself: z.boolean(),
  words: z.string(),
  /** The round that it was done with; without a title where it is not there any more. */
  round: z.object({ id: z.number(), title: z.string().nullable() }).nullable(),
})
export type Happened = z.infer<typeof happenedSchema>
/** From which line on, the newest being 0. */
const from = z.coerce.number().int().min(0).max(10_000_000).default(0)

const ofAccount = z.object({ account: id })

export const accountRoutes = {
  signIn: route({
    method: 'POST',
    path: '/api/sign-in',
    wants: 'anybody',
    summary: 'Sign in: by address and password, where there are accounts; else by the desk’s password',
    body: z.object({ address: z.string().trim().max(254).default(''), password, code: code.default('') }),
    /** `code`: the password is right, and a one-time code is asked for. */
    answer: z.object({ wants: z.enum(['code']).nullable() }),
  }),
  signOut: route({
    method: 'POST',
    path: '/api/sign-out',
    wants: 'anybody',
    summary: 'End the session; windows that listen are told so',
  }),
  beginService: route({
    method: 'POST',
    path: '/api/sign-in/service',
    wants: 'anybody',
    summary: 'Begin to sign in at the office’s sign-in service (OpenID Connect): gives the page to open there',
    answer: z.object({ url: z.string() }),
  }),
  finishService: route({
    method: 'POST',
    path: '/api/sign-in/service/answer',
    wants: 'anybody',
    summary: 'Sign in with what the sign-in service answered',
    body: z.object({ query: z.string().max(4000) }),
  }),
  lookAtInvitation: route({
    method: 'POST',
    path: '/api/invitations/look',
    wants: 'anybody',
    summary: 'Whom an invitation is for',
    body: z.object({ token: invitationToken }),
    answer: z.object({ name: z.string(), address: z.string(), until: z.number() }),
  }),
  takeInvitation: route({
    method: 'POST',
    path: '/api/invitations/take',
    wants: 'anybody',
    summary: 'Take an invitation, once, by choosing a password; signs in',
    body: z.object({ token: invitationToken, password: newPassword }),
  }),
  me: route({
    method: 'GET',
    path: '/api/me',
    wants: 'writer',
    summary: 'Who is signed in, and what they may do',
    answer: meSchema,
  }),
  changePassword: route({
    method: 'PUT',
    path: '/api/me/password',
    wants: 'writer',
    summary: 'Change one’s password; all other sessions end, and this one gets another cookie',
    body: z.object({ before: password, next: newPassword }),
  }),
  beginCode: route({
    method: 'POST',
    path: '/api/me/code',
    wants: 'writer',
    summary: 'What an authenticator needs to make one-time codes (RFC 6238); nothing changes until one is given back',
    body: z.object({ password }),
    answer: z.object({ secret: z.string(), uri: z.string() }),
  }),
  confirmCode: route({
    method: 'PUT',
    path: '/api/me/code',
    wants: 'writer',
    summary:
      'Have a one-time code asked for at signing in; gives the recovery codes, this once. All other sessions end',
    body: z.object({ secret: z.string().max(100), code, password }),
    answer: z.object({ recovery: z.array(z.string()) }),
  }),
  endCode: route({
    method: 'DELETE',
    path: '/api/me/code',
    wants: 'writer',
    summary: 'Have no one-time code asked for any more',
    body: z.object({ password }),
  }),
  sessions: route({
    method: 'GET',
    path: '/api/me/sessions',
    wants: 'writer',
    summary: 'Where one is signed in, this browser first',
    answer: z.array(sessionSchema),
  }),
  endSession: route({
    method: 'DELETE',
    path: '/api/me/sessions/:session',
    wants: 'writer',
    summary: 'End one of one’s sessions',
    params: z.object({ session: id }),
  }),
  endOtherSessions: route({
    method: 'POST',
    path: '/api/me/sessions/end-others',
    wants: 'writer',
    summary: 'End all of one’s sessions but this one',
  }),
  colleagues: route({
    method: 'GET',
    path: '/api/colleagues',
    wants: 'writer',
    summary: 'Who signs in here, and who of them may post',
    answer: z.array(z.object({ id: z.number(), name: z.string(), mayPost: z.boolean() })),
  }),
  accounts: route({
    method: 'GET',
    path: '/api/accounts',
    wants: 'keeper',
    summary: 'All accounts by name; those that have ended last',
    answer: z.array(accountSchema),
  }),
  setUpAccounts: route({
    method: 'POST',
    path: '/api/accounts/first',
    wants: 'keeper',
    summary:
      'Make the first account, a keeper’s; from then on everybody signs in by their own, and the desk’s password ends',
    body: z.object({ name, address, password: newPassword }),
  }),
  invite: route({
    method: 'POST',
    path: '/api/accounts',
    wants: 'keeper',
    summary: 'Make an account, with a link by which its owner chooses a password',
    body: rights.extend({ name, address }),
    answer: invited,
  }),
  inviteAgain: route({
    method: 'POST',
    path: '/api/accounts/:account/invitation',
    wants: 'keeper',
    summary:
      'A new link for whoever has lost the one before, the password or what makes the codes; until it is taken, the account is as it was',
    params: ofAccount,
    answer: invited,
  }),
  changeAccount: route({
    method: 'PATCH',
    path: '/api/accounts/:account',
    wants: 'keeper',
    summary: 'Change name, address or rights of an account; one keeper is always left',
    params: ofAccount,
    body: rights.extend({ name, address }).partial(),
    answer: accountSchema,
  }),
  endAccount: route({
    method: 'DELETE',
    path: '/api/accounts/:account',
    wants: 'keeper',
    summary: 'End an account, with its sessions; what was done by it stays, and names it',
    params: ofAccount,
  }),
  sharing: route({
    method: 'GET',
    path: '/api/sharing/:kind/:thing',
    wants: 'writer',
    summary: 'Whom a list, a letter of the shelf, a round or a mailbox is shared with',
    params: ofThing,
    names: ({ params: { kind, thing } }) => [{ kind, id: thing }],
    answer: sharingSchema,
  }),
  share: route({
    method: 'PUT',
    path: '/api/sharing/:kind/:thing',
    wants: 'writer',
    summary:
      'Share something with everybody, with chosen people, or with nobody but oneself, whose it is then; a mailbox by keepers',
    params: ofThing,
    names: ({ params: { kind, thing } }) => [{ kind, id: thing }],
    body: z.object({ with: z.union([z.literal('everybody'), z.array(id).max(1000)]) }),
    answer: sharingSchema,
  }),
  happened: route({
    method: 'GET',
    path: '/api/happened',
    wants: 'keeper',
    summary: 'What happened, and who did it, the newest first: of everything, or of one account',
    query: z.object({ from, account: id.optional() }),
    answer: z.array(happenedSchema),
  }),
  roundHappened: route({
    method: 'GET',
    path: '/api/rounds/:round/happened',
    wants: 'writer',
    summary: 'What happened with a round, its chasers and answers, and who did it, the newest first',
    params: z.object({ round: id }),
    query: z.object({ from }),
    answer: z.array(happenedSchema),
  }),
}
