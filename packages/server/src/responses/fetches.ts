import { closeSync, openSync, writeSync } from 'node:fs'
import { mkdir, readdir, readFile, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { type Fetched, fetchedOnce, sumFetched } from '@hand-post/core'
import type { Logger } from 'pino'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { Countries } from './countries.ts'
import { addFetched, type FetchedOf, forgetJournals, journalsWritten } from './store.ts'

/** How often what was fetched is written and told of, in ms. */
const every = 1000
/** How many pictures and links are kept until they are written; what is fetched of others meanwhile is not counted. */
const maxKept = 20_000
/** How often one client is counted in a minute: for one picture or link, and for all. */
const maxOfOne = 60
const maxOfAll = 6000
/** How many clients, with what they fetched, are told apart in a minute. */
const maxClients = 50_000
/** Characters of what a client says of itself that are kept. */
const maxAgent = 200
/** Octets of a journal that is taken up: many times what comes in between two writings. */
const maxJournal = 50_000_000
const journalName = /^fetched-(\d+)\.log$/

export interface FetchesParts {
  db: Database
  publish: Publish
  log: Logger
  countries: Countries | null
  /** Where the journals lie. */
  folder: string
  /** The name of this process's place, by which its journals are told from those of others. */
  place: string
}

/** Which fetch it was, as the journal keeps it. */
type Noted = [key: string, what: number, at: number, agent: string, country: string | undefined]

/**
 * Counts what is fetched of letters. Whoever fetches waits for no database: what was counted is written once a second, all together, and
 * kept until then if the database is not there. Each fetch is noted in a journal before it is answered, so that nothing is lost when the
 * program is killed: the next start reads it. A journal is named in the transaction that writes what stands in it, so that none is counted
 * twice.
 */
export class Fetches {
  private kept = new Map<string, FetchedOf>()
  private counted = new Map<string, number>()
  private minute = 0
  private writing: Promise<void> = Promise.resolve()
  private readonly timer: NodeJS.Timeout
  /** The journal that is written to, and those whose fetches are kept here too and are not in the database yet. */
  private journal: { name: string; file: number } | null = null
  private journals: string[] = []
  private last = 0
  /** It was said since the last writing that the disk takes nothing. */
  private warned = false

  constructor(private readonly parts: FetchesParts) {
    this.timer = setInterval(() => void this.flush(), every)
    this.timer.unref()
  }

  /** Takes up what was noted before the program ended and is not in the database yet. */
  async start(): Promise<void> {
    const { db, folder } = this.parts
    await mkdir(folder, { recursive: true })
    const names = (await readdir(folder)).filter((name) => journalName.test(name)).sort()
    const written = await journalsWritten(db, names.map(this.noted))
    for (const name of names) {
      this.last = Math.max(this.last, Number(journalName.exec(name)![1]))
      if (written.has(this.noted(name))) await rm(join(folder, name), { force: true })
      // One that cannot be read is no reason not to start.
      else
        await this.takeUp(name).catch((error) =>
          this.parts.log.error(
            { name, error: String(error) },
            'a journal of fetches cannot be read; it stays where it is',
          ),
        )
    }
    await this.forgetWritten()
  }

  /** The name of a journal in the database: several processes may have one of the same name. */
  private readonly noted = (name: string): string => (this.parts.place === '' ? name : `${this.parts.place}/${name}`)

  private async forgetWritten(): Promise<void> {
    const { db, folder } = this.parts
    await forgetJournals(db, this.noted(''), (await readdir(folder)).map(this.noted))
  }

  private async takeUp(name: string): Promise<void> {
    const path = join(this.parts.folder, name)
    const { size } = await stat(path)
    if (size > maxJournal) {
      this.parts.log.error({ name, size }, 'a journal of fetches is too large to be taken up; it stays where it is')
      return
    }
    for (const line of (await readFile(path, 'utf8')).split('\n')) {
      let noted: Noted
      try {
        noted = JSON.parse(line)
      } catch {
        // The last line was being written when the program was killed: nobody was answered for it.
        continue
      }
      if (!Array.isArray(noted) || typeof noted[0] !== 'string') continue
      const [key, what, at, agent, country] = noted
      this.add(key, what, fetchedOnce({ at, agent, ...(country ? { country } : {}) }))
    }
    this.journals.push(name)
  }

  /**
   * Counts one fetch.
   * @param client the address that it came from, for limiting it and for its country; it is kept nowhere.
   * @param what the picture, or the number of the link.
   */
  note(client: string, key: string, what: 'picture' | number, at: number, agent: string): void {
    const place = what === 'picture' ? -1 : what
    const name = `${key} ${place}`
    if (!this.allows(client, `${client} ${name}`)) return
    if (!this.kept.has(name) && this.kept.size >= maxKept) return
    const country = this.parts.countries?.of(client)
    const once: Fetched = fetchedOnce({
      at,
      agent: agent.slice(0, maxAgent),
      ...(country === undefined ? {} : { country }),
    })
    this.add(key, place, once)
    this.write([key, place, at, agent.slice(0, maxAgent), country])
  }

  private add(key: string, what: number, once: Fetched): void {
    const name = `${key} ${what}`
    const before = this.kept.get(name)
    this.kept.set(name, { key, what, ...(before ? sumFetched(before, once) : once) })
  }

  /** Notes a fetch in the journal. A disk that is full is no reason not to count it: it is in memory. */
  private write(noted: Noted): void {
    const { folder, log } = this.parts
    try {
      if (!this.journal) {
        const name = `fetched-${++this.last}.log`
        this.journal = { name, file: openSync(join(folder, name), 'a', 0o600) }
      }
      writeSync(this.journal.file, `${JSON.stringify(noted)}\n`)
    } catch (error) {
      if (!this.warned)
        log.warn({ error: String(error) }, 'fetches cannot be noted on the disk; they are counted all the same')
      this.warned = true
    }
  }

  private allows(client: string, ofOne: string): boolean {
    const minute = Math.floor(Date.now() / 60_000)
    if (minute !== this.minute) {
      this.minute = minute
      this.counted.clear()
    }
    const times = (name: string) => this.counted.get(name) ?? 0
    if (times(client) >= maxOfAll || times(ofOne) >= maxOfOne) return false
    if (this.counted.size >= maxClients && times(ofOne) === 0) return false
    this.counted.set(client, times(client) + 1)
    this.counted.set(ofOne, times(ofOne) + 1)
    return true
  }

  /** Writes what was counted until now. Fulfilled also when the database took nothing: it is kept for the next time. */
  flush(): Promise<void> {
    this.writing = this.writing.then(() => this.writeAll())
    return this.writing
  }

  private async writeAll(): Promise<void> {
    if (this.kept.size === 0) return
    const { db, publish, log, folder } = this.parts
    const some = this.kept
    this.kept = new Map()
    this.warned = false
    if (this.journal) {
      closeSync(this.journal.file)
      this.journals.push(this.journal.name)
      this.journal = null
    }
    const journals = this.journals
    this.journals = []
    try {
      for (const id of await addFetched(db, [...some.values()], journals.map(this.noted)))
        publish({ topic: 'responses', id })
      for (const name of journals) await rm(join(folder, name), { force: true })
      await this.forgetWritten()
    } catch (error) {
      log.error(
        { error: String(error) },
        'what was fetched of letters could not be written; it is kept and tried again',
      )
      this.journals.push(...journals)
      for (const [name, one] of some) {
        const since = this.kept.get(name)
        this.kept.set(name, { ...one, ...(since ? sumFetched(one, since) : one) })
      }
    }
  }

  async close(): Promise<void> {
    clearInterval(this.timer)
    await this.flush()
    if (this.journal) closeSync(this.journal.file)
    this.journal = null
  }
}
