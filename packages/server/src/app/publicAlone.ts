import { randomUUID } from 'node:crypto'
import type { Server } from 'node:http'
import { join } from 'node:path'
import express from 'express'
import type { Logger } from 'pino'
import { type OpenDatabase, openAsPublic, takeFolder } from '../db/open.ts'
import { Events } from '../events.ts'
import type { Desk } from '../http/handle.ts'
import { CertificateWatch, guardHeaders, listen, readCertificate, serverFor, setHeaders } from '../http/listeners.ts'
import { problems } from '../http/problems.ts'
import { nameRequests } from '../http/requestId.ts'
import { Refusal } from '../problem.ts'
import { Peers } from '../processes/peers.ts'
import { placeOf } from '../processes/place.ts'
import { ServerClock } from '../processes/serverClock.ts'
import { readCountries } from '../responses/countries.ts'
import { Fetches } from '../responses/fetches.ts'
import { publicApp } from '../responses/publicAddress.ts'
import type { Settings } from '../settings.ts'
import { healthRoutes } from './deskRoutes.ts'
import { Readiness } from './readiness.ts'

/** The public address, running alone. */
export interface PublicAlone {
  /** Where it says how it is: /api/health and /api/ready, and nothing else. */
  address: string
  publicUrl: string
  warnings: string[]
  broken: Promise<string>
  close(): Promise<void>
}

/** A door that nobody comes through: there is no desk behind it. */
const noDoor: Desk['door'] = {
  facts: () => ({ asksPassword: false, accounts: false, service: null }),
  require: () => Promise.reject(new Refusal(404, 'This process serves the public address alone.', 'No desk here')),
}

/**
 * Starts the public address alone, near the internet: with a key that signs and opens nothing else, and as a user of the database who may do
 * nothing but what the public address does (migration 045). It has no other files than its own folder, and no way to a mailbox.
 */
export async function startPublicAlone(
  settings: Settings & { DATABASE_URL: string; HAND_POST_SIGNING_KEY: Buffer },
  log: Logger,
): Promise<PublicAlone> {
  const folder = settings.HAND_POST_DATA
  const certificate = readCertificate(settings)
  const giveBack = takeFolder(folder)
  const servers: Server[] = []
  let db: OpenDatabase | null = null
  let clock: ServerClock | null = null
  let fetches: Fetches | null = null
  const end = async () => {
    for (const server of servers) {
      server.close()
      server.closeAllConnections()
    }
    await fetches?.close()
    clock?.close()
    await db?.close()
    giveBack()
  }
  try {
    db = await openAsPublic(settings.DATABASE_URL)
    clock = new ServerClock(db)
    await clock.start()
    const events = new Events()
    const place = placeOf(folder)
    // What comes is told to the desks; what they tell each other is none of its business.
    new Peers({ notices: db, shared: true, self: `${place}/${randomUUID()}`, events, log })
    const countries = settings.HAND_POST_COUNTRIES === 'yes' ? await readCountries() : null
    fetches = new Fetches({ db, publish: events.publish, log, countries, folder: join(folder, 'fetched'), place })
    await fetches.start()
    const publicServer = serverFor(
      publicApp({
        db,
        clock,
        signingKey: settings.HAND_POST_SIGNING_KEY,
        fetches,
        overTls: certificate !== null,
        proxy: settings.HAND_POST_PROXY,
        publish: events.publish,
      }),
      certificate,
    )
    servers.push(publicServer)
    const scheme = certificate ? 'https' : 'http'
    const publicPort = await listen(publicServer, settings.HAND_POST_PUBLIC_PORT, settings.HAND_POST_HOST)
    const publicUrl = (settings.HAND_POST_PUBLIC_URL ?? `${scheme}://127.0.0.1:${publicPort}`).replace(/\/$/, '')

    const watch = new CertificateWatch(settings, certificate, servers)
    const readiness = new Readiness({
      db,
      shared: false,
      folders: [folder],
      faultOfFolder: () => Promise.resolve(null),
      clock,
      faultOfCertificate: () => watch.words(),
      lease: settings.HAND_POST_LEASE * 1000,
    })
    const app = express()
    app.disable('x-powered-by')
    app.use(nameRequests(log))
    app.use(setHeaders(guardHeaders, certificate !== null))
    const desk: Desk = { app, door: noDoor, mustSee: () => Promise.resolve(), noteChange: () => Promise.resolve() }
    healthRoutes(desk, { db, publicAddress: { url: publicUrl }, ready: true, readiness, metrics: null })
    app.use(() => {
      throw new Refusal(404, 'This process serves the public address alone.', 'No desk here')
    })
    app.use(problems(log))
    const own = serverFor(app, certificate)
    servers.push(own)
    const port = await listen(own, settings.HAND_POST_PORT, '127.0.0.1')
    return {
      address: `${scheme}://127.0.0.1:${port}`,
      publicUrl,
      warnings: [],
      broken: db.ended,
      close: () => {
        watch.close()
        return end()
      },
    }
  } catch (error) {
    await end()
    throw error
  }
}
