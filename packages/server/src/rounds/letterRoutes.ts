import { PassThrough } from 'node:stream'
import { routes } from '@hand-post/contract'
import { compileLetter, picturesOf, safeName } from '@hand-post/core'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { FileStore } from '../files/fileStore.ts'
import { fileFacts } from '../files/store.ts'
import { limited, receive } from '../files/upload.ts'
import { type Desk, fileName, handle } from '../http/handle.ts'
import type { LetterJobs } from '../letter/jobs.ts'
import { keepPictures, pictureHash, withPictures } from '../letter/pictures.ts'
import * as shelf from '../letter/shelfStore.ts'
import { composeRaw } from '../mailboxes/compose.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { notFound, Refusal } from '../problem.ts'
import type { Computes } from '../threads/job.ts'
import type { PublicAddress } from './freeze.ts'
import type { RoundJobs } from './jobs.ts'
import { asPosted } from './messages.ts'
import { openById, roundById } from './store.ts'

/** Octets of a letter that is brought in. */
const largestLetter = 20_000_000

/** What the routes of a round's letter need. */
export interface RoundLetterParts {
  db: Database
  clock: Clock
  compute: Computes<LetterJobs & RoundJobs>
  files: FileStore
  publicAddress: PublicAddress
}

/** The letter of a round: what it was before, and letters as files in and out. */
export function roundLetterRoutes(desk: Desk, parts: RoundLetterParts): void {
  const { db, clock, compute, files, publicAddress } = parts
  handle(desk, routes.letterVersions, async ({ params }) =>
    shelf.versionsOf(db, { roundId: (await roundById(db, params.round)).id }),
  )

  handle(desk, routes.bringInLetter, async ({ params, query, req, gone }) => {
    const round = await openById(db, params.round)
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
    const letter = await keepPictures(parts, {
      ...round.letter,
      subject: read.subject ?? round.letter.subject,
      body: read.body,
    })
    return { letter, said: read.removed, asItWas: read.asItWas }
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
      const { html } = compileLetter({ ...round.letter, plain: false }, [], {
        asWritten: true,
        signature: settings.signature,
      }).merge({ id: 0, position: '', cells: {} })
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
      (await asPosted(db, round, query.row)) ??
      (await compute.run('message', {
        roundId: round.id,
        rowId: query.row,
        now: clock.now(),
        publicAddress,
      }))
    if (!frozen) throw notFound('row')
    const raw = await composeRaw(frozen, clock.now(), files)
    const { name, address } = frozen.contents.to
    return give(raw, `${name || address}.eml`, 'message/rfc822')
  })
}
