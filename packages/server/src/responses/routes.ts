import { pipeline } from 'node:stream/promises'
import { mostReturned, mostRoundsOfList, routes } from '@hand-post/contract'
import { dayOf } from '@hand-post/core'
import { noteDeed, noteLook } from '../accounts/deeds.ts'
import { hidden, shareAlike } from '../accounts/sharing.ts'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Dispatcher } from '../dispatch/dispatcher.ts'
import type { EnclosureJobs } from '../enclosures/jobs.ts'
import type { Publish, Subscribe } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import { typeOf } from '../files/mediaType.ts'
import { giveZip } from '../files/pack.ts'
import { contentHeaders, type Desk, giveFile, handle } from '../http/handle.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import type { Reading } from '../mailboxes/routes.ts'
import { mailboxById } from '../mailboxes/store.ts'
import type { PeopleJobs } from '../people/jobs.ts'
import { listById } from '../people/store.ts'
import { notFound, Refusal } from '../problem.ts'
import { chasersOf } from '../rounds/chasers.ts'
import { roundById } from '../rounds/store.ts'
import type { Computes } from '../threads/job.ts'
import type { Works } from '../threads/works.ts'
import { beginAnswer, draftAnswer, keepAnswerFile, sendAnswer } from './answering.ts'
import { forgetAnswer, saveAnswer } from './answerStore.ts'
import { boardOf, chartsOf, heardLetters, roundOfList, seenOf } from './board.ts'
import { cameOfRows, partOfBoard, postedToList, roundsToCompare, rowsOfBoard, rowsWithOutcome } from './boardStore.ts'
import type { Countries } from './countries.ts'
import type { Fetches } from './fetches.ts'
import { isToHear } from './heard.ts'
import { wholeEntry } from './inTray.ts'
import type { ResponseJobs } from './jobs.ts'
import { aboutSheet, rememberColumns } from './outcomeSheet.ts'
import { streamOutcomes } from './outcomeStream.ts'
import { addReminder, endReminder, openReminders, rowsOfReminder } from './reminders.ts'
import { returnedFile } from './returnedStore.ts'
import * as tray from './trayStore.ts'

/** How many programs listen to outcomes at once. */
const mostListening = 20
/** Most lines of the in-tray given at once. */
const maxInTray = 5000

/** What the routes of responses need. */
export interface ResponseParts {
  db: Database
  clock: Clock
  compute: Computes<PeopleJobs & EnclosureJobs & ResponseJobs>
  dispatcher: Pick<Dispatcher, 'planAnew'>
  fetches: Fetches
  countries: Countries | null
  files: FileStore
  keys: MailboxKeys
  reading: Reading
  /** Where what is made for one answer lies meanwhile. */
  readingsFolder: string
  publish: Publish
  works: Works
  subscribe: Subscribe
}

