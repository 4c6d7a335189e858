import { type Mailbox, type MailboxSettings, mailboxFaults, routes } from '@hand-post/contract'
import { bareAddress, newPlaces } from '@hand-post/core'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import { type Desk, handle } from '../http/handle.ts'
import { Refusal } from '../problem.ts'
import type { Secrets } from '../secrets.ts'
import { checkHolidays, countries, holidaysFrom, regionsOf } from './holidays.ts'
import * as store from './store.ts'
import { testMailbox } from './trial.ts'

function check(settings: MailboxSettings): void {
  const [fault] = mailboxFaults(settings)
  if (fault) throw new Refusal(422, fault.words, fault.title)
  checkHolidays(settings.hours)
}

/** Settings as they are stored: without the password, and addresses without their names. */
const kept = ({ password: _, ...settings }: MailboxSettings) => ({
  ...settings,
  address: bareAddress(settings.address),
  aliases: settings.aliases.map(bareAddress),
})

/** What the routes of mailboxes need. */
export interface MailboxParts {
  db: Database
  clock: Clock
  secrets: Secrets
  files: FileStore
  /** Where the practice host of this machine takes letters. */
  practicePort: number
  /** Sends what waits in a mailbox. */
  dispatcher: { replan(mailboxId: number): Promise<unknown>; wake(mailboxId: number): void }
  /** Reads what left one by other ways. */
  otherMail: { read(mailboxId: number, atOnce?: boolean): Promise<boolean> }
  /** Reads what comes into one. */
  inbox: { read(mailboxId: number): Promise<number>; drop(mailboxId: number): void }
  publish: Publish
}

/** Mailboxes: added, tried, changed, carried on, removed. */
export function mailboxRoutes(
  desk: Desk,
  { db, clock, secrets, dispatcher, files, inbox, otherMail, practicePort, publish }: MailboxParts,
): void {
  const given = async (id: number): Promise<Mailbox> =>
    store.toMailbox(db, await store.mailboxById(db, id), clock.now(), practicePort)
  /** Sends and reads from now on, whatever it rested for. */
  const goOn = async (id: number): Promise<Mailbox> => {
    await store.pauseMailbox(db, id, { until: null, stopped: false, reason: null, rests: 0 })
    await dispatcher.replan(id)
    dispatcher.wake(id)
    void inbox.read(id)
    void otherMail.read(id, true)
    publish({ topic: 'mailboxes', id })
    return given(id)
  }

  /** The password to use: the one that is given, else the stored one, which goes only where it was stored for. */
  const passwordFor = (settings: MailboxSettings, stored: store.MailboxRecord | null): string => {
    if (settings.password !== undefined) return settings.password
    if (stored === null) throw new Refusal(422, 'The password is missing.', 'No password')
    const elsewhere = newPlaces(stored.settings, settings)
    if (elsewhere.length > 0)
      throw new Refusal(
        422,
        `The stored password goes only where it was given for, and ${elsewhere.join(', ')} ${elsewhere.length === 1 ? 'is' : 'are'} another now. Type the password again. Nothing was changed, and nobody was given it.`,
        'Password needed',
      )
    return secrets.unlock(stored.secret)
  }

  handle(desk, routes.mailboxes, async () =>
    Promise.all(
      (await store.mailboxRecords(db)).map((record) => store.toMailbox(db, record, clock.now(), practicePort)),
    ),
  )

  handle(desk, routes.mailboxUse, async ({ params }) => {
    const { id } = await store.mailboxById(db, params.mailbox)
    const now = clock.now()
    return { now, hours: await store.useOf(db, id, now) }
  })

  handle(desk, routes.holidays, async ({ query: { country, region } }) => {
    const place = country === undefined ? null : { country, region: region ?? null }
    if (place) checkHolidays({ week: [], off: [], holidays: { ...place, worked: [] } })
    return {
      countries: countries(),
      regions: place ? regionsOf(place.country) : [],
      days: place ? holidaysFrom(clock.now(), place.country, place.region) : [],
    }
  })

  handle(desk, routes.addMailbox, async ({ body }) => {
    check(body)
    const settings = kept(body)
    const id = await store.insertMailbox(db, settings, secrets.lock(passwordFor(body, null)), false)
    void inbox.read(id)
    void otherMail.read(id, true)
    publish({ topic: 'mailboxes', id })
    return given(id)
  })

  handle(desk, routes.changeMailbox, async ({ params, body }) => {
    check(body)
    const settings = kept(body)
    const before = await store.mailboxById(db, params.mailbox)
    const secret = secrets.lock(passwordFor(body, before))
    await store.updateMailbox(db, before.id, settings, secret)
    inbox.drop(before.id)
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
    inbox.drop(params.mailbox)
    await store.deleteMailbox(db, params.mailbox)
    publish({ topic: 'mailboxes', id: null })
    return {}
  })

  handle(desk, routes.testMailbox, async ({ body }) => {
    const { id, selfMessage, ...settings } = body
    const stored = id === undefined ? null : await store.mailboxById(db, id)
    const { steps, hostFilesSent } = await testMailbox(settings, passwordFor(settings, stored), { selfMessage, files })
    if (stored && hostFilesSent !== null) {
      await store.noteCopies(db, stored.id, clock.now(), 1)
      publish({ topic: 'mailboxes', id: stored.id })
    }
    return { steps, ok: steps.every((step) => step.ok), hostFilesSent }
  })

  handle(desk, routes.seenUnreadMail, async ({ params }) => {
    await store.mailboxById(db, params.mailbox)
    await store.noteUnreadSeen(db, params.mailbox)
    publish({ topic: 'mailboxes', id: params.mailbox })
    return given(params.mailbox)
  })

  handle(desk, routes.carryOnMailbox, async ({ params }) => {
    return goOn(params.mailbox)
  })
}
