import { routes, type TrayEntry } from '@hand-post/contract'
import type { Context } from '../context.ts'
import type { Database } from '../db/database.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { notFound } from '../problem.ts'
import { asEntry } from '../responses/board.ts'
import * as responses from '../responses/store.ts'
import { type Desk, giveFile, handle } from './handle.ts'

/** Most lines of the in-tray given at once. */
const mostInTray = 500

/** The in-tray's entries. */
export async function trayEntries(db: Database, done: boolean, most = mostInTray): Promise<TrayEntry[]> {
  return (await responses.tray(db, done, most)).map((r) => ({
    ...asEntry(r, false),
    subject: r.details.subject ?? '',
    roundId: r.roundId,
    round: r.round,
    rowId: r.rowId,
    person: r.person,
    address: r.address,
    fromAddress: r.fromAddress,
    text: r.details.text ?? '',
    letter: { subject: r.subject, html: r.html, sentAt: r.sentAt },
    doneAt: r.doneAt,
  }))
}

export function responseHandlers(desk: Desk, { db, clock, compute, fetches, inbox, tell }: Context): void {
  handle(desk, routes.board, async ({ params }) => {
    await fetches.flush()
    return compute.run('board', { roundId: params.round })
  })

  handle(desk, routes.outcomeCsv, async ({ params, res }) => {
    await fetches.flush()
    const { title, text } = await compute.run('outcomeCsv', { roundId: params.round, now: clock.now() })
    return giveFile(res, `${title} outcome.csv`, 'text/csv; charset=utf-8', text)
  })

  handle(desk, routes.inTray, async ({ query }) => ({
    open: await responses.trayOpen(db),
    entries: await trayEntries(db, query.done === 'yes'),
  }))
  handle(desk, routes.trayDone, async ({ params, body }) => {
    await responses.setTrayDone(db, params.response, body.done, clock.now())
    tell({ topic: 'responses', id: null })
    return {}
  })
  handle(desk, routes.whose, async ({ params, body }) => {
    const roundId = await responses.setWhose(db, params.response, body.of)
    if (roundId === null) throw notFound('answer')
    tell({ topic: 'responses', id: roundId })
    return {}
  })
  handle(desk, routes.readNow, async ({ params }) => ({
    found: await inbox.read((await mailboxById(db, params.mailbox)).id),
  }))
}
