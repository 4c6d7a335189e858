import { randomBytes } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { routes } from '@hand-post/contract'
import { safeName } from '@hand-post/core'
import { noteDeed } from '../accounts/deeds.ts'
import { type Desk, fileName, handle } from '../http/handle.ts'
import { Refusal } from '../problem.ts'
import { draftsOf } from '../rounds/draftStore.ts'
import type { PublicAddress } from '../rounds/freeze.ts'
import type { RoundJobs } from '../rounds/jobs.ts'
import { roundById, wantSecondEyes } from '../rounds/store.ts'
import type { Computes } from '../threads/job.ts'
import type { Works } from '../threads/works.ts'
import { type CopyParts, sendCopies } from './copies.ts'
import { type DraftParts, lookForSentDrafts, putDrafts, takeDraftsAway } from './drafts.ts'
import type { ProofJobs } from './jobs.ts'
import { accept, forgetRead, unaccept } from './store.ts'

/** What the routes of the proof need. */
export interface ProofParts extends Omit<CopyParts & DraftParts, 'compute'> {
  compute: Computes<RoundJobs & ProofJobs>
  works: Works
  publicAddress: PublicAddress
  /** Where files are made until they are handed over. */
  readingsFolder: string
}

/** The proof, the reading of messages, copies to oneself, drafts, and all messages as one file. */
export function proofRoutes(desk: Desk, parts: ProofParts): void {
  const { db, clock, compute, works, examiner, publicAddress, readingsFolder, publish } = parts
  const changed = (id: number) => publish({ topic: 'round', id })

  handle(desk, routes.proof, async ({ params, query, gone }) => {
    if (query.wait === 'yes') await examiner.soon(params.round)
    return works.long({ what: 'proof', round: params.round }, gone, (options) =>
      compute.run('proof', { roundId: params.round, now: clock.now(), publicAddress: publicAddress }, options),
    )
  })
  handle(desk, routes.proofPeople, ({ params, body, gone }) =>
    compute.run('proofPeople', { roundId: params.round, rowIds: body.rowIds, now: clock.now() }, { signal: gone }),
  )
  handle(desk, routes.lateProof, ({ params, gone }) =>
    compute.run(
      'lateProof',
      { roundId: params.round, now: clock.now(), publicAddress: publicAddress },
      { signal: gone },
    ),
  )
  handle(desk, routes.readingSet, ({ params, gone }) =>
    compute.run('readingSet', { roundId: params.round, now: clock.now() }, { signal: gone }),
  )
  handle(desk, routes.markRead, async ({ params }) => {
    await compute.run('markRead', { roundId: params.round, rowId: params.row, now: clock.now() })
    return {}
  })
  handle(desk, routes.secondEyes, ({ params, gone }) =>
    compute.run('secondEyes', { roundId: params.round, now: clock.now() }, { signal: gone }),
  )
  handle(desk, routes.wantSecondEyes, async ({ params, body: { wanted }, caller }) => {
    const round = await roundById(db, params.round)
    if (round.secondEyes === wanted) return {}
    if (wanted && caller.account === null)
      throw new Refusal(
        409,
        'Nobody signs in here, so there is no second pair of eyes: set up accounts first. Nothing was changed.',
        'No accounts',
      )
    if (!wanted && !caller.roles.includes('keeper'))
      throw new Refusal(
        403,
        'Only keepers say that no second pair of eyes is wanted any more. Ask one of them. Nothing was changed.',
        'For keepers',
      )
    await db.transaction(async (tx) => {
      await wantSecondEyes(tx, round.id, wanted)
      await noteDeed(tx, clock.now(), 'secondEyes', { wanted }, round.id)
    })
    changed(round.id)
    return {}
  })
  handle(desk, routes.unmarkRead, async ({ params }) => {
    await forgetRead(db, (await roundById(db, params.round)).id, params.row)
    return {}
  })
  // In a posted round what is accepted is about late-comers: nobody else is proofed any more.
  handle(desk, routes.accept, async ({ params, body }) => {
    await roundById(db, params.round)
    await accept(db, params.round, body.keys, body.reason, clock.now())
    const deed = { findings: body.keys.length, reason: body.reason }
    await noteDeed(db, clock.now(), 'accepted', deed, params.round)
    changed(params.round)
    return {}
  })
  handle(desk, routes.unaccept, async ({ params, body }) => {
    await roundById(db, params.round)
    await unaccept(db, params.round, body.keys)
    await noteDeed(db, clock.now(), 'unaccepted', { findings: body.keys.length }, params.round)
    changed(params.round)
    return {}
  })
  handle(desk, routes.sendCopies, async ({ params, body }) => sendCopies(parts, params.round, body.rowIds, body.to))
  handle(desk, routes.drafts, async ({ params, query }) => {
    if (query.look === 'yes') await lookForSentDrafts(parts, params.round)
    return (await draftsOf(db, params.round)).map(({ rowId, putAt, sentAt }) => ({ rowId, putAt, sentAt }))
  })
  handle(desk, routes.putDrafts, async ({ params, gone }) => ({
    put: await works.long({ what: 'drafts', round: params.round }, gone, (options) =>
      putDrafts(parts, params.round, options),
    ),
  }))
  handle(desk, routes.takeDraftsAway, ({ params }) => takeDraftsAway(parts, params.round))
  handle(desk, routes.allMessages, async ({ params, query, res, gone }) => {
    await noteDeed(db, clock.now(), 'messagesTaken', {}, params.round)
    const path = join(readingsFolder, `all-${randomBytes(8).toString('hex')}`)
    try {
      const name = await works.long({ what: 'messages', round: params.round }, gone, (options) =>
        compute.run(
          query.as === 'pdf' ? 'paper' : 'mbox',
          { roundId: params.round, now: clock.now(), publicAddress: publicAddress, path },
          options,
        ),
      )
      res.set({
        'content-type': query.as === 'pdf' ? 'application/pdf' : 'application/mbox',
        ...fileName(safeName(name)),
      })
      await pipeline(createReadStream(path), res).catch(() => res.destroy())
    } finally {
      await rm(path, { force: true })
    }
    return undefined
  })
}
