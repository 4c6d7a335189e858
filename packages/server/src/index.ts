import { randomUUID } from 'node:crypto'
import { existsSync } from 'node:fs'
import { mkdir, readdir, rm, stat } from 'node:fs/promises'
import type { Server } from 'node:http'
import { hostname } from 'node:os'
import { join } from 'node:path'
import { usualGentleStart } from '@hand-post/contract'
import { readyWeeks, sameAddressKey, times } from '@hand-post/core'
import express from 'express'
import pino, { type Logger } from 'pino'
import { noteChange } from './accounts/changes.ts'
import { SignInService } from './accounts/service.ts'
import { mustSee } from './accounts/sharing.ts'
import { SignIn } from './accounts/signIn.ts'
import { giveUpCode, hasAccounts, sealedCodes } from './accounts/store.ts'
import { Metrics } from './app/metrics.ts'
import { Readiness } from './app/readiness.ts'
import { type RouteParts, registerRoutes } from './app/routes.ts'
import { threads } from './app/threads.ts'
import { afterRestore } from './backup/restored.ts'
import { type Clock, systemClock } from './clock.ts'
import type { Database } from './db/database.ts'
import { type OpenDatabase, openDatabase, openOnServer, takeFolder } from './db/open.ts'
import { Chasers } from './dispatch/chasers.ts'
import { Dispatcher } from './dispatch/dispatcher.ts'
import { Notices } from './dispatch/notices.ts'
import { OtherMailReader } from './dispatch/otherMail.ts'
import { refuseAddress } from './dispatch/refuse.ts'
import { forgetAside, setAsideFor } from './dispatch/store.ts'
import { Examiner } from './enclosures/examiner.ts'
import { Events } from './events.ts'
import { FileStore } from './files/fileStore.ts'
import { guardOrigin, meansApi } from './http/guard.ts'
import type { Desk } from './http/handle.ts'
import { CertificateWatch, guardHeaders, listen, readCertificate, serverFor, setHeaders } from './http/listeners.ts'
import { problems } from './http/problems.ts'
import { nameRequests } from './http/requestId.ts'
import { MailboxKeys } from './mailboxes/access.ts'
import { SignIns } from './mailboxes/signIns.ts'
import { insertMailbox, type MailboxRecord, mailboxRecords, pauseMailbox, updateMailbox } from './mailboxes/store.ts'
import { Refusal } from './problem.ts'
import { Leases } from './processes/leases.ts'
import { Peers, type Wanted } from './processes/peers.ts'
import { placeOf } from './processes/place.ts'
import { ServerClock } from './processes/serverClock.ts'
import { faultOfSharedFolder, takeSharedFolder } from './processes/sharedFolder.ts'
import { ForgetPeople } from './record/forget.ts'
import { clearRehearsal } from './rehearsal/rehearsal.ts'
import { lastRehearsed } from './rehearsal/store.ts'
import { readCountries } from './responses/countries.ts'
import { Fetches } from './responses/fetches.ts'
import { InboxReader } from './responses/inboxReader.ts'
import { publicApp } from './responses/publicAddress.ts'
import { noteAnswered } from './responses/store.ts'
import { forgetExamining, roundsToExamine } from './rounds/files.ts'
import { Secrets } from './secrets.ts'
import { isReachable, readSettings, roles, type Settings } from './settings.ts'
import { Compute, type Lanes } from './threads/compute.ts'
import { Works } from './threads/works.ts'

export { type Clock, Refusal, readSettings, Secrets, type Settings }

export interface ServerOptions {
  settings: Settings
  clock?: Clock
  /** The built web app, or null for the API alone. */
  webFolder?: string | null
  log?: Logger
  /** The computing threads. */
  lanes?: Lanes
}

/** What the desk's own answers bear besides: its pages run nothing but its own files, and what it tells is kept nowhere. */
const deskHeaders = {
  'cross-origin-opener-policy': 'same-origin',
  'content-security-policy':
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; frame-src 'self'; frame-ancestors 'self'; object-src 'none'; base-uri 'none'; form-action 'self'",
  'cache-control': 'no-store',
}

/** A running Hand Post. */
export interface HandPost {
  /** The desk's address. */
  address: string
  publicUrl: string
  /** What it is put together of; for tests. */
  parts: RouteParts & {
    dispatcher: Dispatcher
    inbox: InboxReader
    otherMail: OtherMailReader
    leases: Leases
    /** The name of its place, where others work with the same database. */
    place: string
    db: OpenDatabase
    compute: Compute
    log: Logger
  }
  /** What whoever starts it should know, in words. */
  warnings: string[]
  /** Fulfilled, with why, when Hand Post cannot go on: the thread of its database has ended. */
  broken: Promise<string>
  close(): Promise<void>
}

