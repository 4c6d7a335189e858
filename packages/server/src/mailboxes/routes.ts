import { type Mailbox, type MailboxSettings, mailboxFaults, type OauthSettings, routes } from '@hand-post/contract'
import { bareAddress, escapeHtml, newPlaces, serviceFault, settingsThatDiffer } from '@hand-post/core'
import { noteDeed } from '../accounts/deeds.ts'
import { hidden } from '../accounts/sharing.ts'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import { type Desk, handle } from '../http/handle.ts'
import { Refusal } from '../problem.ts'
import type { Secrets } from '../secrets.ts'
import { type Access, type MailboxKeys, withToken } from './access.ts'
import { checkHolidays, countries, holidaysFrom, regionsOf } from './holidays.ts'
import { foldersOf, usingImap } from './imap.ts'
import { mailHosts } from './lookUp.ts'
import { discover, type Held } from './oauth.ts'
import type { SignIns } from './signIns.ts'
import * as store from './store.ts'
import { testMailbox } from './trial.ts'

async function check(settings: MailboxSettings): Promise<void> {
  const [fault] = mailboxFaults(settings)
  if (fault) throw new Refusal(422, fault.words, fault.title)
  await checkHolidays(settings.hours)
}

/** Settings as they are stored: without the password, and addresses without their names. */
const kept = ({ password: _, flow: __, ...settings }: MailboxSettings) => ({
  ...settings,
  address: bareAddress(settings.address),
  aliases: settings.aliases.map(bareAddress),
})

/** Where a sign-in service sends the browser back to. */
const answerPath = '/oauth/answer'

/** A sign-in service as it was typed: found by its address, or by where it gives consent and tokens. */
async function serviceOf({
  issuer = '',
  authorization = '',
  token = '',
  clientId = '',
  scope = '',
}: {
  issuer?: string
  authorization?: string
  token?: string
  clientId?: string
  scope?: string
}): Promise<OauthSettings> {
  const missing = (what: string) => new Refusal(422, `${what} is missing. Nothing was begun.`, 'Missing')
  if (clientId === '') throw missing('The client id')
  if (authorization !== '' || token !== '') {
    if (authorization === '' || token === '') throw missing('One of the two addresses')
    for (const address of [authorization, token]) {
      const fault = serviceFault(address, authorization)
      if (fault) throw new Refusal(422, `${fault} Nothing was begun.`, 'Not private')
    }
    return { issuer: '', authorization, token, clientId, scope }
  }
  if (issuer === '') throw missing('The address of the sign-in service')
  return { issuer, ...(await discover(issuer)), clientId, scope }
}

/** How long (ms) listing the folders of a mailbox may take. */
const maxToList = 30_000

/** Reads mailboxes, by whichever process works them. */
export interface Reading {
  /** Reads what is new in the inbox. Gives how many responses were found; null where nobody works the mailbox just now. */
  inbox(mailboxId: number): Promise<number | null>
  /** Reads the other folders that are chosen. */
  others(mailboxId: number): Promise<void>
  /** Reads what left by other ways. */
  sent(mailboxId: number): Promise<void>
  /** Lets go of its connection: its settings have changed. */
  drop(mailboxId: number): void
}

/** What the routes of mailboxes need. */
export interface MailboxParts {
  db: Database
  clock: Clock
  secrets: Secrets
  keys: MailboxKeys
  signIns: SignIns
  /** The resolver to ask for mail hosts; without it the machine's own. */
  resolver?: string
  files: FileStore
  /** Where the practice host of this machine takes letters. */
  practicePort: number
  /** Sends what waits in a mailbox. */
  dispatcher: {
    planAnew(mailboxId: number): Promise<unknown>
    late(mailboxId: number, why: string): Promise<void>
  }
  /** Reads what comes into one, and what left it by other ways, wherever the mailbox is worked. */
  reading: Reading
  publish: Publish
}

