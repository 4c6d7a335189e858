import { routes } from '@hand-post/contract'
import { safeName } from '@hand-post/core'
import { hidden } from '../accounts/sharing.ts'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import { typeOf } from '../files/mediaType.ts'
import { noteFile } from '../files/store.ts'
import { type Desk, handle } from '../http/handle.ts'
import { Refusal } from '../problem.ts'
import { keepPictures, largestPicture } from './pictures.ts'
import * as shelf from './shelfStore.ts'

/** What the routes of letters need. */
export interface LetterParts {
  db: Database
  clock: Clock
  files: FileStore
  publish: Publish
}

/** The shelf, what its letters were before, and pictures. */
export function letterRoutes(desk: Desk, parts: LetterParts): void {
  const { db, clock, files, publish } = parts
  const changed = () => publish({ topic: 'letters', id: null })

  handle(desk, routes.shelf, async ({ query }) => {
    const away = (await hidden(db)).letters
    return (await shelf.shelfLines(db, query.find)).filter(({ id }) => !away.has(id))
  })
  handle(desk, routes.shelfLetter, ({ params }) => shelf.shelfLetter(db, params.letter))
  handle(desk, routes.putOnShelf, async ({ body }) => {
    const id = await shelf.putOnShelf(db, { ...body, letter: await keepPictures(parts, body.letter) }, clock.now())
    changed()
    return shelf.shelfLetter(db, id)
  })
  handle(desk, routes.changeOnShelf, async ({ params, body }) => {
    const letter = body.letter && (await keepPictures(parts, body.letter))
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
  handle(desk, routes.version, ({ params }) => shelf.versionById(db, params.version))

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
        `“${safeName(query.name)}” has the name of a picture but is not one. Choose another file.`,
        'Not a picture',
      )
    await noteFile(db, { hash, size, type })
    return { src: `file:${hash}`, size }
  })
}
