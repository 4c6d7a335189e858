import { randomBytes } from 'node:crypto'
import { createWriteStream } from 'node:fs'
import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { routes } from '@hand-post/contract'
import { safeFolder, safeName, sizeWords } from '@hand-post/core'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import { typeOf } from '../files/mediaType.ts'
import { giveZip } from '../files/pack.ts'
import { noteFile } from '../files/store.ts'
import { limited, receive } from '../files/upload.ts'
import { type Desk, handle } from '../http/handle.ts'
import { listById } from '../people/store.ts'
import { addRoundFile, filesOf, matchFiles, removeRoundFiles, setFileRole } from '../rounds/files.ts'
import type { PublicAddress } from '../rounds/freeze.ts'
import * as store from '../rounds/store.ts'
import type { Works } from '../threads/works.ts'
import type { Examiner } from './examiner.ts'
import { largestFile } from './jobs.ts'
import { type MakeParts, makeFiles } from './makeFiles.ts'

/** Octets of one model. */
const largestModel = 20_000_000
/** Octets of one zip. */
const largestZip = 1_000_000_000

/** What the routes of enclosures need. */
export interface EnclosureParts extends MakeParts {
  files: FileStore
  examiner: Examiner
  publish: Publish
  works: Works
  publicAddress: PublicAddress
  /** Where packs lie until they are unpacked, or handed over. */
  readingsFolder: string
}

/** Files of rounds: added, matched, made. */
export function enclosureRoutes(desk: Desk, parts: EnclosureParts): void {
  const { db, clock, compute, files, examiner, publicAddress, readingsFolder, publish, works } = parts
  const changed = (id: number) => publish({ topic: 'round', id })
  const added = (id: number) => {
    changed(id)
    void examiner.soon(id)
  }

  handle(desk, routes.addFile, async ({ params, query, req }) => {
    const name = safeName(query.name)
    const folder = safeFolder(`${query.folder ?? ''}/`)
    const round = await store.roundById(db, params.round)
    // What was posted keeps its files whatever is added; late-comers may need theirs. None is put in the place of another.
    if (
      round.postedAt !== null &&
      (query.role === 'common' || (await filesOf(db, round.id)).some((f) => f.name === name && f.folder === folder))
    )
      await store.openById(db, params.round)
    const { hash, size } = await files.keep(req, largestFile)
    await noteFile(db, { hash, size, type: typeOf(name) })
    const file = await addRoundFile(db, params.round, { name, folder, hash, role: query.role })
    added(params.round)
    return file
  })

  handle(desk, routes.addPacked, async ({ params, query, req, gone }) => {
    const round = await store.roundById(db, params.round)
    if (round.postedAt !== null && query.role === 'common') await store.openById(db, params.round)
    const path = join(readingsFolder, `packed-${randomBytes(8).toString('hex')}.zip`)
    try {
      await receive(
        req,
        limited(
          largestZip,
          `“${safeName(query.name)}” is larger than ${sizeWords(largestZip)}, the most that is taken at once.`,
        ),
        createWriteStream(path),
      )
      return await works.long(
        {
          what: 'unpacking',
          round: params.round,
          stays: 'What was unpacked by then stays; for the rest, add the zip once more.',
        },
        gone,
        (options) =>
          compute.run(
            'unpack',
            {
              roundId: params.round,
              path,
              role: query.role,
              onlyNew: round.postedAt !== null && round.amendingSince === null,
            },
            options,
          ),
      )
    } finally {
      await rm(path, { force: true })
      added(params.round)
    }
  })

  handle(desk, routes.changeFile, async ({ params, body }) => {
    await store.openById(db, params.round)
    const file = await setFileRole(db, params.round, params.file, body.role)
    changed(params.round)
    return file
  })
  handle(desk, routes.removeFile, async ({ params }) => {
    await store.openById(db, params.round)
    await removeRoundFiles(db, params.round, [params.file])
    changed(params.round)
    return {}
  })
  handle(desk, routes.removeFiles, async ({ params, body }) => {
    await store.openById(db, params.round)
    const removed = await removeRoundFiles(db, params.round, body.files)
    changed(params.round)
    return { removed }
  })
  for (const [route, take] of [
    [routes.matchFiles, false],
    [routes.unmatchFiles, true],
  ] as const)
    handle(desk, route, async ({ params, body }) => {
      await store.openFor(
        db,
        params.round,
        body.matches.map((m) => m.rowId),
      )
      await matchFiles(db, params.round, body.matches, take)
      changed(params.round)
      return {}
    })

  handle(desk, routes.addModel, async ({ params, query, req, gone }) => {
    const round = await store.openById(db, params.round)
    const name = safeName(query.name)
    const { hash, size } = await files.keep(req, largestModel)
    const columns = round.listId === null ? [] : (await listById(db, round.listId)).columns
    const unknown = await compute.run('readModel', { hash, name, columns }, { signal: gone })
    await noteFile(db, { hash, size, type: typeOf(name) })
    return { hash, name, unknown }
  })
  handle(desk, routes.makeFiles, async ({ params, gone }) => {
    try {
      return {
        made: await works.long(
          {
            what: 'makingFiles',
            round: params.round,
            stays: 'What was made by then stays; the rest can be made at any time.',
          },
          gone,
          (options) => makeFiles(parts, params.round, options),
        ),
      }
    } finally {
      // Stopped half way, what was made stays made.
      added(params.round)
    }
  })
  handle(desk, routes.madeZip, ({ params, res, gone }) =>
    giveZip(res, readingsFolder, (path) =>
      works.long({ what: 'packingFiles', round: params.round }, gone, (options) =>
        compute.run('madeZip', { roundId: params.round, path, now: clock.now() }, options),
      ),
    ),
  )

  handle(desk, routes.enclosures, ({ params, gone }) =>
    compute.run('enclosures', { roundId: params.round, now: clock.now(), publicAddress }, { signal: gone }),
  )
}
