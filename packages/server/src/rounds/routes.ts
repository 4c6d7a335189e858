import { type List, routes, usualDispatch } from '@hand-post/contract'
import {
  begunWith,
  emptyLetter,
  findAddressColumn,
  findFilesColumn,
  greetingFor,
  isUnwritten,
  messageSize,
  type NamesFound,
} from '@hand-post/core'
import { noteDeed } from '../accounts/deeds.ts'
import { hidden } from '../accounts/sharing.ts'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import { type Desk, handle } from '../http/handle.ts'
import type { LetterJobs } from '../letter/jobs.ts'
import { keepPictures, pictureHash, withPictures } from '../letter/pictures.ts'
import { keepVersion } from '../letter/shelfStore.ts'
import { mailboxById, mailboxRecords } from '../mailboxes/store.ts'
import type { PeopleJobs } from '../people/jobs.ts'
import { hasRow, listById, rememberAddress, rememberNames, rememberPostal } from '../people/store.ts'
import { notFound, Refusal } from '../problem.ts'
import type { Computes } from '../threads/job.ts'
import { chaserSubject, chasersFollow, openChasers } from './chasers.ts'
import { PenIsAnothers, refuseLetter, takePen } from './company.ts'
import { draftsOf } from './draftStore.ts'
import { removeMadeFiles } from './files.ts'
import type { PublicAddress } from './freeze.ts'
import type { RoundJobs } from './jobs.ts'
import { asPosted } from './messages.ts'
import { paperAsPosted } from './paperLetters.ts'
import * as store from './store.ts'
import { wholeRound } from './wholeRound.ts'

/** The column of a list that is written to: the one that the writer named, as long as it is there, else the likeliest. */
const addressColumnOf = ({ addressColumn, columns }: List) =>
  columns.find((c) => c.id === addressColumn)?.id ?? findAddressColumn(columns)

const sureNames = ({ columns, sure }: NamesFound) => (sure ? columns : [])

/** What of a posted round an amendment may change. Who gets a letter, and from which mailbox, stays. */
const amendable = new Set([
  'title',
  'letter',
  'letterHtml',
  'window',
  'writtenOn',
  'keepBefore',
  'sender',
  'cc',
  'bcc',
  'filesColumn',
  'filePattern',
  'sentAs',
  'made',
])
function mayAmend(keys: string[]): void {
  if (keys.every((key) => amendable.has(key))) return
  throw new Refusal(
    409,
    'Of a posted round the letter, its enclosures, notes, sender and copies can be amended for those who wait. Who gets it, from which mailbox and in which order stays as it was posted. Nothing was changed.',
    'Posted already',
  )
}

/** What a chaser has of the round that it follows. */
const ofItsRound = new Set(['mailboxId', 'listId', 'addressColumn', 'nameColumns', 'sameAddress'])

/** What the routes of rounds need. */
export interface RoundParts {
  db: Database
  clock: Clock
  compute: Computes<PeopleJobs & LetterJobs & RoundJobs>
  files: FileStore
  publicAddress: PublicAddress
  /** Takes away what the last rehearsal of a round has left. */
  clearRehearsal: (roundId: number) => Promise<void>
  publish: Publish
}