/** Mailboxes: added, tried, changed, carried on, removed. */
export function mailboxRoutes(
  desk: Desk,
  { db, clock, secrets, keys, signIns, resolver, dispatcher, files, reading, practicePort, publish }: MailboxParts,
): void {
  const given = async (id: number): Promise<Mailbox> =>
    store.toMailbox(db, await store.mailboxById(db, id), clock.now(), practicePort)
  /** Sends and reads from now on, whatever it rested for. */
  const goOn = async (id: number): Promise<Mailbox> => {
    const { pauseReason } = await store.mailboxById(db, id)
    await dispatcher.late(id, pauseReason ?? 'The mailbox could not send then.')
    await store.pauseMailbox(db, id, { until: null, stopped: false, reason: null, rests: 0 })
    await dispatcher.planAnew(id)
    void reading.inbox(id)
    void reading.sent(id)
    publish({ topic: 'mailboxes', id })
    return given(id)
  }

  /** What opens a mailbox, as it is sealed: what is given, else what is stored, which goes only where it was stored for. */
  const secretFor = (settings: MailboxSettings, stored: store.MailboxRecord | null): string => {
    const { oauth, flow, password } = settings
    if (oauth !== null && flow !== undefined) return JSON.stringify(signIns.heldOf(flow, oauth))
    if (oauth === null && password !== undefined) return password
    if (stored === null || (oauth === null) !== (stored.settings.oauth === null))
      throw oauth === null
        ? new Refusal(422, 'The password is missing.', 'No password')
        : new Refusal(422, 'Sign in at the sign-in service first. Nothing was stored.', 'Not signed in')
    const elsewhere = newPlaces(stored.settings, settings)
    if (elsewhere.length > 0)
      throw new Refusal(
        422,
        oauth === null
          ? `The stored password goes only where it was given for, and ${elsewhere.join(', ')} ${elsewhere.length === 1 ? 'is' : 'are'} another now. Type the password again. Nothing was changed, and nobody was given it.`
          : `What the sign-in service allowed goes only where it was allowed for, and ${elsewhere.join(', ')} ${elsewhere.length === 1 ? 'is' : 'are'} another now. Sign in again. Nothing was changed, and nobody was given it.`,
        oauth === null ? 'Password needed' : 'Not signed in',
      )
    return secrets.unlock(stored.secret)
  }
  /** How settings that are tried out open their hosts. */
  const accessFor = (settings: MailboxSettings, stored: store.MailboxRecord | null): Access => {
    const { smtp, imap, user, oauth, flow } = settings
    const secret = secretFor(settings, stored)
    if (oauth === null) return { smtp, imap, user, password: secret }
    if (flow !== undefined) return withToken({ smtp, imap, user }, signIns.tokenOf(flow, oauth))
    return keys.accessOf({ ...stored!, settings: kept(settings) })
  }

  handle(desk, routes.mailboxes, async ({ caller }) => {
    // Keepers look after all of them, also those that are not shared with them.
    const away = caller.roles.includes('keeper') ? new Set() : (await hidden(db)).mailboxes
    const shown = (await store.mailboxRecords(db)).filter(({ id }) => !away.has(id))
    return Promise.all(shown.map((record) => store.toMailbox(db, record, clock.now(), practicePort)))
  })

  handle(desk, routes.mailboxUse, async ({ params }) => {
    const { id } = await store.mailboxById(db, params.mailbox)
    const now = clock.now()
    return { now, hours: await store.useOf(db, id, now) }
  })

  handle(desk, routes.holidays, async ({ query: { country, region } }) => {
    const place = country === undefined ? null : { country, region: region ?? null }
    if (place) await checkHolidays({ week: [], off: [], holidays: { ...place, worked: [] } })
    return {
      countries: await countries(),
      regions: place ? await regionsOf(place.country) : [],
      days: place ? await holidaysFrom(clock.now(), place.country, place.region) : [],
    }
  })

  handle(desk, routes.addMailbox, async ({ body }) => {
    await check(body)
    const settings = kept(body)
    const id = await store.insertMailbox(db, settings, secrets.lock(secretFor(body, null)), false)
    await noteDeed(db, clock.now(), 'mailboxAdded', { mailbox: settings.name })
    if (body.flow) signIns.forget(body.flow)
    void reading.inbox(id)
    void reading.sent(id)
    publish({ topic: 'mailboxes', id })
    return given(id)
  })

  handle(desk, routes.changeMailbox, async ({ params, body }) => {
    await check(body)
    const settings = kept(body)
    const before = await store.mailboxById(db, params.mailbox)
    const secret = secrets.lock(secretFor(body, before))
    await db.transaction(async (tx) => {
      await store.updateMailbox(tx, before.id, settings, secret)
      const others = settingsThatDiffer(before.settings, settings)
      if (body.password !== '') others.push('password')
      await noteDeed(tx, clock.now(), 'mailboxChanged', { mailbox: settings.name, settings: others })
    })
    if (body.flow) signIns.forget(body.flow)
    reading.drop(before.id)
    await store.keepFolders(db, before.id, ['INBOX', ...settings.folders])
    void reading.others(before.id)
    return goOn(before.id)
  })

  handle(desk, routes.removeMailbox, async ({ params }) => {
    const { settings, builtIn } = await store.mailboxById(db, params.mailbox)
    if (builtIn)
      throw new Refusal(409, 'The practice mailbox stays: rehearsals and first tries need it.', 'Not removed')
    const used = await db.query('SELECT 1 FROM rounds WHERE mailbox_id = $1 LIMIT 1', [params.mailbox])
    if (used.length > 0)
      throw new Refusal(
        409,
        `Rounds were made with “${settings.name}”, so it stays: their answers are read from it.`,
        'In use',
      )
    reading.drop(params.mailbox)
    await store.deleteMailbox(db, params.mailbox)
    await noteDeed(db, clock.now(), 'mailboxRemoved', { mailbox: settings.name })
    publish({ topic: 'mailboxes', id: null })
    return {}
  })

  handle(desk, routes.testMailbox, async ({ body }) => {
    const { id, selfMessage, ...settings } = body
    const stored = id === undefined ? null : await store.mailboxById(db, id)
    const { steps, hostFilesSent } = await testMailbox(settings, accessFor(settings, stored), { selfMessage, files })
    if (stored && hostFilesSent !== null) {
      await store.noteCopies(db, stored.id, clock.now(), 1)
      publish({ topic: 'mailboxes', id: stored.id })
    }
    return { steps, ok: steps.every((step) => step.ok), hostFilesSent }
  })

  handle(desk, routes.mailFolders, async ({ params }) => {
    const record = await store.mailboxById(db, params.mailbox)
    if (!record.settings.imap)
      throw new Refusal(409, 'This mailbox has no IMAP host: no folders can be read.', 'No IMAP host')
    try {
      return { folders: await usingImap(keys.accessOf(record), foldersOf, maxToList) }
    } catch (error) {
      if (error instanceof Refusal) throw error
      throw new Refusal(502, `The folders could not be had: ${(error as Error).message}`, 'Not read')
    }
  })

  handle(desk, routes.seenUnreadMail, async ({ params }) => {
    await store.mailboxById(db, params.mailbox)
    await store.noteUnreadSeen(db, params.mailbox)
    publish({ topic: 'mailboxes', id: params.mailbox })
    return given(params.mailbox)
  })

  handle(desk, routes.beginSignIn, async ({ body, req }) => {
    const stored = body.mailbox === undefined ? null : await store.mailboxById(db, body.mailbox)
    if (stored && !stored.settings.oauth)
      throw new Refusal(409, 'This mailbox is used by a password, and not by a sign-in service.', 'By password')
    const wanted = stored?.settings.oauth ?? (await serviceOf(body))
    const clientSecret =
      body.clientSecret || (stored ? (JSON.parse(secrets.unlock(stored.secret)) as Held).clientSecret : '')
    // Where the browser has the desk: it has been held to that already.
    const desk = req.get('origin') ?? `${req.protocol}://${req.get('host')}`
    const user = body.user ?? stored?.settings.user ?? ''
    const begun = await signIns.begin(wanted, { redirect: `${desk}${answerPath}`, clientSecret, user })
    return { ...begun, oauth: wanted }
  })
  handle(desk, routes.signInState, async ({ params }) => signIns.state(params.flow))
  handle(desk, routes.signInAgain, async ({ params, body }) => {
    const { id, settings } = await store.mailboxById(db, params.mailbox)
    if (settings.oauth === null)
      throw new Refusal(409, 'This mailbox is used by a password, and not by a sign-in service.', 'By password')
    await store.updateSecret(db, id, secrets.lock(JSON.stringify(signIns.heldOf(body.flow, settings.oauth))))
    signIns.forget(body.flow)
    reading.drop(id)
    return goOn(id)
  })
  // The browser comes here from another site, and so without a session: what it brings is held to what was begun.
  desk.app.get(answerPath, async (req, res) => {
    const query = new URL(req.originalUrl.slice(0, 8000), 'http://localhost').searchParams
    const { ok, words } = await signIns.answer(query)
    res
      .status(ok ? 200 : 400)
      .type('html')
      .send(
        `<!doctype html><html lang="en-GB"><meta charset="utf-8"><title>Hand Post</title><body style="font:17px sans-serif;margin:4rem auto;max-width:32rem;padding:0 1rem"><h1 style="font-size:1.4rem">${ok ? 'Signed in' : 'Not signed in'}</h1><p>${escapeHtml(words)}</p></body></html>`,
      )
  })
  handle(desk, routes.mailHosts, ({ query }) =>
    mailHosts(query.address.slice(query.address.lastIndexOf('@') + 1).toLowerCase(), resolver),
  )

  handle(desk, routes.answerSaidLimit, async ({ params, body }) => {
    await store.mailboxById(db, params.mailbox)
    if (body.take) {
      if (!(await store.takeSaidLimit(db, params.mailbox)))
        throw new Refusal(
          409,
          'There is no limit of the host to answer (any more). Nothing was changed.',
          'Nothing to answer',
        )
      await dispatcher.planAnew(params.mailbox)
    } else await store.noteSaidLimit(db, params.mailbox, null)
    publish({ topic: 'mailboxes', id: params.mailbox })
    return given(params.mailbox)
  })

  handle(desk, routes.carryOnMailbox, async ({ params }) => {
    const { settings } = await store.mailboxById(db, params.mailbox)
    await noteDeed(db, clock.now(), 'mailboxCarriedOn', { mailbox: settings.name })
    return goOn(params.mailbox)
  })
}
