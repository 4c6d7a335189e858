import { createReadStream } from 'node:fs'
import { pipeline } from 'node:stream/promises'
import { routes } from '@hand-post/contract'
import { safeName } from '@hand-post/core'
import type { Response } from 'express'
import type { Logger } from 'pino'
import { noteDeed } from '../accounts/deeds.ts'
import { shareAlike } from '../accounts/sharing.ts'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import { MadeFiles } from '../files/madeFiles.ts'
import { type Desk, fileName, handle } from '../http/handle.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import type { PeopleJobs } from '../people/jobs.ts'
import { notFound, Refusal } from '../problem.ts'
import { noteEvent } from '../rounds/events.ts'
import { roundById } from '../rounds/store.ts'
import type { Computes } from '../threads/job.ts'
import type { Works } from '../threads/works.ts'
import { postedRound, unfinishedWords } from './collect.ts'
import { fetchAnswers } from './fetchAnswers.ts'
import type { ForgetPeople } from './forget.ts'
import { setForgetAfter } from './forgetStore.ts'
import type { RecordJobs } from './jobs.ts'
import { beginNextTime, nextTime, peopleByOutcome } from './nextTime.ts'
import * as store from './store.ts'

/** What the routes of records need. */
export interface RecordParts {
  db: Database
  clock: Clock
  compute: Computes<RecordJobs & PeopleJobs>
  files: FileStore
  keys: MailboxKeys
  /** Where what is made for one answer lies meanwhile. */
  readingsFolder: string
  publish: Publish
  works: Works
  log: Logger
  forgetPeople: ForgetPeople
}