/** Rounds: started, changed, deleted; their people; and a person's message as it stands. */
export function roundRoutes(desk: Desk, parts: RoundParts): void {
  const { db, clock, compute, clearRehearsal, publish } = parts
  const changed = (id: number) => publish({ topic: 'round', id })

  /** What a round uses of a list that it begins with: what the writer has said of the list, else what is likeliest; and everybody. */
  const usesOf = async (list: List) => {
    const nameColumns = list.nameColumns ?? sureNames(await compute.run('namesOf', { listId: list.id }))
    return {
      addressColumn: addressColumnOf(list),
      nameColumns,
      filesColumn: findFilesColumn(list.columns),
      selection: { match: 'all' as const, rules: [] },
      /** What makes the postal address, for letters on paper. */
      postal: (list.postalColumns ?? []).filter(({ column }) => list.columns.some((c) => c.id === column)),
      /** What a letter begins with that nobody has written yet. */
      greeting: begunWith(greetingFor(list.columns, nameColumns)),
    }
  }

  handle(desk, routes.rounds, async () => {
    const away = (await hidden(db)).rounds
    return (await store.roundOverviews(db, clock.now())).filter(({ id }) => !away.has(id))
  })
  handle(desk, routes.round, ({ params }) => wholeRound(parts, params.round))

  handle(desk, routes.startRound, async ({ body }) => {
    const { unusable } = await hidden(db)
    const mailboxId = body.mailboxId ?? (await mailboxRecords(db)).find(({ id }) => !unusable.has(id))?.id
    if (mailboxId === undefined)
      throw new Refusal(409, 'There is no mailbox to send from. Add one at Mailboxes first.', 'No mailbox')
    await mailboxById(db, mailboxId)
    const list = body.listId === undefined ? null : await listById(db, body.listId)
    const id = await store.insertRound(db, {
      title: body.title,
      mailboxId,
      letter: emptyLetter,
      dispatch: usualDispatch,
      now: clock.now(),
    })
    if (list) {
      const { greeting, postal, ...uses } = await usesOf(list)
      const letter = { ...emptyLetter, body: greeting }
      const { paper } = await store.roundById(db, id)
      const changes = { listId: list.id, letter, paper: { ...paper, columns: postal }, ...uses }
      await store.updateRound(db, id, changes, clock.now())
    }
    publish({ topic: 'rounds', id: null })
    return wholeRound(parts, id)
  })

  handle(desk, routes.changeRound, async ({ params, body, gone }) => {
    const { letterHtml, keepBefore, window = '', writtenOn, dispatch, paper, tracking, sender, title, ...rest } = body
    const keys = Object.keys(body)
    const round =
      keys.length === 1 && title !== undefined
        ? await store.roundById(db, params.round)
        : await store.openById(db, params.round)
    if (round.amendingSince !== null) mayAmend(keys)
    if (round.chases !== null && keys.some((key) => ofItsRound.has(key)))
      throw new Refusal(
        409,
        'A chaser goes from the mailbox of the round that it follows, to the addresses of its list. Change them there. Nothing was changed.',
        'Of its round',
      )
    const said: string[] = []
    const changes: Parameters<typeof store.updateRound>[2] = { title, ...rest }
    const { settings } = await mailboxById(db, body.mailboxId ?? round.mailboxId)
    if (sender?.address && ![settings.address, ...settings.aliases].includes(sender.address))
      throw new Refusal(
        422,
        `“${sender.address}” is not an address of the mailbox “${settings.name}”. Add it at Mailboxes first. Nothing was changed.`,
        'Not an own address',
      )
    if (sender) changes.sender = { ...round.sender, ...sender }
    // Another mailbox has other addresses of its own.
    if (body.mailboxId !== undefined && body.mailboxId !== round.mailboxId)
      changes.sender = { ...(changes.sender ?? round.sender), address: sender?.address ?? null }
    if (letterHtml) {
      const read = await compute.run('readLetter', { html: letterHtml.html }, { signal: gone })
      said.push(...read.removed)
      changes.letter = { ...round.letter, subject: letterHtml.subject, body: read.body }
    }
    if (changes.letter) changes.letter = await keepPictures(parts, changes.letter)
    // In the thread of a letter a chaser has the subject of that.
    if (changes.letter && round.chases !== null && round.chaser?.thread)
      changes.letter = {
        ...changes.letter,
        subject: chaserSubject((await store.roundById(db, round.chases)).letter.subject),
      }
    if (paper) changes.paper = { ...round.paper, ...paper }
    if (dispatch) changes.dispatch = { ...round.dispatch, ...dispatch }
    if (tracking) changes.tracking = { ...round.tracking, ...tracking }
    // In plain text there is no picture to be fetched, and no link that another could stand behind.
    const wanted = changes.tracking ?? round.tracking
    if ((changes.letter ?? round.letter).plain && (wanted.opens || wanted.clicks)) {
      changes.tracking = { ...wanted, opens: false, clicks: false }
      said.push('As plain text, opens and followed links cannot be seen: they are not kept track of.')
    }
    const otherList = body.listId !== undefined && body.listId !== round.listId
    if (otherList) {
      const list = await listById(db, body.listId!)
      // Who was sent the letter by hand is known by their rows in this list: with another list they would be sent it again.
      const byHand = (await draftsOf(db, round.id)).filter((d) => d.sentAt !== null).length
      if (byHand > 0)
        throw new Refusal(
          409,
          `${byHand === 1 ? 'One letter of this round has' : `${byHand} letters of this round have`} been sent by hand from the mailbox’s drafts, so the round keeps its list. Start another round for another list. Nothing was changed.`,
          'Sent by hand already',
        )
      const { addressColumn, nameColumns, filesColumn, selection, greeting, postal } = await usesOf(list)
      changes.paper = { ...round.paper, columns: postal, ...paper }
      if (changes.letter === undefined && isUnwritten(round.letter))
        changes.letter = { ...round.letter, body: greeting }
      if (body.addressColumn === undefined) changes.addressColumn = addressColumn
      if (body.nameColumns === undefined) changes.nameColumns = nameColumns
      if (body.filesColumn === undefined) changes.filesColumn = filesColumn
      changes.selection ??= selection
    }
    const listId = changes.listId ?? round.listId
    if (listId !== null) {
      const known = new Set((await listById(db, listId)).columns.map((c) => c.id))
      const postal = paper?.columns?.map(({ column }) => column) ?? []
      for (const id of [changes.addressColumn, changes.filesColumn, ...(changes.nameColumns ?? []), ...postal])
        if (id && !known.has(id)) throw notFound('column')
    }
    // Everything has been looked at; from here on it is written, all of it or nothing.
    const writes = body.letter !== undefined || letterHtml !== undefined
    const written = db.transaction(async (tx) => {
      const penMoves = writes && (await takePen(tx, round.id, { window, writtenOn }, clock.now()))
      if (otherList) said.push(...(await store.forgetPeople(tx, round.id)))
      // Files made of something else are nobody's any more.
      if (otherList || (body.made !== undefined && body.made?.of !== round.made?.of))
        await removeMadeFiles(tx, round.id)
      if (changes.letter && !isUnwritten(round.letter))
        await keepVersion(tx, { roundId: round.id }, round.letter, clock.now(), keepBefore || letterHtml !== undefined)
      if (body.nameColumns !== undefined && listId !== null) await rememberNames(tx, listId, body.nameColumns)
      if (body.addressColumn !== undefined && listId !== null) await rememberAddress(tx, listId, body.addressColumn)
      if (paper?.columns !== undefined && listId !== null) await rememberPostal(tx, listId, paper.columns)
      if (!(await store.updateRound(tx, round.id, changes, clock.now()))) await store.openById(tx, round.id)
      if (round.postedAt === null && round.chases === null) {
        if (otherList)
          for (const id of await openChasers(tx, round.id)) said.push(...(await store.forgetPeople(tx, id)))
        await chasersFollow(tx, round.id)
      }
      return penMoves
    })
    const penMoved = await written.catch(async (error) => {
      throw error instanceof PenIsAnothers ? await refuseLetter(db, round, changes.letter!, clock.now()) : error
    })
    changed(round.id)
    if (penMoved) publish({ topic: 'company', id: round.id })
    return { ...(await wholeRound(parts, round.id)), said }
  })

  handle(desk, routes.deleteRound, async ({ params }) => {
    const round = await store.roundById(db, params.round)
    if (round.postedAt !== null)
      throw new Refusal(
        409,
        `“${round.title}” is posted: its messages are the record of what was sent, and cannot be deleted.`,
        'Posted already',
      )
    const all = [...(await openChasers(db, round.id)), round.id]
    for (const id of all) await clearRehearsal(id)
    await db.transaction(async (tx) => {
      // Its messages are being written beside this, and hold what they belong to.
      for (const id of all)
        if (!(await store.lockForPosting(tx, id)))
          throw new Refusal(409, `“${round.title}” is being posted just now, so it was not deleted.`, 'Being posted')
      await store.deleteRound(tx, round.id)
      await noteDeed(tx, clock.now(), 'roundDeleted', { round: round.title })
    })
    if (round.chases !== null) changed(round.chases)
    publish({ topic: 'rounds', id: null })
    return {}
  })

  handle(desk, routes.people, ({ params }) => compute.run('people', { roundId: params.round, now: clock.now() }))
  handle(desk, routes.leftOut, ({ params }) => compute.run('leftOut', { roundId: params.round, now: clock.now() }))

  handle(desk, routes.notes, async ({ params }) => {
    const notes = await store.notesOf(db, (await store.roundById(db, params.round)).id)
    return [...notes].map(([row, words]) => ({ row, words }))
  })
  handle(desk, routes.writeNote, async ({ params, body }) => {
    const round = await store.openFor(db, params.round, [params.row])
    if (round.listId === null) throw notFound('list')
    if (!(await hasRow(db, round.listId, params.row))) throw notFound('row')
    await store.writeNote(db, params.round, params.row, body.words)
    changed(params.round)
    return {}
  })

  handle(desk, routes.setAside, async ({ params, body }) => {
    const round = await store.openFor(db, params.round, [params.row])
    if (round.listId === null) throw notFound('list')
    if (!(await hasRow(db, round.listId, params.row))) throw notFound('row')
    await store.setAside(db, params.round, params.row, body.reason)
    changed(params.round)
    return {}
  })
  handle(desk, routes.takeBack, async ({ params }) => {
    await store.openFor(db, params.round, [params.row])
    await store.takeBack(db, params.round, params.row)
    changed(params.round)
    return {}
  })
  handle(desk, routes.message, async ({ params }) => {
    const round = await store.roundById(db, params.round)
    const printed = await paperAsPosted(db, round, params.row)
    if (printed) {
      const { from, subject, html, files: enclosed, pictures } = printed.contents
      return {
        from: mailName(from),
        replyTo: [],
        to: printed.person,
        cc: [],
        bcc: [],
        paper: printed.lines,
        subject,
        html: pictures.reduce((all, p) => all.replaceAll(`cid:${p.cid}`, `/api/files/${p.hash}`), html),
        text: '',
        files: enclosed.map(({ name, size, hash }) => ({ name, size, hash })),
        size: 0,
        sentAt: null,
      }
    }
    const frozen = await asPosted(db, round, params.row)
    if (frozen) {
      const { from, to, cc, bcc, replyTo, subject, html, text, files: enclosed, pictures } = frozen.contents
      const shownHtml = pictures.reduce((all, p) => all.replaceAll(`cid:${p.cid}`, `/api/files/${p.hash}`), html)
      return {
        from: mailName(from),
        replyTo: replyTo ?? [],
        to: mailName(to),
        cc,
        bcc,
        paper: null,
        subject,
        html: shownHtml,
        text,
        files: enclosed.map(({ name, size, hash }) => ({ name, size, hash })),
        size: messageSize(
          html,
          text,
          enclosed.map((f) => f.size),
        ),
        sentAt: frozen.sentAt,
      }
    }
    const [{ address, name, from, wrong: _, left: __, files: enclosed, ...merged }] = await compute.run('messages', {
      roundId: params.round,
      rowIds: [params.row],
      now: clock.now(),
      publicAddress: parts.publicAddress,
    })
    return {
      from: mailName(from),
      to: mailName({ name, address }),
      ...merged,
      html: withPictures(merged.html, (src) => `/api/files/${pictureHash(src) ?? ''}`),
      files: enclosed.map(({ name, size, hash }) => ({ name, size, hash })),
      sentAt: null,
    }
  })
}

const mailName = ({ name, address }: { name: string; address: string }) => (name ? `${name} <${address}>` : address)
