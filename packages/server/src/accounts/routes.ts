import { randomBytes } from 'node:crypto'
import { happenedAtOnce, routes, type Shareable } from '@hand-post/contract'
import { clientOf } from '@hand-post/core'
import type { Request } from 'express'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { type Caller, type Desk, handle } from '../http/handle.ts'
import { notFound, Refusal } from '../problem.ts'
import type { Secrets } from '../secrets.ts'
import { actAs } from '../who.ts'
import { isSecret, newSecret, recoveryCodes, recoveryPrint, uriOf } from './codes.ts'
import { happened, noteDeed } from './deeds.ts'
import { hashOf, refuseWeak } from './passwords.ts'
import type { SignInService } from './service.ts'
import { handOver, nameOf, share, sharingOf } from './sharing.ts'
import { print, type SignIn } from './signIn.ts'
import * as store from './store.ts'

/** What the routes of accounts need. */
export interface AccountParts {
  db: Database
  clock: Clock
  secrets: Secrets
  signIn: SignIn
  publish: Publish
  /** The office's sign-in service, where there is one. */
  service: SignInService | null
  /** How browsers name the desk, where that is set. */
  deskUrl: string | undefined
}

/** How long (ms) an invitation can be taken. */
const invitedFor = 7 * 24 * 60 * 60_000

const noAccount = () =>
  new Refusal(409, 'There are no accounts here: this is for people who sign in by their own.', 'No accounts')
const over = () =>
  new Refusal(
    410,
    'This invitation was taken already, has ended, or is none: it works once, for seven days. Ask a keeper for another; if you have chosen a password by it, sign in.',
    'Invitation over',
  )
const oneKeeper = () =>
  new Refusal(
    409,
    'Nobody else who can sign in is a keeper, and without one nobody could look after accounts and mailboxes. Make somebody else one first. Nothing was changed.',
    'The last keeper',
  )

/** Makes a link for an account; gives its token, which is told once and kept as a digest only. */
export async function makeInvitation(db: Database, account: number, now: number) {
  const token = randomBytes(24).toString('base64url')
  const until = now + invitedFor
  await store.putInvitation(db, account, print(token), until)
  return { token, until }
}

