import { routes } from '@hand-post/contract'
import type { Database } from '../db/database.ts'
import { contentHeaders, type Desk, handle } from '../http/handle.ts'
import { notFound } from '../problem.ts'
import type { FileStore } from './fileStore.ts'
import { fileFacts } from './store.ts'

/** Contents of the store, as files and as pictures. */
export function fileRoutes(desk: Desk, { db, files }: { db: Database; files: FileStore }): void {
  handle(desk, routes.fileContent, async ({ params, query, res }) => {
    const facts = await fileFacts(db, params.hash)
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
}