/** Posting records, and archives of what was sent. */
export function recordRoutes(
  desk: Desk,
  { db, clock, compute, files, keys, readingsFolder, publish, works, log, forgetPeople }: RecordParts,
): void {
  handle(desk, routes.postingRecords, async ({ params }) => {
    const { id } = await roundById(db, params.round)
    const { sent, answers } = await store.standOf(db, id)
    return { unfinished: await unfinishedWords(db, id), sent, answers, records: await store.recordsOf(db, id) }
  })
  handle(desk, routes.makePostingRecord, async ({ params, gone }) => {
    const { id } = await postedRound(db, params.round)
    const madeAt = clock.now()
    const made = await works.long({ what: 'record', round: id }, gone, (options) =>
      compute.run('postingRecord', { roundId: id, now: madeAt }, options),
    )
    return db.transaction(async (tx) => {
      await noteEvent(tx, id, madeAt, 'record', { end: made.end })
      return store.insertRecord(tx, { roundId: id, madeAt, ...made })
    })
  })
  /** Hands over one of the files of a record. */
  const give = async (recordId: number, part: 'pdf' | 'seal', res: Response): Promise<undefined> => {
    const record = await store.recordById(db, recordId)
    if (!record) throw notFound('record')
    const hash = record[part]
    const { title } = await roundById(db, record.roundId)
    if (hash === null)
      throw new Refusal(
        404,
        'The round was not finished when this record was made, so it has no seal. Make another when it is.',
        'Not sealed',
      )
    if (!(await files.has(hash)))
      throw new Refusal(
        410,
        'This file is not on the disk any more. Bring it back from a backup, or make another record.',
        'Gone',
      )
    const name = safeName(`${title}, posting record.${part === 'pdf' ? 'pdf' : 'json'}`)
    res.set({ 'content-type': part === 'pdf' ? 'application/pdf' : 'application/json', ...fileName(name) })
    await pipeline(files.stream(hash), res).catch(() => res.destroy())
    return undefined
  }
  handle(desk, routes.postingRecordPdf, ({ params, res }) => give(params.record, 'pdf', res))
  handle(desk, routes.postingRecordSeal, ({ params, res }) => give(params.record, 'seal', res))

  handle(desk, routes.endRound, async ({ params, body: { ended } }) => {
    const round = await postedRound(db, params.round)
    const unfinished = ended ? await unfinishedWords(db, round.id) : []
    if (unfinished.length > 0)
      throw new Refusal(
        409,
        `“${round.title}” is not finished. ${unfinished.join(' ')} Let it go, settle it or withdraw it first. Nothing was ended.`,
        'Not finished',
      )
    if (!ended && round.forgottenAt !== null)
      throw new Refusal(
        409,
        `What “${round.title}” kept of people was forgotten, so it stays ended: what came now could not be put beside what was before.`,
        'Forgotten',
      )
    await store.setEnded(db, round.id, ended, clock.now())
    publish({ topic: 'round', id: round.id })
    publish({ topic: 'rounds', id: null })
    return {}
  })

  handle(desk, routes.forgetting, async ({ params }) => {
    const { id } = await postedRound(db, params.round)
    return forgetPeople.standOf(id)
  })
  handle(desk, routes.setForgetting, async ({ params, body: { months } }) => {
    const { id, title, forgottenAt } = await postedRound(db, params.round)
    if (forgottenAt !== null)
      throw new Refusal(409, `What “${title}” kept of people is forgotten already.`, 'Forgotten')
    await setForgetAfter(db, id, months, clock.now())
    publish({ topic: 'round', id })
    return {}
  })
  handle(desk, routes.forgetNow, async ({ params }) => {
    const { id } = await postedRound(db, params.round)
    await forgetPeople.forget(id)
    return forgetPeople.standOf(id)
  })

  handle(desk, routes.nextTime, async ({ params }) => {
    await forgetPeople.hear(params.round)
    return nextTime(db, params.round)
  })
  handle(desk, routes.beginNextTime, async ({ params, body }) => {
    const { chases, title } = await roundById(db, params.round)
    if (chases !== null)
      throw new Refusal(409, `“${title}” is a chaser. Begin a round like the one that it follows.`, 'A chaser')
    const { people, ...more } = body
    const now = clock.now()
    const selection = await peopleByOutcome({ db, compute }, params.round, people, now)
    publish({ topic: 'lists', id: null })
    const round = await beginNextTime(db, params.round, { ...more, selection, now })
    await shareAlike(db, { kind: 'round', id: params.round }, { kind: 'round', id: round })
    publish({ topic: 'rounds', id: null })
    return { round }
  })

  const archives = new MadeFiles(readingsFolder, 'archive')
  handle(desk, routes.makeArchive, async ({ params, body, gone }) => {
    const round = await postedRound(db, params.round)
    return works.long({ what: 'archive', round: round.id }, gone, async (options) => {
      const wanted =
        body.as === 'zip' && body.answers
          ? await fetchAnswers(
              { db, files, keys },
              round,
              (done, of) => options.onProgress({ done, of, words: 'Fetching answers' }),
              options.signal,
            ).catch((error: unknown) => {
              if (error instanceof Refusal) throw error
              log.warn({ error, round: round.id }, 'answers could not be fetched for an archive')
              const why = error instanceof Error ? error.message : String(error)
              throw new Refusal(
                502,
                `The answers could not be fetched from the mailbox: ${why} Try again, or make the archive without them.`,
                'Answers not fetched',
              )
            })
          : { answers: [], forget: async () => {} }
      try {
        const { made, ...about } = await archives.make((path) =>
          body.as === 'mbox'
            ? compute.run('archiveMbox', { roundId: round.id, path }, options)
            : compute.run('archiveZip', { roundId: round.id, path, answers: wanted.answers }, options),
        )
        await noteDeed(db, clock.now(), 'archiveMade', {}, round.id)
        return { archive: made, ...about }
      } finally {
        await wanted.forget()
      }
    })
  })
  handle(desk, routes.archive, async ({ params, res }) => {
    const made = archives.get(params.archive)
    if (!made) throw new Refusal(404, 'This archive is not kept any more. Make it once more.', 'Not kept')
    res.set({
      'content-type': made.name.endsWith('.mbox') ? 'application/mbox' : 'application/zip',
      'content-length': String(made.size),
      ...fileName(made.name),
    })
    await pipeline(createReadStream(made.path), res).catch(() => res.destroy())
    return undefined
  })
}
