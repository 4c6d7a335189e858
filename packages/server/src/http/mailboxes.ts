import { type Mailbox, type MailboxSettings, routes } from '@hand-post/contract'
import { addressFault, connectionFault } from '@hand-post/core'
import type { Express } from 'express'
import type { Context } from '../context.ts'
import * as store from '../mailboxes/store.ts'
import { testMailbox } from '../mailboxes/test.ts'
import { Refusal } from '../problem.ts'
import { handle } from './handle.ts'

function check(settings: MailboxSettings): void {
  for (const address of [settings.address, ...settings.aliases]) {
    const fault = addressFault(address)
    if (fault) throw new Refusal(422, `“${address}” cannot be the mailbox's address: ${fault}.`, 'Not an address')
  }
  for (const host of [settings.smtp, settings.imap]) {
    const words = host && connectionFault(host.host, host.security)
    if (words) throw new Refusal(422, words, 'Not private')
  }
  try {
    new Intl.DateTimeFormat('en-GB', { timeZone: settings.timeZone })
  } catch {
    throw new Refusal(
      422,
      `There is no time zone called “${settings.timeZone}”. Use a name such as Europe/London.`,
      'No such time zone',
    )
  }
}

export function mailboxHandlers(app: Express, { db, clock, secrets, dispatcher, inbox, tell }: Context): void {
  const given = async (id: number): Promise<Mailbox> =>
    store.toMailbox(db, await store.mailboxById(db, id), clock.now())

  handle(app, routes.mailboxes, async () =>
    Promise.all((await store.mailboxRecords(db)).map((record) => store.toMailbox(db, record, clock.now()))),
  )

  handle(app, routes.addMailbox, async ({ body }) => {
    const { password, ...settings } = body
    check(body)
    if (password === undefined) throw new Refusal(422, 'The password is missing.', 'No password')
    const id = await store.insertMailbox(db, settings, secrets.lock(password), false)
    void inbox.read(id)
    tell({ topic: 'mailboxes', id })
    return given(id)
  })

  handle(app, routes.changeMailbox, async ({ params, body }) => {
    const { password, ...settings } = body
    check(body)
    const before = await store.mailboxById(db, params.mailbox)
    await store.updateMailbox(db, before.id, settings, password === undefined ? before.secret : secrets.lock(password))
    inbox.drop(before.id)
    await store.pauseMailbox(db, before.id, { until: null, stopped: false, reason: null })
    await dispatcher.replan(before.id)
    dispatcher.wake(before.id)
    void inbox.read(before.id)
    tell({ topic: 'mailboxes', id: before.id })
    return given(before.id)
  })

  handle(app, routes.removeMailbox, async ({ params }) => {
    const { settings, practice } = await store.mailboxById(db, params.mailbox)
    if (practice)
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
    tell({ topic: 'mailboxes', id: null })
    return {}
  })

  handle(app, routes.testMailbox, async ({ body }) => {
    const { id, ...settings } = body
    const password =
      settings.password ?? (id === undefined ? undefined : secrets.unlock((await store.mailboxById(db, id)).secret))
    if (password === undefined) throw new Refusal(422, 'The password is missing.', 'No password')
    const steps = await testMailbox(settings, password)
    return { steps, ok: steps.every((step) => step.ok) }
  })

  handle(app, routes.carryOnMailbox, async ({ params }) => {
    await store.pauseMailbox(db, params.mailbox, { until: null, stopped: false, reason: null })
    await dispatcher.replan(params.mailbox)
    dispatcher.wake(params.mailbox)
    void inbox.read(params.mailbox)
    tell({ topic: 'mailboxes', id: params.mailbox })
    return given(params.mailbox)
  })
}