/** The board, the outcome list, and the in-tray. */
export function responseRoutes(
  desk: Desk,
  {
    db,
    clock,
    compute,
    countries,
    dispatcher,
    fetches,
    files,
    keys,
    reading,
    publish,
    works,
    subscribe,
    readingsFolder,
  }: ResponseParts,
): void {
  /** Has everything that came back of a round taken together, what was fetched in the last second too. */
  const hear = async (roundId: number) => {
    await fetches.flush()
    if (await isToHear(db, roundId)) await compute.run('hearAnew', { roundId })
  }
  handle(desk, routes.board, async ({ params }) => {
    await hear(params.round)
    return boardOf(db, params.round)
  })
  handle(desk, routes.boardCharts, async ({ params }) => {
    const rounds = await roundsToCompare(db, params.round)
    for (const { roundId } of rounds) await hear(roundId)
    return chartsOf(db, params.round, rounds, clock.now())
  })
  handle(desk, routes.roundsOfList, async ({ params }) => {
    const { id, name } = await listById(db, params.list)
    const away = (await hidden(db)).rounds
    const all = (await postedToList(db, id)).filter(({ roundId }) => !away.has(roundId))
    const latest = all.slice(0, mostRoundsOfList)
    const rounds = []
    for (const round of latest) {
      await hear(round.roundId)
      rounds.push(await roundOfList(db, round, clock.now()))
    }
    return { list: { id, name }, rounds, more: all.length - latest.length }
  })
  handle(desk, routes.boardSeen, async ({ params }) => {
    const { id } = await roundById(db, params.round)
    await hear(id)
    await noteLook(db, clock.now(), id)
    return seenOf(db, id, countries !== null)
  })
  handle(desk, routes.boardLines, async ({ params, query }) => {
    const { id } = await roundById(db, params.round)
    await hear(id)
    return partOfBoard(db, id, query, query)
  })
  handle(desk, routes.cameOf, async ({ params }) => {
    await hear(params.round)
    const found = await cameOfRows(db, params.round)
    if (found === null) throw notFound('round')
    return { title: found.title, list: found.listId, rows: JSON.parse(found.text) }
  })
  handle(desk, routes.boardRows, async ({ params, query }) => {
    const { id } = await roundById(db, params.round)
    await hear(id)
    return { rows: await rowsOfBoard(db, id, query) }
  })
  handle(desk, routes.heardFrom, async ({ params }) => {
    const { id } = await roundById(db, params.round)
    await hear(id)
    await noteLook(db, clock.now(), id)
    return { letters: await heardLetters(db, id, params.row) }
  })

  handle(desk, routes.returnedFiles, async ({ params, query }) => {
    const { files: all, ...more } = await compute.run('namedReturned', {
      roundId: params.round,
      pattern: query.pattern,
      today: dayOf(clock.now()),
    })
    return { ...more, files: all.slice(0, mostReturned), count: all.length }
  })
  handle(desk, routes.returnedZip, ({ params, query, res, gone }) =>
    giveZip(res, readingsFolder, (path) =>
      works.long({ what: 'packingFiles', round: params.round }, gone, (options) =>
        compute.run(
          'returnedZip',
          { roundId: params.round, pattern: query.pattern, today: dayOf(clock.now()), path },
          options,
        ),
      ),
    ),
  )
  handle(desk, routes.returnedFile, async ({ params, res }) => {
    const file = await returnedFile(db, params.file)
    if (!file || !(await files.has(file.hash))) throw notFound('file')
    res.set({ ...contentHeaders(file.type, file.name), 'content-length': String(file.size) })
    await pipeline(files.stream(file.hash), res).catch(() => res.destroy())
    return undefined
  })

  handle(desk, routes.outcomeSheetAbout, ({ params }) => aboutSheet(db, files, params.round))
  /** What came of each person of a posted round, with what was fetched in the last second. */
  const linesOf = async (roundId: number, gone: AbortSignal) => {
    await fetches.flush()
    return compute.run('outcomeLines', { roundId }, { signal: gone })
  }
  handle(desk, routes.outcomeLines, async ({ params, res, gone }) => {
    const { id } = await roundById(db, params.round)
    await noteDeed(db, clock.now(), 'outcomeTaken', {}, id)
    const lines = await linesOf(id, gone)
    res.set('content-type', 'application/x-ndjson; charset=utf-8')
    res.send(lines.map((line) => `${JSON.stringify(line)}\n`).join(''))
    return undefined
  })
  let listening = 0
  handle(desk, routes.outcomeStream, async ({ params, res, gone }) => {
    const { id } = await roundById(db, params.round)
    if (listening >= mostListening)
      throw new Refusal(429, 'Too many programs listen to outcomes already. End one of them.', 'Too many listen')
    // Whoever has gone by now is not waited for: that they have is told once.
    if (gone.aborted) return undefined
    listening++
    gone.addEventListener('abort', () => listening--)
    const of = new Set([id, ...(await chasersOf(db, id)).map((chaser) => chaser.id)])
    if (gone.aborted) return undefined
    streamOutcomes(res, { of, subscribe, lines: () => linesOf(id, gone), gone })
    return undefined
  })
  handle(desk, routes.rememberOutcomeColumns, async ({ params, body }) => {
    const { listId } = await roundById(db, params.round)
    if (listId === null) throw notFound('list')
    await rememberColumns(db, listId, body.columns)
    return {}
  })
  handle(desk, routes.outcomeSheet, async ({ params, query: { as, columns }, res, gone }) => {
    await fetches.flush()
    const wanted = columns ?? (await aboutSheet(db, files, params.round)).columns
    const given = { roundId: params.round, as, columns: wanted, now: clock.now() }
    const { name, file } = await works.long({ what: 'outcomeSheet', round: params.round }, gone, (options) =>
      compute.run('outcomeSheet', given, options),
    )
    await noteDeed(db, clock.now(), 'outcomeTaken', {}, params.round)
    return giveFile(res, name, typeOf(name), Buffer.from(file))
  })

  /** A round's responses have changed; every round's, where it is not known whose. */
  const changed = (id: number | null) => publish({ topic: 'responses', id })
  handle(desk, routes.inTray, async ({ query: { show } }) => {
    const now = clock.now()
    const { rounds } = await hidden(db)
    return {
      now,
      counts: await tray.trayCounts(db, now, rounds),
      lines: await tray.trayLines(db, show, now, maxInTray, { hidden: rounds }),
      reminders: (await openReminders(db, now, show === 'open')).filter((one) => !rounds.has(one.roundId)),
    }
  })
  handle(desk, routes.inTrayOpen, async () => ({
    open: await tray.trayOpen(db, clock.now(), (await hidden(db)).rounds),
  }))
  handle(desk, routes.trayEntry, async ({ params }) => {
    const entry = await wholeEntry({ db, compute }, params.response, clock.now())
    await noteLook(db, clock.now(), entry.roundId)
    return entry
  })
  handle(desk, routes.markTray, async ({ body }) => {
    const before = await tray.markTray(db, body.marks, clock.now())
    changed(null)
    return { before }
  })
  handle(desk, routes.whose, async ({ params, body }) => {
    const roundId = await tray.setWhose(db, params.response, body.of, clock.now())
    if (roundId === null) throw notFound('answer')
    changed(roundId)
    return {}
  })
  handle(desk, routes.beginAnswer, ({ params }) => beginAnswer({ db, compute }, params.response, clock.now()))
  const answering = { db, clock, compute, files, keys, dispatcher }
  handle(desk, routes.answerFile, ({ params, query, req }) =>
    keepAnswerFile(answering, params.response, query.name, req),
  )
  handle(desk, routes.draftAnswer, async ({ params, body }) => ({
    folder: await draftAnswer(answering, params.response, body),
  }))
  handle(desk, routes.sendAnswer, async ({ params, body }) => {
    const sent = await sendAnswer(answering, params.response, body)
    await noteDeed(db, clock.now(), 'answerSent', {}, await tray.roundOfResponse(db, params.response))
    changed(null)
    return sent
  })
  handle(desk, routes.saveAnswer, async ({ body }) => ({ id: await saveAnswer(db, body.name, body.text, clock.now()) }))
  handle(desk, routes.forgetAnswer, async ({ params }) => {
    if (!(await forgetAnswer(db, params.answer))) throw notFound('saved answer')
    return {}
  })
  handle(desk, routes.setOutcomeWords, async ({ params, body }) => {
    await roundById(db, params.round)
    const words = [...new Set(body.words)]
    const lost = await tray.setOutcomeWords(db, params.round, words)
    changed(params.round)
    return { words, lost }
  })
  handle(desk, routes.giveWords, async ({ params, body }) => {
    await roundById(db, params.round)
    const { outcomeWords: words } = await roundById(db, params.round)
    const strange = body.given.find(({ word }) => word !== null && !words.includes(word))
    if (strange)
      throw new Refusal(
        422,
        `“${strange.word}” is no outcome word of this round. Give it to the round first. Nothing was changed.`,
        'No such word',
      )
    const before = await tray.giveWords(db, params.round, body.given, clock.now())
    changed(params.round)
    return { before }
  })
  handle(desk, routes.addReminder, async ({ params, body }) => {
    const { postedAt } = await roundById(db, params.round)
    if (postedAt === null)
      throw new Refusal(409, 'This round is not posted yet: nobody can have answered it.', 'Not posted')
    const id = await addReminder(db, params.round, body.rows, body.at, clock.now())
    changed(params.round)
    return { id }
  })
  handle(desk, routes.reminderRows, ({ params }) => rowsOfReminder(db, params.reminder))
  handle(desk, routes.endReminder, async ({ params, body }) => {
    changed(await endReminder(db, params.reminder, body.done, clock.now()))
    return {}
  })
  handle(desk, routes.readNow, async ({ params }) => {
    const { id } = await mailboxById(db, params.mailbox)
    await reading.others(id)
    const found = await reading.inbox(id)
    if (found === null)
      throw new Refusal(
        503,
        'No process works this mailbox just now, so nothing was read. The desk says what is missing; try again in a minute.',
        'Nobody reads it',
      )
    return { found }
  })

  handle(desk, routes.listFromRound, async ({ body }) => {
    const { listId } = await roundById(db, body.round)
    if (listId === null) throw notFound('list')
    await hear(body.round)
    const rowIds = await rowsWithOutcome(db, body.round, body)
    const now = clock.now()
    const id = await works.long({ what: 'copyingList', list: listId }, null, (options) =>
      compute.run(
        'copyList',
        { from: { listId }, name: body.name, rowIds, now, today: dayOf(now) },
        { ...options, gently: true },
      ),
    )
    // It is for those who may see the list that it was made of, and the round by which it was chosen.
    await shareAlike(db, { kind: 'list', id: listId }, { kind: 'list', id })
    await shareAlike(db, { kind: 'round', id: body.round }, { kind: 'list', id })
    publish({ topic: 'lists', id })
    return listById(db, id)
  })
}
