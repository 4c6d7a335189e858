import { rmSync } from 'node:fs'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { type CallInput, call, type Edited, type Route, routes, type Wish } from '@hand-post/contract'
import MailComposer from 'nodemailer/lib/mail-composer'
import pino, { type Logger } from 'pino'
import type { z } from 'zod'
// The practice mailbox is met over its ports; tests start it beside the server.
import { type BoxName, type PracticeMailbox, type PracticeOptions, startPractice } from '../../practice/src/index.ts'
import { threads } from '../src/app/threads.ts'
import { type HandPost, readSettings, startHandPost } from '../src/index.ts'
import type { Lanes } from '../src/threads/compute.ts'
import { beginInProcess } from './inProcess.ts'
import { freePort, serverDatabase } from './postgres.ts'
import { giveDatabase, holdCompiled } from './template.ts'
import { wholeBoard } from './wholeBoard.ts'

/** A clock that stands until it is moved. */
export class SetClock {
  constructor(private at = Date.parse('2026-11-02T09:00:00Z')) {}
  now = () => this.at
  move(ms: number): void {
    this.at += ms
  }
}

export const office = 'office@brindlequay.example'
export const minute = 60_000
export const hour = 60 * minute

/** To how many recipients the letters of a timetable go. */
export const recipientsIn = ({ departures }: { departures: { recipients: number }[] }): number =>
  departures.reduce((sum, d) => sum + d.recipients, 0)

/** All jobs in this process, where threads are not what is tested: each takes a second of a core to begin, in every test anew. */
const inProcess: Lanes = { ...threads, begin: beginInProcess, laneOf: () => 'quick', fromTheStart: [] }

/** A whole Hand Post with its practice mailbox, on free ports and in folders of its own. */
export class World {
  private constructor(
    readonly folder: string,
    readonly clock: SetClock,
    readonly practice: PracticeMailbox,
    public handPost: HandPost,
    readonly lanes: Lanes,
    readonly databaseUrl: string | undefined,
  ) {}
  /** Where the public address is served. */
  publicAt = ''

  /** `webFolder`: the built interface, for tests that use it. */
  static async open(
    {
      databaseUrl: given,
      log = pino({ level: process.env.TEST_LOG ?? 'silent' }),
      publicUrl,
      allThreads = false,
      embedded = false,
      ...practice
    }: Partial<PracticeOptions> & {
      /** A database on a PostgreSQL server, in the place of the embedded one. */
      databaseUrl?: string
      log?: Logger
      /** The public address as letters name it, where it is another than the local one; it is served at {@link World.publicAt} all the same. */
      publicUrl?: string
      /** With the embedded database also where all others run on a server: of what is tested there is nothing there. */
      embedded?: boolean
      /** With the computing threads as they are; so it is with an interface. */
      allThreads?: boolean
    } = {},
    webFolder: string | null = null,
  ): Promise<World> {
    const folder = await mkdtemp(join(tmpdir(), 'hand-post-'))
    const server = embedded ? undefined : process.env.TEST_ON_SERVER
    const databaseUrl = given ?? (server === undefined ? undefined : await serverDatabase(server))
    if (databaseUrl === undefined) giveDatabase(join(folder, 'data'))
    await holdCompiled()
    const clock = new SetClock()
    const mailbox = await startPractice({
      folder: join(folder, 'practice'),
      accounts: { [office]: 'practice' },
      clock,
      lookEvery: 0,
      // Wanted by few tests, and takes its time to start.
      signInPort: null,
      speed: 1,
      ...practice,
    })
    const port = publicUrl === undefined ? 0 : await freePort()
    const lanes = allThreads || webFolder !== null ? threads : inProcess
    const handPost = await startHandPost({
      lanes,
      settings: {
        ...settingsFor(folder, mailbox, databaseUrl),
        HAND_POST_PUBLIC_PORT: port,
        ...(publicUrl === undefined ? {} : { HAND_POST_PUBLIC_URL: publicUrl }),
      },
      clock,
      webFolder,
      log,
    })
    const world = new World(folder, clock, mailbox, handPost, lanes, databaseUrl)
    world.publicAt = port === 0 ? handPost.publicUrl : `http://127.0.0.1:${port}`
    await handPost.parts.inbox.readAll()
    return world
  }

  /** Ends the server and starts it again on the same folder. */
  async restart(webFolder: string | null = null): Promise<void> {
    await this.handPost.close()
    this.handPost = await startHandPost({
      lanes: this.lanes,
      settings: settingsFor(this.folder, this.practice, this.databaseUrl),
      clock: this.clock,
      webFolder,
      log: pino({ level: process.env.TEST_LOG ?? 'silent' }),
    })
  }

