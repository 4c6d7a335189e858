import { randomBytes } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { routes } from '@hand-post/contract'
import { safeName } from '@hand-post/core'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { type Desk, fileName, handle } from '../http/handle.ts'
import { Refusal } from '../problem.ts'
import { noteEvent } from '../rounds/events.ts'
import { markPaper } from '../rounds/paperLetters.ts'
import { changePaperForm, draftById, putOnPaper, roundById } from '../rounds/store.ts'
import type { Computes } from '../threads/job.ts'
import type { Works } from '../threads/works.ts'
import type { PaperJobs } from './jobs.ts'

/** What the routes of letters on paper need. */
export interface PaperParts {
  db: Database
  clock: Clock
  compute: Computes<PaperJobs>
  /** Where files are made until they are handed over. */
  readingsFolder: string
  publish: Publish
  works: Works
}

/** Letters on paper: who gets one, how it is printed, and that it was. */
export function paperRoutes(desk: Desk, { db, clock, compute, readingsFolder, publish, works }: PaperParts): void {
  const changed = (id: number) => publish({ topic: 'round', id })

  handle(desk, routes.putOnPaper, async ({ params, body }) => {
    const round = await draftById(db, params.round)
    await putOnPaper(db, round.id, body.rows, body.onPaper)
    changed(round.id)
    return {}
  })
  handle(desk, routes.changePaperForm, async ({ params, body }) => {
    const round = await roundById(db, params.round)
    await changePaperForm(db, round.id, body, clock.now())
    changed(round.id)
    return {}
  })
  handle(desk, routes.paperLetters, async ({ params, gone }) => {
    const { id } = await roundById(db, params.round)
    return compute.run('paperLetters', { roundId: id }, { signal: gone })
  })
  handle(desk, routes.paperPdf, async ({ params, query, res, gone }) => {
    const { id } = await roundById(db, params.round)
    const path = join(readingsFolder, `paper-${randomBytes(8).toString('hex')}`)
    try {
      const name = await works.long({ what: 'printing', round: id }, gone, (options) =>
        compute.run('printLetters', { roundId: id, which: query.which, now: clock.now(), path }, options),
      )
      res.set({ 'content-type': 'application/pdf', ...fileName(safeName(name)) })
      await pipeline(createReadStream(path), res).catch(() => res.destroy())
    } finally {
      await rm(path, { force: true })
    }
    return undefined
  })
  handle(desk, routes.markPaper, async ({ params, body }) => {
    const round = await roundById(db, params.round)
    if (round.amendingSince !== null)
      throw new Refusal(
        409,
        `“${round.title}” is being amended. Post the change, or give it up, first. Nothing was done.`,
        'Being amended',
      )
    const now = clock.now()
    const letters = await db.transaction(async (tx) => {
      const n = await markPaper(tx, round.id, body.letters, body.to, now)
      if (n > 0) await noteEvent(tx, round.id, now, 'paper', { letters: n, to: body.to })
      return n
    })
    changed(round.id)
    return { letters }
  })
  handle(desk, routes.paperTestPage, async ({ query, res, gone }) => {
    const pdf = await compute.run('paperTestPage', query, { signal: gone })
    res
      .set({ 'content-type': 'application/pdf', ...fileName('Test page for a window envelope.pdf') })
      .send(Buffer.from(pdf))
    return undefined
  })
}
