import { createReadStream } from 'node:fs'
import { pipeline } from 'node:stream/promises'
import { routes } from '@hand-post/contract'
import { noteDeed } from '../accounts/deeds.ts'
import type { Clock } from '../clock.ts'
import type { CopiedDatabase } from '../db/database.ts'
import { MadeFiles } from '../files/madeFiles.ts'
import { type Desk, fileName, handle } from '../http/handle.ts'
import { Refusal } from '../problem.ts'
import type { Fetches } from '../responses/fetches.ts'
import type { Computes } from '../threads/job.ts'
import type { Works } from '../threads/works.ts'
import { backupName, makeBackup } from './backup.ts'
import type { BackupJobs } from './jobs.ts'
import { lastBackups, noteBackup } from './store.ts'

/** What the routes of copies need. */
export interface BackupParts {
  db: CopiedDatabase
  clock: Clock
  compute: Computes<BackupJobs>
  fetches: Pick<Fetches, 'flush'>
  dataFolder: string
  readingsFolder: string
  works: Works
}

/** Copies of everything. */
export function backupRoutes(
  desk: Desk,
  { db, clock, compute, fetches, dataFolder, readingsFolder, works }: BackupParts,
): void {
  const backups = new MadeFiles(readingsFolder, 'backup')
  handle(desk, routes.backups, async () => ({ ...(await lastBackups(db)), cannot: db.noCopy }))
  handle(desk, routes.makeBackup, async ({ body, gone }) => {
    if (db.noCopy !== null) throw new Refusal(409, db.noCopy, 'Not from here')
    // What was fetched in the last second is in it too.
    await fetches.flush()
    const now = clock.now()
    let damaged: string[] = []
    const { made, name, size } = await works.long({ what: 'backup' }, gone, (options) =>
      backups.make(async (path) => {
        const pack = (given: Parameters<BackupJobs['packBackup']>[0]) => compute.run('packBackup', given, options)
        ;({ damaged } = await makeBackup(
          { db, dataFolder, scratch: readingsFolder, pack },
          { path, passphrase: body.passphrase, now },
        ))
        return backupName(now)
      }),
    )
    await noteBackup(db, now, size, body.passphrase !== null)
    await noteDeed(db, now, 'backupMade', { withKey: body.passphrase !== null })
    return { backup: made, name, size, damaged }
  })
  handle(desk, routes.backup, async ({ params, res }) => {
    const made = backups.get(params.backup)
    if (!made) throw new Refusal(404, 'This copy is not kept any more. Make another.', 'Not kept')
    res.set({ 'content-type': 'application/zip', 'content-length': String(made.size), ...fileName(made.name) })
    await pipeline(createReadStream(made.path), res).catch(() => res.destroy())
    return undefined
  })
}
