import { statfs } from 'node:fs/promises'
import { setTimeout as sleep } from 'node:timers/promises'
import type { ReadyFault } from '@hand-post/contract'
import { sizeWords, times } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { mailboxRecords } from '../mailboxes/store.ts'
import type { ServerClock } from '../processes/serverClock.ts'
import { leasesHeld, processesSeen } from '../processes/store.ts'

export interface ReadinessParts {
  db: Database
  /** Whether other processes may work with the database. */
  shared: boolean
  /** Folders that are written to. */
  folders: string[]
  /** What is wrong with the shared folder, or null. */
  faultOfFolder: () => Promise<string | null>
  clock: ServerClock | null
  /** What is wrong with the certificate, or null. */
  faultOfCertificate: () => string | null
  /** How long (ms) a lease holds. */
  lease: number
}

/** How long (ms) the database is given to answer. */
const patience = 5000
/** With less room than this (octets) on a disk it is said. */
const leastRoom = 500_000_000
/** How long (ms) what was found out holds. */
const freshFor = 2000

/** Whether everything that is needed is there: the database, the disk, whoever works the mailboxes. */
export class Readiness {
  private found: { at: number; faults: Promise<ReadyFault[]> } | null = null

  constructor(private readonly parts: ReadinessParts) {}

  /** What is not as it should be, in words, the worst first. */
  faults(): Promise<ReadyFault[]> {
    // Asked by many, it is looked once.
    if (this.found === null || performance.now() - this.found.at > freshFor)
      this.found = { at: performance.now(), faults: this.look() }
    return this.found.faults
  }

  private async look(): Promise<ReadyFault[]> {
    const { clock, faultOfCertificate } = this.parts
    const database = await this.database()
    const all: (ReadyFault | null)[] = database
      ? [database]
      : [await this.folder(), await this.mailboxes().catch(() => null)]
    for (const folder of this.parts.folders) all.push(await roomIn(folder))
    const wrong = clock?.wrongBy() ?? 0
    if (wrong !== 0)
      all.push({
        what: 'clock',
        stops: false,
        words: `This machine’s clock is ${times(Math.round(Math.abs(wrong) / 60_000), 'minute')} ${wrong > 0 ? 'ahead of' : 'behind'} that of the database. Hand Post goes by the database’s; put this one right.`,
      })
    const certificate = faultOfCertificate()
    if (certificate !== null) all.push({ what: 'certificate', stops: false, words: certificate })
    return all.filter((one) => one !== null)
  }

  private async database(): Promise<ReadyFault | null> {
    const asked = this.parts.db.query('SELECT 1').then(
      () => null,
      () =>
        'The database cannot be used. Nothing can be read or written until it is back; letters that wait are kept, and go on by themselves.',
    )
    const late = sleep(patience, 'The database does not answer. Nothing can be read or written until it does.', {
      ref: false,
    })
    const words = await Promise.race([asked, late])
    return words === null ? null : { what: 'database', stops: true, words }
  }

  private async folder(): Promise<ReadyFault | null> {
    const words = await this.parts.faultOfFolder()
    return words === null ? null : { what: 'folder', stops: true, words }
  }

  /** Mailboxes that no process works: nothing leaves them, and nothing is read. */
  private async mailboxes(): Promise<ReadyFault | null> {
    const { db, shared, lease } = this.parts
    if (!shared) return null
    const worked = new Set((await leasesHeld(db)).map(({ what }) => what))
    const left = (await mailboxRecords(db)).filter(({ id }) => !worked.has(`mailbox ${id}`))
    if (left.length === 0) return null
    const any = (await processesSeen(db, lease)).some(({ roles }) => roles.includes('mail'))
    const names = left.map(({ settings }) => settings.name).join(', ')
    return {
      what: 'mailboxes',
      stops: false,
      words: any
        ? `${names}: nobody works ${left.length === 1 ? 'this mailbox' : 'these mailboxes'} just now. A process takes ${left.length === 1 ? 'it' : 'them'} up within ${times(Math.ceil(lease / 1000), 'second')}.`
        : `No process that works mailboxes is running, so nothing leaves and nothing is read. Start one (HAND_POST_ROLES with mail).`,
    }
  }
}

/** Says that there is little room on the disk of a folder. */
async function roomIn(folder: string): Promise<ReadyFault | null> {
  try {
    const { bavail, bsize } = await statfs(folder)
    const room = bavail * bsize
    if (room >= leastRoom) return null
    return {
      what: 'disk',
      stops: room < leastRoom / 10,
      words: `There are only ${sizeWords(room)} left on the disk that Hand Post writes to. Make room on it.`,
    }
  } catch {
    return { what: 'disk', stops: true, words: 'The folder that Hand Post writes to does not answer.' }
  }
}
