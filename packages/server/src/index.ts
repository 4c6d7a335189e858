import { existsSync, mkdirSync, rmSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import type { DeskEvent } from '@hand-post/contract'
import express from 'express'
import pino, { type Logger } from 'pino'
import { type Clock, systemClock } from './clock.ts'
import { Compute } from './compute/compute.ts'
import type { Context } from './context.ts'
import { openDatabase, takeFolder } from './db/open.ts'
import { Dispatcher } from './dispatch/dispatcher.ts'
import { Examiner } from './enclosures/examiner.ts'
import { FileStore } from './enclosures/fileStore.ts'
import { bookHandlers } from './http/book.ts'
import { deskHandlers } from './http/desk.ts'
import { dispatchHandlers } from './http/dispatch.ts'
import { enclosureHandlers } from './http/enclosures.ts'
import { guardOrigin, guardSignIn } from './http/guard.ts'
import { letterHandlers } from './http/letters.ts'
import { mailboxHandlers } from './http/mailboxes.ts'
import { peopleHandlers } from './http/people.ts'
import { problems } from './http/problems.ts'
import { rehearsalHandlers } from './http/rehearsal.ts'
import { responseHandlers } from './http/responses.ts'
import { roundHandlers } from './http/rounds.ts'
import { insertMailbox, mailboxRecords } from './mailboxes/store.ts'
import { Refusal } from './problem.ts'
import { InboxReader } from './responses/inboxReader.ts'
import { publicAddress } from './responses/publicAddress.ts'
import { roundsToExamine } from './rounds/store.ts'
import { Secrets } from './secrets.ts'
import { readSettings, type Settings } from './settings.ts'

export { type Clock, Refusal, readSettings, type Settings }

export interface ServerOptions {
  settings: Settings
  clock?: Clock
  /** The built web app, or null for the API alone. */
  webFolder?: string | null
  log?: Logger
}

/** A running Hand Post. */
export interface HandPost {
  /** The desk's address. */
  address: string
  publicUrl: string
  context: Context
  close(): Promise<void>
}

const listen = (server: Server, port: number, host: string) =>
  new Promise<number>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(
        error.code === 'EADDRINUSE'
          ? new Error(
              `Port ${port} on ${host} is taken by another program. End that one, or choose another port by HAND_POST_PORT or HAND_POST_PUBLIC_PORT.`,
            )
          : error,
      ),
    )
    server.listen(port, host, () => resolve((server.address() as AddressInfo).port))
  })

/** Starts Hand Post: database, desk, public address, dispatcher and inbox reader. */
export async function startHandPost({
  settings,
  clock = systemClock,
  webFolder = null,
  log = pino({ level: 'warn' }),
}: ServerOptions): Promise<HandPost> {
  const folder = settings.HAND_POST_DATA
  const giveBack = takeFolder(folder)
  const servers: Server[] = []
  try {
    const secrets = Secrets.open(folder)
    const db = await openDatabase(join(folder, 'database'))
    const filesFolder = join(folder, 'files')
    const files = new FileStore(filesFolder)
    const readingsFolder = join(folder, 'readings')
    rmSync(readingsFolder, { recursive: true, force: true })
    mkdirSync(readingsFolder, { recursive: true })

    const hearers = new Set<(event: DeskEvent) => void>()
    const tell = (event: DeskEvent) => {
      for (const hear of hearers) hear(event)
    }
    const onEvent = (hear: (event: DeskEvent) => void) => {
      hearers.add(hear)
      return () => hearers.delete(hear)
    }
    if ((await mailboxRecords(db)).length === 0) await addPracticeMailbox()
    const compute = new Compute(db, filesFolder)
    const examiner = new Examiner({ compute, clock, tell, log })
    const dispatcher = new Dispatcher({ db, clock, files, secrets, tell, log })
    const inbox = new InboxReader({ db, clock, secrets, tell, log })

    const publicServer = createServer(publicAddress({ db, clock, signingKey: secrets.signingKey, tell }))
    servers.push(publicServer)
    const publicPort = await listen(publicServer, settings.HAND_POST_PUBLIC_PORT, settings.HAND_POST_HOST)
    const publicUrl = (settings.HAND_POST_PUBLIC_URL ?? `http://127.0.0.1:${publicPort}`).replace(/\/$/, '')

    const context: Context = {
      settings,
      db,
      clock,
      compute,
      examiner,
      files,
      secrets,
      dispatcher,
      inbox,
      readingsFolder,
      publicUrl,
      tell,
      onEvent,
      log,
    }
    const app = express()
    app.disable('x-powered-by')
    app.use((_req, res, next) => {
      res.set({
        'x-content-type-options': 'nosniff',
        'referrer-policy': 'no-referrer',
        'x-frame-options': 'SAMEORIGIN',
        'content-security-policy':
          "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; frame-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'",
      })
      next()
    })
    app.use(guardOrigin(settings))
    app.use(express.json({ limit: '12mb' }))
    app.use(guardSignIn(settings.HAND_POST_PASSWORD))
    for (const register of [
      deskHandlers,
      peopleHandlers,
      bookHandlers,
      roundHandlers,
      enclosureHandlers,
      rehearsalHandlers,
      letterHandlers,
      dispatchHandlers,
      responseHandlers,
      mailboxHandlers,
    ])
      register(app, context)
    app.use('/api', () => {
      throw new Refusal(404, 'The desk has no such call. /api/openapi.json lists them all.', 'No such call')
    })
    if (webFolder && existsSync(webFolder)) {
      app.use(express.static(webFolder, { index: false, maxAge: '1h' }))
      app.get('/{*path}', (_req, res) => res.set('cache-control', 'no-store').sendFile(join(webFolder, 'index.html')))
    }
    app.use(problems(log))
    const desk = createServer(app)
    servers.push(desk)
    const port = await listen(desk, settings.HAND_POST_PORT, settings.HAND_POST_HOST)

    await dispatcher.start()
    inbox.start()
    for (const id of await roundsToExamine(db)) void examiner.soon(id)

    return {
      address: `http://${settings.HAND_POST_HOST === '0.0.0.0' ? '127.0.0.1' : settings.HAND_POST_HOST}:${port}`,
      publicUrl,
      context,
      async close() {
        for (const server of servers) {
          server.close()
          server.closeAllConnections()
        }
        await dispatcher.close()
        await inbox.close()
        await compute.close()
        await db.close()
        giveBack()
      },
    }

    /** The practice mailbox is there from the start. */
    async function addPracticeMailbox(): Promise<void> {
      const host = (port: number) => ({ host: '127.0.0.1', port, security: 'none' as const, allowSelfSigned: false })
      const address = settings.HAND_POST_PRACTICE_ADDRESS
      await insertMailbox(
        db,
        {
          name: 'Practice mailbox',
          address,
          senderName: 'Harbour Office',
          aliases: [],
          signature: '',
          user: address,
          smtp: host(settings.HAND_POST_PRACTICE_SMTP_PORT),
          imap: host(settings.HAND_POST_PRACTICE_IMAP_PORT),
          perDay: 500,
          perMinute: 60,
          largestMessage: 25_000_000,
          hostFilesSent: false,
          timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC',
        },
        secrets.lock(settings.HAND_POST_PRACTICE_PASSWORD),
        true,
      )
    }
  } catch (error) {
    for (const server of servers) server.close()
    giveBack()
    throw error
  }
}