export function accountRoutes(
  desk: Desk,
  { db, clock, secrets, signIn, publish, service, deskUrl }: AccountParts,
): void {
  /** The account of whoever calls. */
  const own = async ({ account }: Caller) => {
    if (account === null) throw noAccount()
    return store.accountRecord(db, account.id)
  }
  const line = async (id: number) => store.lineOf(await store.accountRecord(db, id), clock.now())
  /** How the browser names the desk that it is at: one of its own names, or the guard would not have let it through. */
  const deskOf = (req: Request) =>
    deskUrl === undefined ? `${req.protocol}://${req.get('host')}` : new URL(deskUrl).origin

  handle(desk, routes.signIn, async ({ req, res, body }) => ({ wants: await signIn.begin(req, res, body) }))
  handle(desk, routes.signOut, async ({ req, res }) => {
    await signIn.end(req, res)
    return {}
  })
  const atService = () => {
    if (service === null) throw new Refusal(404, 'This desk has no sign-in service.', 'No service')
    return service
  }
  handle(desk, routes.beginService, async ({ req, res }) => ({ url: await atService().begin(res, deskOf(req)) }))
  handle(desk, routes.finishService, async ({ req, res, body }) => {
    await signIn.admit(req, res, await atService().finish(req, res, deskOf(req), body.query), 'service')
    return {}
  })

  handle(desk, routes.lookAtInvitation, async ({ body }) => {
    const found = await store.invitedBy(db, print(body.token), clock.now())
    if (found === null) throw over()
    return { name: found.name, address: found.address, until: found.invitedUntil! }
  })
  handle(desk, routes.takeInvitation, async ({ req, res, body }) => {
    const found = await store.invitedBy(db, print(body.token), clock.now())
    if (found === null) throw over()
    refuseWeak(body.password, found)
    const taken = await store.takeInvitation(db, print(body.token), await hashOf(body.password), clock.now())
    if (taken === null) throw over()
    await signIn.admit(req, res, await store.accountRecord(db, taken), 'invitation')
    await signIn.changed()
    return {}
  })

  handle(desk, routes.me, async ({ caller }) => {
    const account = caller.account === null ? null : await own(caller)
    return {
      account: account && {
        id: account.id,
        name: account.name,
        address: account.address,
        code: account.codeSecret !== null,
      },
      roles: [...caller.roles],
      hasPassword: account?.password != null,
      recoveryLeft: account?.recovery.length ?? 0,
    }
  })
  handle(desk, routes.changePassword, async ({ req, res, caller, body }) => {
    const account = await own(caller)
    await signIn.confirm(account, body.before)
    refuseWeak(body.next, account)
    await store.setPassword(db, account.id, await hashOf(body.next))
    await store.endSessions(db, account.id, { but: null })
    await noteDeed(db, clock.now(), 'passwordChanged', {})
    await signIn.admit(req, res, account, null)
    await signIn.changed()
    return {}
  })
  handle(desk, routes.beginCode, async ({ caller, body }) => {
    const account = await own(caller)
    await signIn.confirm(account, body.password)
    const secret = newSecret()
    return { secret, uri: uriOf(secret, account.address) }
  })
  handle(desk, routes.confirmCode, async ({ caller, body }) => {
    const account = await own(caller)
    await signIn.confirm(account, body.password)
    const step = isSecret(body.secret) ? signIn.stepOf(body.secret, body.code) : null
    if (step === null)
      throw new Refusal(
        422,
        'That is not the code of this moment. Look whether the clock of what makes the codes is right, and type the next one. Nothing was changed.',
        'Wrong code',
      )
    const recovery = recoveryCodes()
    await store.setCode(db, account.id, {
      secret: secrets.lock(body.secret),
      step,
      recovery: recovery.map(recoveryPrint),
    })
    await store.endSessions(db, account.id, { but: caller.session })
    await noteDeed(db, clock.now(), 'codeOn', {})
    await signIn.changed()
    return { recovery }
  })
  handle(desk, routes.endCode, async ({ caller, body }) => {
    const account = await own(caller)
    await signIn.confirm(account, body.password)
    await store.setCode(db, account.id, null)
    await noteDeed(db, clock.now(), 'codeOff', {})
    await signIn.changed()
    return {}
  })

  handle(desk, routes.sessions, async ({ caller }) => {
    if (caller.session === null) return []
    const all = await store.sessionsOf(db, caller.account?.id ?? null)
    const lines = all.map(({ browser, ...session }) => {
      const { program, device } = clientOf(browser)
      return { ...session, program, device, own: session.id === caller.session }
    })
    return [...lines.filter((one) => one.own), ...lines.filter((one) => !one.own)]
  })
  handle(desk, routes.endSession, async ({ caller, params }) => {
    const ended = await store.endSessions(db, caller.account?.id ?? null, { only: params.session })
    if (ended === 0) throw notFound('session')
    await signIn.changed()
    return {}
  })
  handle(desk, routes.endOtherSessions, async ({ caller }) => {
    await store.endSessions(db, caller.account?.id ?? null, { but: caller.session })
    await signIn.changed()
    return {}
  })

  handle(desk, routes.colleagues, async () =>
    (await store.accountRecords(db))
      .filter((one) => one.endedAt === null)
      .map(({ id, name, mayPost }) => ({
        id,
        name,
        mayPost,
      })),
  )
  handle(desk, routes.accounts, async () =>
    (await store.accountRecords(db)).map((account) => store.lineOf(account, clock.now())),
  )
  handle(desk, routes.setUpAccounts, async ({ req, res, caller, body }) => {
    if (caller.session === null)
      throw new Refusal(
        409,
        'Nobody but this machine reaches this desk, so nobody signs in. Where colleagues are to reach it, docs/office.md says how to set it up. Nothing was changed.',
        'No accounts here',
      )
    refuseWeak(body.password, body)
    const password = await hashOf(body.password)
    const id = await db.transaction(async (tx) => {
      if (await store.hasAccounts(tx))
        throw new Refusal(409, 'There are accounts already: sign in by yours.', 'Accounts are there')
      const id = await store.insertAccount(tx, { ...body, mayPost: true, keeps: true, password }, clock.now())
      await actAs({ id, name: body.name }, () => noteDeed(tx, clock.now(), 'accountsSetUp', {}))
      return id
    })
    await signIn.admit(req, res, { id, name: body.name }, null)
    await signIn.changed()
    return {}
  })
  handle(desk, routes.invite, async ({ caller, body }) => {
    if (caller.account === null) throw noAccount()
    const id = await db.transaction(async (tx) => {
      const { name, mayPost, keeps } = body
      await noteDeed(tx, clock.now(), 'invited', { name, mayPost, keeps })
      return store.insertAccount(tx, { ...body, password: null }, clock.now())
    })
    const invitation = await makeInvitation(db, id, clock.now())
    await signIn.changed()
    return { account: await line(id), ...invitation }
  })
  handle(desk, routes.inviteAgain, async ({ params }) => {
    const { name } = await store.accountRecord(db, params.account)
    await noteDeed(db, clock.now(), 'invitedAgain', { name })
    const invitation = await makeInvitation(db, params.account, clock.now())
    await signIn.changed()
    return { account: await line(params.account), ...invitation }
  })
  handle(desk, routes.changeAccount, async ({ params, body }) => {
    await db.transaction(async (tx) => {
      const before = await store.accountRecord(tx, params.account)
      const next = { ...before, ...body }
      if (before.keeps && !next.keeps && !(await store.otherKeepers(tx, before.id))) throw oneKeeper()
      await store.changeAccount(tx, before.id, next)
      const rights = (one: typeof next) => ({ address: one.address, mayPost: one.mayPost, keeps: one.keeps })
      await noteDeed(tx, clock.now(), 'accountChanged', {
        name: next.name,
        was: { name: before.name, ...rights(before) },
        is: rights(next),
      })
    })
    await signIn.changed()
    return line(params.account)
  })
  handle(desk, routes.endAccount, async ({ params, caller }) => {
    await db.transaction(async (tx) => {
      const account = await store.accountRecord(tx, params.account)
      if (account.keeps && !(await store.otherKeepers(tx, account.id))) throw oneKeeper()
      await store.endAccount(tx, account.id, clock.now())
      // What only they saw is whoever's who ends it, or nobody could ever see it again.
      if (caller.account !== null) await handOver(tx, account.id, caller.account.id)
      await noteDeed(tx, clock.now(), 'accountEnded', { name: account.name })
    })
    await signIn.changed()
    return {}
  })

  /** Whom something is shared with, and whether whoever asks may change that. */
  const sharing = async (at: Database, { account, roles }: Caller, kind: Shareable, thing: number) => {
    const found = await sharingOf(at, kind, thing)
    const mayChange =
      account !== null &&
      (await ofItself(at, kind, thing)) === null &&
      (kind === 'mailbox' ? roles.includes('keeper') : found.owner === null || found.owner.id === account.id)
    return { ...found, mayChange }
  }
  /** Why something is everybody's whatever one wishes, in words; null where it need not be. */
  const ofItself = async (at: Database, kind: Shareable, thing: number) => {
    const name = await nameOf(at, kind, thing)
    if (name === null) throw notFound(kind)
    if (name.everybodys)
      return `“${name.name}” is everybody’s: ${kind === 'list' ? 'everybody writes to the same address book' : 'rehearsals and first tries need it'}.`
    return null
  }
  handle(desk, routes.sharing, ({ caller, params }) => sharing(db, caller, params.kind, params.thing))
  handle(desk, routes.share, async ({ caller, params: { kind, thing }, body }) => {
    const { account } = caller
    if (account === null) throw noAccount()
    const always = await ofItself(db, kind, thing)
    if (always !== null) throw new Refusal(409, `${always} Nothing was changed.`, 'Everybody’s')
    await db.transaction(async (tx) => {
      const before = await sharingOf(tx, kind, thing)
      if (!(await sharing(tx, caller, kind, thing)).mayChange)
        throw new Refusal(
          403,
          kind === 'mailbox'
            ? 'Keepers say whom a mailbox is shared with. Nothing was changed.'
            : `It belongs to ${before.owner?.name}, who alone says whom it is shared with. Nothing was changed.`,
          'Not yours',
        )
      await share(tx, kind, thing, before.owner?.id ?? account.id, body.with)
      const after = await sharingOf(tx, kind, thing)
      const names = new Map((await store.accountRecords(tx)).map(({ id, name }) => [id, name]))
      const { name } = (await nameOf(tx, kind, thing))!
      const details = { kind, name, shared: after.shared, with: after.with.map((id) => names.get(id) ?? '') }
      await noteDeed(tx, clock.now(), 'shared', details, kind === 'round' ? thing : null)
    })
    // Windows of others may show what is not theirs to see any more, or not yet what is.
    publish({ topic: 'everything', id: null })
    return sharing(db, caller, kind, thing)
  })

  handle(desk, routes.happened, ({ query }) =>
    happened(db, { round: null, account: query.account ?? null }, query.from, happenedAtOnce),
  )
  handle(desk, routes.roundHappened, ({ params, query }) =>
    happened(db, { round: params.round, account: null }, query.from, happenedAtOnce),
  )
}
