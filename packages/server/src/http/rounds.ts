import { randomBytes } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { type Round, routes } from '@hand-post/contract'
import {
  emptyLetter,
  findAddressColumn,
  findFilesColumn,
  messageSize,
  type NamesFound,
  safeName,
} from '@hand-post/core'
import { underKey, withPictures } from '../compute/freeze.ts'
import type { Progress } from '../compute/lane.ts'
import { pictureHash } from '../compute/loadRound.ts'
import { type Context, publicAddressOf } from '../context.ts'
import { sendCopies } from '../dispatch/copies.ts'
import { draftsOf } from '../dispatch/draftStore.ts'
import { lookForSentDrafts, putDrafts } from '../dispatch/drafts.ts'
import { clearRehearsal } from '../dispatch/rehearsal.ts'
import { lastRehearsed } from '../dispatch/rehearsalStore.ts'
import { timetableSentence } from '../dispatch/sentence.ts'
import { departuresOfRound, frozenOfRow, insertOnceMore, timesNotKnown } from '../dispatch/store.ts'
import { typeOf } from '../enclosures/mediaType.ts'
import { allowanceOf, mailboxById, mailboxRecords } from '../mailboxes/store.ts'
import { hasRow, listById, rememberNames } from '../people/store.ts'
import { notFound, Refusal } from '../problem.ts'
import { keepVersion } from '../rounds/shelfStore.ts'
import * as store from '../rounds/store.ts'
import { contentHeaders, type Desk, fileName, handle } from './handle.ts'
import { keepPictures, largestPicture } from './letters.ts'

const sureNames = ({ columns, sure }: NamesFound) => (sure ? columns : [])

/** A round as the API gives it. */
export async function wholeRound({ db, compute, clock }: Context, id: number): Promise<Round> {
  const { listId, filesVersion: _, ...round } = await store.roundById(db, id)
  const list = listId === null ? null : await listById(db, listId)
  const setAside = await store.setAsideOf(db, id)
  const known = new Set(list?.columns.map((c) => c.id))
  const there = (column: string | null) => (column !== null && known.has(column) ? column : null)
  return {
    ...round,
    addressColumn: there(round.addressColumn),
    filesColumn: there(round.filesColumn),
    nameColumns: round.nameColumns.filter((column) => known.has(column)),
    // Asked once: whatever the writer answers is kept with the list.
    perhapsNames:
      list !== null && list.nameColumns === null && round.postedAt === null && round.nameColumns.length === 0
        ? (await compute.run('namesOf', { listId: list.id })).columns
        : null,
    list,
    setAside,
    counts: await compute.run('counts', { roundId: id, now: clock.now() }),
    files: await store.filesOf(db, id),
    fileMatches: await store.matchesOf(db, id),
    madeFiles: (await store.madeFilesOf(db, id)).map(({ rowId, fileId }) => ({ rowId, fileId })),
    states: await store.statesOf(db, id),
  }
}