  /**
   * Ends the server as a power cut would, as far as what it keeps goes: its database is gone in the middle of whatever it does, and so
   * nothing more is written; then starts it again on the same folder.
   */
  async crash(): Promise<void> {
    await this.handPost.parts.db.thread.terminate()
    await this.handPost.close().catch(() => {})
    rmSync(join(this.folder, 'data', 'in-use.json'), { force: true })
    this.handPost = await startHandPost({
      lanes: this.lanes,
      settings: settingsFor(this.folder, this.practice, this.databaseUrl),
      clock: this.clock,
      log: pino({ level: process.env.TEST_LOG ?? 'silent' }),
    })
  }

  /** A round's board with all that it can show. */
  board(round: number) {
    return wholeBoard((route, input) => this.call(route, input), round)
  }

  /** Calls the API over HTTP and checks the answer against its schema. */
  async call<R extends Route>(route: R, input: CallInput<R> = {}): Promise<z.output<R['answer']>> {
    const answer = await call(this.handPost.address, route, input)
    if (!route.gives) route.answer.parse(answer)
    return answer
  }

  /** Moves the clock and lets everything due happen: sending, correspondents, reading. */
  async pass(ms: number, steps = 1): Promise<void> {
    for (let i = 0; i < steps; i++) {
      this.clock.move(Math.round(ms / steps))
      await this.handPost.parts.leases.look()
      await this.handPost.parts.dispatcher.wakeAll()
      await this.handPost.parts.dispatcher.settled()
      await this.practice.correspondents.doDue()
      await this.handPost.parts.inbox.readAll()
    }
  }

  /** Everything that arrived at an address, raw. */
  async inboxOf(address: string): Promise<Buffer[]> {
    const box = await this.practice.store.box(address, 'INBOX')
    return Promise.all(box.messages.map((m) => this.practice.store.read(m)))
  }

  /** Mail that comes to the office: as given, or as it is put together of its parts; and it is looked for. Gives it raw. */
  async arrive(mail: Buffer | ConstructorParameters<typeof MailComposer>[0], box: BoxName = 'INBOX'): Promise<Buffer> {
    const raw = Buffer.isBuffer(mail) ? mail : await composed({ to: office, ...mail })
    await this.practice.store.add(office, box, raw, new Date(this.clock.now()))
    await this.handPost.parts.inbox.readAll()
    return raw
  }

  /** Everything in the office's Sent folder, raw. */
  async sent(): Promise<Buffer[]> {
    const box = await this.practice.store.box(office, 'Sent')
    return Promise.all(box.messages.map((m) => this.practice.store.read(m)))
  }

  /** Starts a round with a list given as CSV, and a letter given as HTML. */
  async round(
    csv: string,
    letter: { subject: string; html: string },
    changes: Partial<z.input<typeof routes.changeRound.body>> = {},
  ): Promise<z.output<typeof routes.changeRound.answer>> {
    const reading = await this.call(routes.readFile, {
      query: { name: 'people.csv' },
      file: new TextEncoder().encode(csv),
    })
    const list = await this.call(routes.makeList, { body: { reading: reading.id } })
    const round = await this.call(routes.startRound, { body: { title: 'A round' } })
    return this.call(routes.changeRound, {
      params: { round: round.id },
      body: { listId: list.id, letterHtml: letter, ...changes },
    })
  }

  /** Changes a list, as one change that can be undone. */
  edit(list: number, ...wishes: Wish[]): Promise<Edited> {
    return this.call(routes.editList, { params: { list }, body: { wishes } }) as Promise<Edited>
  }

  /** All rows of a list as they are stored. */
  async rows(list: number) {
    return (await this.call(routes.rows, { params: { list }, query: { count: 20_000 } })).rows
  }

  async close(): Promise<void> {
    await this.handPost.close()
    await this.practice.close()
    await rm(this.folder, { recursive: true, force: true })
  }
}

/** A message of its parts, as it goes over the wire. */
export const composed = (mail: ConstructorParameters<typeof MailComposer>[0]): Promise<Buffer> =>
  new Promise((resolve, reject) =>
    new MailComposer(mail).compile().build((error, built) => (error ? reject(error) : resolve(built!))),
  )

export function settingsFor(folder: string, practice: PracticeMailbox, databaseUrl?: string) {
  return readSettings({
    DATABASE_URL: databaseUrl,
    HAND_POST_DATA: join(folder, 'data'),
    HAND_POST_PORT: '0',
    HAND_POST_PUBLIC_PORT: '0',
    HAND_POST_PRACTICE_ADDRESS: office,
    HAND_POST_PRACTICE_SMTP_PORT: String(practice.smtpPort),
    HAND_POST_PRACTICE_IMAP_PORT: String(practice.imapPort),
  })
}

/** A CSV of `n` made-up people. */
export function peopleCsv(n: number): string {
  const rows = Array.from(
    { length: n },
    (_, i) => `Person ${i},person${i}@village.example,B${String(i).padStart(3, '0')},permit-${i}.pdf`,
  )
  return ['Name,Email,Berth,Permit', ...rows].join('\r\n')
}