/** Starts Hand Post: database, desk, public address, dispatcher and inbox reader. */
export async function startHandPost({
  settings,
  clock: givenClock,
  webFolder = null,
  log = pino({ level: 'warn' }),
  lanes = threads,
}: ServerOptions): Promise<HandPost> {
  const folder = settings.HAND_POST_DATA
  const certificate = readCertificate(settings)
  const scheme = certificate ? 'https' : 'http'
  const does = new Set(settings.HAND_POST_ROLES ?? roles)
  const giveBack = takeFolder(folder)
  const servers: Server[] = []
  let db: OpenDatabase | null = null
  let serverClock: ServerClock | null = null
  try {
    db =
      settings.DATABASE_URL === undefined
        ? await openDatabase(join(folder, 'database'))
        : await openOnServer(settings.DATABASE_URL)
    const { shared } = db
    serverClock = shared && !givenClock ? new ServerClock(db) : null
    await serverClock?.start()
    const clock = givenClock ?? serverClock ?? systemClock
    // What all processes have together lies apart from what is this one's own.
    const common = settings.HAND_POST_SHARED ?? folder
    if (shared) await takeSharedFolder(db, common)
    // Before anything else: what waited in a copy that was put back is not sent without the writer's word.
    const restored = await afterRestore(db, folder, clock.now())
    if (isReachable(settings) && settings.HAND_POST_PASSWORD === undefined && !(await hasAccounts(db)))
      throw new Error(
        'Others reach this desk (HAND_POST_HOST, HAND_POST_PROXY or HAND_POST_DESK_URL lets them in), so signing in is needed: set HAND_POST_PASSWORD too. It is what you sign in by to set up accounts; after that it is not needed any more.',
      )
    const known = await mailboxRecords(db)
    const codes = await sealedCodes(db)
    const goOn = settings.HAND_POST_NEW_KEY === 'yes'
    const secrets = Secrets.open(
      common,
      [...known, ...codes].map(({ secret }) => secret),
      goOn,
    )
    if (goOn) {
      await giveUpSealed(db, known, secrets, settings)
      for (const { id, secret } of codes) if (!secrets.opens(secret)) await giveUpCode(db, id)
    }
    const filesFolder = join(common, 'files')
    const files = new FileStore(filesFolder)
    await files.tidy(shared)
    const readingsFolder = join(common, 'readings')
    await clearReadings(readingsFolder, shared)

    const events = new Events()
    const { publish, subscribe, lately } = events
    // The embedded database knows of one place only.
    const place = shared ? placeOf(folder) : ''
    const self = { id: `${place}/${randomUUID()}`, name: `${hostname()} ${process.pid}`, roles: [...does] }
    const leases = new Leases({ db, log, self, shared, ms: settings.HAND_POST_LEASE * 1000 })
    const peers = new Peers({ notices: db, shared, self: self.id, events, log })
    if (known.length === 0)
      await leases.alone('first mailbox', async () => {
        if ((await mailboxRecords(db!)).length > 0) return
        await insertMailbox(db!, practiceSettings(settings), secrets.lock(settings.HAND_POST_PRACTICE_PASSWORD), true)
      })
    const compute = new Compute(
      db,
      filesFolder,
      place,
      does.size === 1 && does.has('public') ? unhurried(lanes) : lanes,
    )
    const works = new Works({ db, publish, log })
    const examiner = new Examiner({ compute, publish, log })
    const keys = new MailboxKeys({ db, clock, secrets, publish, leases })
    const otherMail = new OtherMailReader({
      db,
      clock,
      keys,
      publish,
      log,
      leases,
      async sawAnswers(mailboxId, sent) {
        for (const id of await noteAnswered(db!, mailboxId, sent)) publish({ topic: 'responses', id })
      },
    })
    let address = ''
    const notices = new Notices({ db, clock, files, keys, publish, log, deskAddress: () => address })
    let publicUrl = ''
    const chasers = new Chasers({
      db,
      clock,
      compute,
      publicAddress: () => ({ url: publicUrl, signingKey: secrets.signingKey }),
      publish,
      log,
      readUpToNow: (mailboxId) => inbox.readUpToNow(mailboxId),
      held: (roundId) => notices.held(roundId),
    })
    const dispatcher = new Dispatcher({
      db,
      clock,
      compute,
      files,
      keys,
      publish,
      log,
      leases,
      peers,
      self: self.id,
      otherMail,
      notices,
      chasers,
    })
    // What has come, or what the writer says of it, decides who is chased.
    subscribe(({ topic }) => {
      if (topic === 'responses' || topic === 'everything') dispatcher.judgeSoon()
      // One that was added is worked at once.
      if (topic === 'mailboxes') void leases.look()
    })
    const inbox: InboxReader = new InboxReader({
      db,
      clock,
      files,
      keys,
      compute,
      publish,
      log,
      signingKey: secrets.signingKey,
      leases,
      cameBack: ({ roundId, id }) => dispatcher.brake(roundId, id),
    })
    const countries = settings.HAND_POST_COUNTRIES === 'yes' ? await readCountries() : null
    const fetches = new Fetches({ db, publish, log, countries, folder: join(folder, 'fetched'), place })
    await fetches.start()
    const forgetPeople = new ForgetPeople({ db, clock, compute, fetches, files, publish, log })

    let publicPort = 0
    if (does.has('public')) {
      const publicServer = serverFor(
        publicApp({
          db,
          clock,
          signingKey: secrets.signingKey,
          fetches,
          overTls: certificate !== null,
          proxy: settings.HAND_POST_PROXY,
          publish,
          setAside: (address) => setAsideFor(db!, sameAddressKey(address)),
        }),
        certificate,
      )
      servers.push(publicServer)
      publicPort = await listen(publicServer, settings.HAND_POST_PUBLIC_PORT, settings.HAND_POST_HOST)
    }
    publicUrl = (settings.HAND_POST_PUBLIC_URL ?? `${scheme}://127.0.0.1:${publicPort}`).replace(/\/$/, '')
    /** What is done for a mailbox that is worked here. */
    const work = async (id: number, wanted: Wanted): Promise<unknown> => {
      if (wanted.do === 'wake') return dispatcher.wake(id)
      if (wanted.do === 'touch') return dispatcher.touch(id, wanted.round)
      if (wanted.do === 'drop') return inbox.drop(id)
      if (wanted.do === 'readInbox') return inbox.read(id)
      if (wanted.do === 'readOthers') return inbox.readOthers(id, true)
      return otherMail.read(id, true)
    }
    /** Has it done by whoever works the mailbox; null where nobody does. */
    const wherever = async (id: number, wanted: Wanted): Promise<unknown> => {
      if (leases.mine(id)) return work(id, wanted)
      return (await leases.isWorked(id)) ? peers.ask(id, wanted) : null
    }

    const certificateWatch = new CertificateWatch(settings, certificate, servers)
    const readiness = new Readiness({
      db,
      shared,
      folders: [...new Set([folder, common])],
      faultOfFolder: () => (shared ? faultOfSharedFolder(db!, common) : Promise.resolve(null)),
      clock: serverClock,
      faultOfCertificate: () => certificateWatch.words(),
      lease: settings.HAND_POST_LEASE * 1000,
    })
    const overTls = certificate !== null || settings.HAND_POST_DESK_URL?.startsWith('https:') === true
    // Sessions go by the time that really passes, also where the desk's own is set.
    const now = serverClock === null ? () => Date.now() : serverClock.now
    const { HAND_POST_SIGN_IN_SERVICE: issuer } = settings
    const signIn = new SignIn({
      db,
      clock,
      password: settings.HAND_POST_PASSWORD,
      secrets,
      overTls,
      proxy: settings.HAND_POST_PROXY,
      service: issuer === undefined ? null : (settings.HAND_POST_SIGN_IN_NAME ?? new URL(issuer).host),
      publish,
      subscribe,
      now,
    })
    await signIn.start()
    const parts = {
      signIn,
      service:
        issuer === undefined
          ? null
          : new SignInService({
              db,
              settings: {
                issuer,
                clientId: settings.HAND_POST_SIGN_IN_CLIENT,
                secret: settings.HAND_POST_SIGN_IN_SECRET,
              },
              secrets,
              overTls,
              now,
            }),
      deskUrl: settings.HAND_POST_DESK_URL,
      db,
      clock,
      compute,
      works,
      examiner,
      files,
      secrets,
      keys,
      signIns: new SignIns(clock),
      resolver: settings.HAND_POST_RESOLVER,
      dispatcher,
      otherMail,
      inbox,
      reading: {
        inbox: async (id: number) => {
          const found = await wherever(id, { do: 'readInbox' })
          return typeof found === 'number' ? found : null
        },
        others: async (id: number) => void (await wherever(id, { do: 'readOthers' })),
        sent: async (id: number) => void (await wherever(id, { do: 'readSent' })),
        drop: (id: number) => (leases.mine(id) ? inbox.drop(id) : peers.want(id, { do: 'drop' })),
      },
      leases,
      place,
      readiness,
      metrics: new Metrics({
        db,
        now: () => clock.now(),
        readiness,
        load: () => compute.load(),
        lease: settings.HAND_POST_LEASE * 1000,
        token: settings.HAND_POST_METRICS,
      }),
      fetches,
      forgetPeople,
      countries,
      practicePort: settings.HAND_POST_PRACTICE_SMTP_PORT,
      readingsFolder,
      dataFolder: folder,
      publicAddress: { url: publicUrl, signingKey: secrets.signingKey },
      ready: settings.HAND_POST_BEING_FILLED !== 'yes',
      async refuse(address: string, reason: string) {
        const setAside = await refuseAddress(db!, address, reason, clock.now())
        for (const { id } of await mailboxRecords(db!)) await dispatcher.planAnew(id)
        return setAside
      },
      async clearRehearsal(roundId: number) {
        if (await lastRehearsed(db!, roundId))
          await clearRehearsal(parts, roundId).catch((error) => log.warn({ error }, 'rehearsal not cleared'))
      },
      publish,
      subscribe,
      lately,
      log,
    }
    const app = express()
    app.disable('x-powered-by')
    // One path, one spelling.
    app.enable('case sensitive routing')
    app.enable('strict routing')
    app.use(nameRequests(log))
    app.use(setHeaders({ ...guardHeaders, ...deskHeaders }, certificate !== null))
    app.use(guardOrigin(settings, certificate))
    const desk: Desk = {
      app,
      door: signIn,
      mustSee: (account, things) => mustSee(db!, account, things),
      noteChange: (kind, id, by) => noteChange(db!, kind, id, by, clock.now()),
    }
    registerRoutes(desk, parts, does.has('desk'))
    // Whatever means the API and is no call of it, however it is spelt.
    app.use(async (req, _res, next) => {
      if (!does.has('desk'))
        throw new Refusal(404, 'This process serves no desk (HAND_POST_ROLES): open the one that does.', 'No desk here')
      if (!meansApi(req.path)) return next()
      await signIn.require(req)
      throw new Refusal(404, 'The desk has no such call. /api/openapi.json lists them all.', 'No such call')
    })
    // The interface itself holds nothing of anybody's: it is what asks for the password.
    if (webFolder && existsSync(webFolder)) {
      app.use(
        express.static(webFolder, {
          index: false,
          dotfiles: 'ignore',
          setHeaders: (res) => res.set('cache-control', 'public, max-age=3600'),
        }),
      )
      app.get('/{*path}', (_req, res) => res.set('cache-control', 'no-store').sendFile(join(webFolder, 'index.html')))
    }
    app.use(() => {
      throw new Refusal(404, 'There is nothing at this address.', 'Not found')
    })
    app.use(problems(log))
    const deskServer = serverFor(app, certificate)
    servers.push(deskServer)
    const port = await listen(deskServer, settings.HAND_POST_PORT, settings.HAND_POST_HOST)
    address = `${scheme}://${settings.HAND_POST_HOST === '0.0.0.0' ? '127.0.0.1' : settings.HAND_POST_HOST}:${port}`

    peers.start({
      done: (id, wanted) => (leases.mine(id) ? work(id, wanted) : undefined),
      told: ({ round }) => dispatcher.letGoHere(round),
      missed() {
        dispatcher.letGoHere(null)
        void leases.look()
        void dispatcher.wakeAll().catch(() => {})
      },
    })
    await leases.takeOver(`${place}/`)
    await forgetAside(db)
    await leases.start({
      mailboxes: async () => (await mailboxRecords(db!)).map(({ id }) => id),
      async begin(id) {
        await dispatcher.begin(id)
        if (shared) void inbox.read(id)
      },
      async leave(id) {
        inbox.drop(id)
        await dispatcher.leave(id)
      },
    })
    dispatcher.start()
    if (does.has('mail')) {
      inbox.start()
      otherMail.start()
      forgetPeople.start()
      for (const id of await roundsToExamine(db)) void examiner.soon(id)
    }

    return {
      address,
      publicUrl,
      parts,
      warnings: [restored, clockWarning(serverClock)].filter((words) => words !== null),
      broken: db.ended,
      async close() {
        for (const server of servers) {
          server.close()
          server.closeAllConnections()
        }
        await dispatcher.close()
        await inbox.close()
        await otherMail.close()
        await forgetPeople.close()
        await fetches.close()
        await leases.close()
        await compute.close()
        await works.close()
        // What was being examined was broken off by us, not by what is in it.
        await forgetExamining(db!, place).catch(() => {})
        serverClock?.close()
        certificateWatch.close()
        signIn.stop()
        await db!.close()
        giveBack()
      },
    }
  } catch (error) {
    for (const server of servers) server.close()
    serverClock?.close()
    await db?.close()
    giveBack()
    throw error
  }
}

