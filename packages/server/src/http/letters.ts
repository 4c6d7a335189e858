import { PassThrough, Readable } from 'node:stream'
import { routes } from '@hand-post/contract'
import { compileLetter, type Letter, picturesOf, safeName } from '@hand-post/core'
import { withPictures } from '../compute/freeze.ts'
import { pictureHash } from '../compute/loadRound.ts'
import type { Context } from '../context.ts'
import { composeRaw } from '../dispatch/compose.ts'
import { frozenOfRow } from '../dispatch/store.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { notFound, Refusal } from '../problem.ts'
import * as shelf from '../rounds/shelfStore.ts'
import { draftById, fileFacts, noteFile, roundById } from '../rounds/store.ts'
import { type Desk, fileName, handle } from './handle.ts'
import { limited, receive } from './upload.ts'

/** Octets of one picture of a letter, and of a letter brought in. */
export const largestPicture = 10_000_000
const largestLetter = 20_000_000

/** Stores pictures that came within HTML as `data:` addresses, and lets the letter name them by their content. */
export async function keepPictures({ db, files }: Context, letter: Letter): Promise<Letter> {
  const within = picturesOf(letter).filter((src) => src.startsWith('data:'))
  // Most letters have none, and some are long.
  if (within.length === 0) return letter
  let text = JSON.stringify(letter)
  for (const src of within) {
    const data = /^data:(image\/(?:png|jpeg|gif|webp));base64,([A-Za-z0-9+/=\s]+)$/.exec(src)
    if (!data) continue
    const { hash, size } = await files.keep(Readable.from([Buffer.from(data[2], 'base64')]), largestPicture)
    await noteFile(db, { hash, size, type: data[1] })
    text = text.replaceAll(JSON.stringify(src), JSON.stringify(`file:${hash}`))
  }
  return JSON.parse(text)
}

/** Letters: the shelf, what letters were before, and letters as files in and out. */
export function letterHandlers(desk: Desk, context: Context): void {
  const { db, clock, compute, files, secrets, publicUrl, tell } = context
  const changed = () => tell({ topic: 'letters', id: null })

  handle(desk, routes.shelf, ({ query }) => shelf.shelfLines(db, query.find))
  handle(desk, routes.shelfLetter, ({ params }) => shelf.shelfLetter(db, params.letter))
  handle(desk, routes.putOnShelf, async ({ body }) => {
    const id = await shelf.putOnShelf(db, { ...body, letter: await keepPictures(context, body.letter) }, clock.now())
    changed()
    return shelf.shelfLetter(db, id)
  })
  handle(desk, routes.changeOnShelf, async ({ params, body }) => {
    const letter = body.letter && (await keepPictures(context, body.letter))
    await shelf.changeOnShelf(db, params.letter, { ...body, ...(letter ? { letter } : {}) }, clock.now())
    changed()
    return shelf.shelfLetter(db, params.letter)
  })
  handle(desk, routes.takeOffShelf, async ({ params }) => {
    await shelf.takeOffShelf(db, (await shelf.shelfLetter(db, params.letter)).id)
    changed()
    return {}
  })
  handle(desk, routes.shelfVersions, ({ params }) => shelf.versionsOf(db, { shelfId: params.letter }))
  handle(desk, routes.letterVersions, async ({ params }) =>
    shelf.versionsOf(db, { roundId: (await roundById(db, params.round)).id }),
  )
  handle(desk, routes.version, ({ params }) => shelf.versionById(db, params.version))

  handle(desk, routes.bringInLetter, async ({ params, query, req, gone }) => {
    const round = await draftById(db, params.round)
    const name = safeName(query.name)
    const chunks: Buffer[] = []
    const taken = new PassThrough()
    taken.on('data', (chunk: Buffer) => chunks.push(chunk))
    await receive(
      req,
      limited(largestLetter, `“${name}” is larger than 20 MB, the most that is read as a letter.`),
      taken,
    )
    const read = await compute.run('letterFile', { name, bytes: Buffer.concat(chunks) }, { signal: gone })
    const letter = await keepPictures(context, {
      ...round.letter,
      subject: read.subject ?? round.letter.subject,
      body: read.body,
    })
    return { letter, said: read.removed }
  })

  handle(desk, routes.letterFile, async ({ params, query, res }) => {
    const round = await roundById(db, params.round)
    const give = (body: Buffer | string, name: string, type: string) => {
      res.set({
        'content-type': type,
        ...fileName(safeName(name)),
        'content-security-policy': "sandbox; default-src 'none'",
      })
      res.send(body)
      return undefined
    }
    if (query.as === 'html') {
      const { settings } = await mailboxById(db, round.mailboxId)
      const { html } = compileLetter(round.letter, [], { asWritten: true, signature: settings.signature }).merge({
        id: 0,
        position: '',
        cells: {},
      })
      // Whole in one file: its pictures go with it.
      const pictures = new Map<string, string>()
      for (const src of picturesOf(round.letter)) {
        const hash = pictureHash(src)
        const facts = hash ? await fileFacts(db, hash) : null
        if (hash && facts) pictures.set(src, `data:${facts.type};base64,${(await files.read(hash)).toString('base64')}`)
      }
      return give(
        withPictures(html, (src) => pictures.get(src) ?? ''),
        `${round.title}.html`,
        'text/html; charset=utf-8',
      )
    }
    if (query.row === undefined)
      throw new Refusal(422, 'Say whose message is wanted: add the person\u2019s row.', 'No person')
    const frozen =
      (await frozenOfRow(db, round.id, query.row)) ??
      (await compute.run('message', {
        roundId: round.id,
        rowId: query.row,
        now: clock.now(),
        publicUrl,
        signingKey: secrets.signingKey,
      }))
    if (!frozen) throw notFound('row')
    const raw = await composeRaw(frozen, clock.now(), files)
    const { name, address } = frozen.contents.to
    return give(raw, `${name || address}.eml`, 'message/rfc822')
  })
}
