import { routes } from '@hand-post/contract'
import { dayOf, type Outcome, outcomeFormats } from '@hand-post/core'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { type Desk, giveFile, handle } from '../http/handle.ts'
import { mailboxById } from '../mailboxes/store.ts'
import type { PeopleJobs } from '../people/jobs.ts'
import { listById } from '../people/store.ts'
import { notFound } from '../problem.ts'
import { roundById } from '../rounds/store.ts'
import type { Computes } from '../threads/job.ts'
import type { Fetches } from './fetches.ts'
import type { InboxReader } from './inboxReader.ts'
import { trayEntries } from './inTray.ts'
import type { ResponseJobs } from './jobs.ts'
import * as responses from './store.ts'

/** What the routes of responses need. */
export interface ResponseParts {
  db: Database
  clock: Clock
  compute: Computes<PeopleJobs & ResponseJobs>
  fetches: Fetches
  inbox: InboxReader
  publish: Publish
}

/** The board, the outcome list, and the in-tray. */
export function responseRoutes(desk: Desk, { db, clock, compute, fetches, inbox, publish }: ResponseParts): void {
  handle(desk, routes.board, async ({ params }) => {
    await fetches.flush()
    return compute.run('board', { roundId: params.round })
  })

  handle(desk, routes.outcomeCsv, async ({ params, query: { as }, res }) => {
    await fetches.flush()
    const { title, file } = await compute.run('outcomeFile', { roundId: params.round, as, now: clock.now() })
    const { ending, mediaType } = outcomeFormats[as]
    return giveFile(res, `${title} outcome.${ending}`, mediaType, typeof file === 'string' ? file : Buffer.from(file))
  })

  handle(desk, routes.inTray, async ({ query }) => ({
    open: await responses.trayOpen(db),
    entries: await trayEntries(db, query.done === 'yes'),
  }))
  handle(desk, routes.trayDone, async ({ params, body }) => {
    await responses.setTrayDone(db, params.response, body.done, clock.now())
    publish({ topic: 'responses', id: null })
    return {}
  })
  handle(desk, routes.whose, async ({ params, body }) => {
    const roundId = await responses.setWhose(db, params.response, body.of)
    if (roundId === null) throw notFound('answer')
    publish({ topic: 'responses', id: roundId })
    return {}
  })
  handle(desk, routes.readNow, async ({ params }) => ({
    found: await inbox.read((await mailboxById(db, params.mailbox)).id),
  }))

  handle(desk, routes.listFromRound, async ({ body }) => {
    const board = await compute.run('board', { roundId: body.round })
    const { listId } = await roundById(db, body.round)
    if (listId === null) throw notFound('list')
    const wanted = new Set<Outcome>(body.outcomes)
    const rowIds = board.people.filter((p) => wanted.has(p.outcome)).map((p) => p.rowId)
    const now = clock.now()
    const id = await compute.run(
      'copyList',
      { from: { listId }, name: body.name, rowIds, now, today: dayOf(now) },
      { onProgress: (progress) => publish({ topic: 'progress', id: null, progress }) },
    )
    publish({ topic: 'lists', id })
    return listById(db, id)
  })
}