/** How long (ms) a file that was given to be read is there for it, where other processes may want it still. */
const readingKept = 24 * 60 * 60 * 1000

/** Takes away what was given to be read and is not wanted any more: all of it, where no other process can have been given it. */
async function clearReadings(folder: string, shared: boolean): Promise<void> {
  await mkdir(folder, { recursive: true })
  for (const name of await readdir(folder)) {
    const path = join(folder, name)
    const isOld = async () => Date.now() - (await stat(path)).mtimeMs > readingKept
    if (!shared || (await isOld().catch(() => false))) await rm(path, { recursive: true, force: true })
  }
}

/** Lanes of which no thread is begun before it is needed. */
const unhurried = (lanes: Lanes): Lanes => ({ ...lanes, fromTheStart: [] })

/** Says that this machine's clock is wrong, by that of the database. */
function clockWarning(clock: ServerClock | null): string | null {
  const wrong = clock?.wrongBy() ?? 0
  if (wrong === 0) return null
  return `This machine’s clock is ${times(Math.round(Math.abs(wrong) / 60_000), 'minute')} ${wrong > 0 ? 'ahead of' : 'behind'} that of the database. Hand Post goes by the database’s; put this one right all the same, for hosts and certificates go by it.`
}

/** The practice mailbox, which is there from the start. */
function practiceSettings(settings: Settings): Parameters<typeof insertMailbox>[1] {
  const host = (port: number) => ({ host: '127.0.0.1', port, security: 'none' as const, allowSelfSigned: false })
  const address = settings.HAND_POST_PRACTICE_ADDRESS
  return {
    name: 'Practice mailbox',
    address,
    senderName: 'Harbour Office',
    aliases: [],
    signature: '',
    user: address,
    smtp: host(settings.HAND_POST_PRACTICE_SMTP_PORT),
    imap: host(settings.HAND_POST_PRACTICE_IMAP_PORT),
    hours: { week: readyWeeks.anyTime, off: [], holidays: null },
    perDay: 500,
    dayZone: null,
    perHour: null,
    recipientsPerMinute: null,
    folders: [],
    junk: true,
    perMinute: 60,
    oauth: null,
    perMessage: null,
    tell: { done: false, held: false, doubt: false },
    gentleStart: { ...usualGentleStart, wanted: false },
    largestMessage: 25_000_000,
    secondEyes: false,
    hostFilesSent: false,
    timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC',
  }
}

/** With a new key, passwords that were sealed with another are lost: their mailboxes stop until they are typed again. */
async function giveUpSealed(db: Database, known: MailboxRecord[], secrets: Secrets, settings: Settings): Promise<void> {
  for (const { id, builtIn, settings: own, secret } of known) {
    if (secrets.opens(secret)) continue
    if (builtIn) await updateMailbox(db, id, own, secrets.lock(settings.HAND_POST_PRACTICE_PASSWORD))
    else
      await pauseMailbox(db, id, {
        until: null,
        stopped: true,
        reason: 'Its password was sealed with a key that is gone. Type it again in its settings.',
      })
  }
}

/** Ends the process, with words and an exit code, when Hand Post cannot go on. */
export function endWhenBroken({ broken }: Pick<HandPost, 'broken'>): void {
  void broken.then((why) => {
    // Nothing can be read or written any more; what was being sent is looked for at the next start.
    console.error(
      `Hand Post ends: its database has stopped (${why}). Letters that wait are kept and go on at the next start. Look whether the disk has room, then start it again.`,
    )
    process.exit(1)
  })
}