export function roundHandlers(desk: Desk, context: Context): void {
  const { db, clock, compute, files, tell } = context
  const changed = (id: number) => tell({ topic: 'round', id })
  const progressOf = (id: number) => (progress: Progress) => tell({ topic: 'progress', id, progress })

  handle(desk, routes.rounds, () => store.roundLines(db))
  handle(desk, routes.round, ({ params }) => wholeRound(context, params.round))

  handle(desk, routes.startRound, async ({ body }) => {
    const mailboxId = body.mailboxId ?? (await mailboxRecords(db))[0]?.id
    if (mailboxId === undefined)
      throw new Refusal(409, 'There is no mailbox to send from. Add one at Mailboxes first.', 'No mailbox')
    await mailboxById(db, mailboxId)
    const id = await store.insertRound(db, {
      title: body.title,
      mailboxId,
      letter: emptyLetter,
      dispatch: { startAt: null, perMinute: 10 },
      now: clock.now(),
    })
    tell({ topic: 'rounds', id: null })
    return wholeRound(context, id)
  })

  handle(desk, routes.changeRound, async ({ params, body, gone }) => {
    const { letterHtml, keepBefore, dispatch, tracking, sender, title, ...rest } = body
    const keys = Object.keys(body)
    const round =
      keys.length === 1 && title !== undefined
        ? await store.roundById(db, params.round)
        : await store.draftById(db, params.round)
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
    if (changes.letter) changes.letter = await keepPictures(context, changes.letter)
    if (dispatch) changes.dispatch = { ...round.dispatch, ...dispatch }
    if (tracking) changes.tracking = { ...round.tracking, ...tracking }
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
      if (body.addressColumn === undefined) changes.addressColumn = findAddressColumn(list.columns)
      if (body.nameColumns === undefined)
        changes.nameColumns = list.nameColumns ?? sureNames(await compute.run('namesOf', { listId: list.id }))
      if (body.filesColumn === undefined) changes.filesColumn = findFilesColumn(list.columns)
      changes.selection ??= { match: 'all', rules: [] }
    }
    const listId = changes.listId ?? round.listId
    if (listId !== null) {
      const known = new Set((await listById(db, listId)).columns.map((c) => c.id))
      for (const id of [changes.addressColumn, changes.filesColumn, ...(changes.nameColumns ?? [])])
        if (id && !known.has(id)) throw notFound('column')
    }
    // Everything has been looked at; from here on it is written, all of it or nothing.
    await db.transaction(async (tx) => {
      if (otherList) said.push(...(await store.forgetPeople(tx, round.id)))
      // Files made of something else are nobody's any more.
      if (otherList || (body.made !== undefined && body.made?.of !== round.made?.of))
        await store.removeMadeFiles(tx, round.id)
      if (changes.letter)
        await keepVersion(tx, { roundId: round.id }, round.letter, clock.now(), keepBefore || letterHtml !== undefined)
      if (body.nameColumns !== undefined && listId !== null) await rememberNames(tx, listId, body.nameColumns)
      if (!(await store.updateRound(tx, round.id, changes, clock.now()))) await store.draftById(tx, round.id)
    })
    changed(round.id)
    return { ...(await wholeRound(context, round.id)), said }
  })

  handle(desk, routes.deleteRound, async ({ params }) => {
    const round = await store.roundById(db, params.round)
    if (round.postedAt !== null)
      throw new Refusal(
        409,
        `“${round.title}” is posted: its messages are the record of what was sent, and cannot be deleted.`,
        'Posted already',
      )
    if (await lastRehearsed(db, round.id))
      await clearRehearsal(context, round.id).catch((error) => context.log.warn({ error }, 'rehearsal not cleared'))
    await store.deleteRound(db, round.id)
    tell({ topic: 'rounds', id: null })
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

  handle(desk, routes.addPicture, async ({ query, req }) => {
    const type = typeOf(query.name)
    if (!/^image\/(png|jpeg|gif|webp)$/.test(type))
      throw new Refusal(
        422,
        `“${safeName(query.name)}” is not a picture that mail programs show. Choose a PNG, JPEG, GIF or WebP file.`,
        'Not a picture',
      )
    const { hash, size } = await files.keep(req, largestPicture)
    const head = (await files.read(hash)).subarray(0, 12).toString('latin1')
    if (!/^(\x89PNG|\xff\xd8\xff|GIF8|RIFF....WEBP)/s.test(head))
      throw new Refusal(
        422,
        `“${safeName(query.name)}” is called a picture but is none. Choose another file.`,
        'Not a picture',
      )
    await store.noteFile(db, { hash, size, type })
    return { src: `file:${hash}`, size }
  })
  handle(desk, routes.fileContent, async ({ params, query, res }) => {
    const facts = await store.fileFacts(db, params.hash)
    if (!facts || !(await files.has(params.hash))) throw notFound('file')
    res.set({
      ...contentHeaders(facts.type, query.name ?? 'file'),
      'content-length': String(facts.size),
      'cache-control': 'private, max-age=31536000, immutable',
    })
    await new Promise<void>((done) =>
      files
        .stream(params.hash)
        .on('error', () => res.destroy())
        .on('close', done)
        .pipe(res),
    )
    return undefined
  })

  handle(desk, routes.proof, async ({ params, query, gone }) => {
    if (query.wait === 'yes') await context.examiner.soon(params.round)
    return compute.run(
      'proof',
      { roundId: params.round, now: clock.now(), publicAddress: publicAddressOf(context) },
      { signal: gone, onProgress: progressOf(params.round) },
    )
  })
  handle(desk, routes.proofPeople, ({ params, body, gone }) =>
    compute.run('proofPeople', { roundId: params.round, rowIds: body.rowIds, now: clock.now() }, { signal: gone }),
  )
  handle(desk, routes.lateProof, ({ params, gone }) =>
    compute.run(
      'lateProof',
      { roundId: params.round, now: clock.now(), publicAddress: publicAddressOf(context) },
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
  handle(desk, routes.unmarkRead, async ({ params }) => {
    await store.forgetRead(db, (await store.roundById(db, params.round)).id, params.row)
    return {}
  })
  // In a posted round what is accepted is about late-comers: nobody else is proofed any more.
  handle(desk, routes.accept, async ({ params, body }) => {
    await store.roundById(db, params.round)
    await store.accept(db, params.round, body.keys, body.reason, clock.now())
    changed(params.round)
    return {}
  })
  handle(desk, routes.unaccept, async ({ params, body }) => {
    await store.roundById(db, params.round)
    await store.unaccept(db, params.round, body.keys)
    changed(params.round)
    return {}
  })

  handle(desk, routes.message, async ({ params }) => {
    const frozen = await frozenOfRow(db, params.round, params.row)
    if (frozen) {
      const { from, to, cc, bcc, replyTo, subject, html, text, files: enclosed, pictures } = frozen.contents
      const shownHtml = pictures.reduce((all, p) => all.replaceAll(`cid:${p.cid}`, `/api/files/${p.hash}`), html)
      return {
        from: mailName(from),
        replyTo: replyTo ?? [],
        to: mailName(to),
        cc,
        bcc,
        subject,
        html: shownHtml,
        text,
        files: enclosed.map(({ name, size, hash }) => ({ name, size, hash })),
        size: messageSize(
          html,
          text,
          enclosed.map((f) => f.size),
        ),
      }
    }
    const [{ address, name, from, wrong: _, left: __, files: enclosed, ...merged }] = await compute.run('messages', {
      roundId: params.round,
      rowIds: [params.row],
      now: clock.now(),
    })
    return {
      from: mailName(from),
      to: mailName({ name, address }),
      ...merged,
      html: withPictures(merged.html, (src) => `/api/files/${pictureHash(src) ?? ''}`),
      files: enclosed.map(({ name, size, hash }) => ({ name, size, hash })),
    }
  })

  handle(desk, routes.sendCopies, async ({ params, body }) => sendCopies(context, params.round, body.rowIds, body.to))

  handle(desk, routes.drafts, async ({ params, query }) => {
    if (query.look === 'yes') await lookForSentDrafts(context, params.round)
    return (await draftsOf(db, params.round)).map(({ rowId, putAt, sentAt }) => ({ rowId, putAt, sentAt }))
  })
  handle(desk, routes.putDrafts, async ({ params, gone }) => ({ put: await putDrafts(context, params.round, gone) }))
  handle(desk, routes.allMessages, async ({ params, query, res, gone }) => {
    const path = join(context.readingsFolder, `all-${randomBytes(8).toString('hex')}`)
    try {
      const name = await compute.run(
        query.as === 'pdf' ? 'paper' : 'mbox',
        { roundId: params.round, now: clock.now(), publicAddress: publicAddressOf(context), path },
        { signal: gone, onProgress: progressOf(params.round) },
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

  handle(desk, routes.timetable, async ({ params }) => {
    const round = await store.roundById(db, params.round)
    const { settings } = await mailboxById(db, round.mailboxId)
    const now = clock.now()
    if (round.postedAt === null) {
      const table = await compute.run('timetable', { roundId: round.id, now })
      return { ...table, sentence: timetableSentence(table, settings.timeZone, now) }
    }
    const departures = await departuresOfRound(db, round.id)
    const table = {
      departures,
      messages: departures.length,
      recipients: departures.reduce((sum, d) => sum + d.recipients, 0),
      first: departures[0]?.at ?? null,
      last: departures.at(-1)?.at ?? null,
      impossible: 0,
      allowance: await allowanceOf(db, round.mailboxId, settings.perDay, now),
      perDay: settings.perDay,
    }
    return {
      ...table,
      sentence: timetableSentence(table, settings.timeZone, now, await timesNotKnown(db, round.id, round.held)),
    }
  })
  handle(desk, routes.lastWord, async ({ params, gone }) => {
    const round = await store.draftById(db, params.round)
    const { settings } = await mailboxById(db, round.mailboxId)
    const now = clock.now()
    const word = await compute.run('lastWord', { roundId: round.id, now }, { signal: gone })
    return { ...word, sentence: timetableSentence(word, settings.timeZone, now) }
  })

  /** Posts a round, or a posted one to its late-comers. It goes on when the caller goes away: done wholly or not at all. */
  const post = async (
    round: store.RoundRecord,
    { messages: expected, print }: { messages: number; print?: string },
    late: boolean,
  ) => {
    await context.examiner.soon(round.id)
    await compute.run(
      'post',
      {
        roundId: round.id,
        expected,
        print,
        late,
        now: clock.now(),
        publicUrl: context.publicUrl,
        signingKey: context.secrets.signingKey,
      },
      { onProgress: progressOf(round.id) },
    )
    return leaving(round)
  }
  const leaving = async (round: store.RoundRecord) => {
    await context.dispatcher.replan(round.mailboxId)
    context.dispatcher.wake(round.mailboxId)
    tell({ topic: 'rounds', id: null })
    changed(round.id)
    return wholeRound(context, round.id)
  }
  handle(desk, routes.post, async ({ params, body }) => post(await store.draftById(db, params.round), body, false))
  handle(desk, routes.topUp, async ({ params, body }) => {
    const round = await store.roundById(db, params.round)
    return post(round, body, true)
  })
  handle(desk, routes.sendToNew, async ({ params }) => {
    const round = await store.roundById(db, params.round)
    await context.examiner.soon(round.id)
    await compute.run('sendToNew', {
      roundId: round.id,
      rowId: params.row,
      now: clock.now(),
      publicUrl: context.publicUrl,
      signingKey: context.secrets.signingKey,
    })
    await leaving(round)
    return {}
  })
  handle(desk, routes.sendOnceMore, async ({ params, body }) => {
    const round = await store.roundById(db, params.round)
    const people = await Promise.all(
      body.rows.map(async ({ row, hadTimes }) => {
        const frozen = await frozenOfRow(db, round.id, row)
        if (!frozen) throw notFound('message')
        const key = randomBytes(16).toString('base64url')
        const publicAddress = { url: context.publicUrl, signingKey: Buffer.from(context.secrets.signingKey) }
        return {
          row,
          hadTimes,
          key,
          messageId: `<${key}@${frozen.messageId.replace(/^.*@|>$/g, '')}>`,
          contents: underKey(frozen.contents, frozen.key, key, publicAddress),
        }
      }),
    )
    await db.transaction(async (tx) => {
      const made = await insertOnceMore(tx, round.id, people, clock.now())
      if (made < people.length)
        throw new Refusal(
          409,
          'One of them has not had this letter as often as you saw, or it is on its way just now. Nothing was sent again; look once more.',
          'Changed meanwhile',
        )
    })
    await leaving(round)
    return { messages: people.length }
  })
}

const mailName = ({ name, address }: { name: string; address: string }) => (name ? `${name} <${address}>` : address)
