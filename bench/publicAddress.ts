import { fork } from 'node:child_process'
import { mkdtemp, rm } from 'node:fs/promises'
import { Agent, createServer, request } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import express from 'express'
import pino from 'pino'
import { openDatabase } from '../packages/server/src/db/open.ts'
import { Fetches } from '../packages/server/src/responses/fetches.ts'
import { publicApp } from '../packages/server/src/responses/publicAddress.ts'
import { signToken } from '../packages/server/src/secrets.ts'
import { print, sized } from './measure.ts'

// Pictures of letters that are fetched from the public address: the time of the processor that each takes Hand Post, with its token, its
// count, its journal and its database, against the bare framework that answers the same octets. Each serves from a process of its own.
const signingKey = Buffer.alloc(32, 7)
const picture = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64')

if (process.argv[2] !== undefined) await serve(process.argv[2])
else await measure()

async function serve(which: string): Promise<void> {
  const folder = await mkdtemp(join(tmpdir(), 'hand-post-bench-'))
  const log = pino({ level: 'silent' })
  const db = which === 'ours' ? await openDatabase(null) : null
  const fetches =
    db && new Fetches({ db, publish: () => {}, log, countries: null, folder: join(folder, 'fetched'), place: '' })
  await fetches?.start()
  const app = fetches
    ? publicApp({ db: db!, clock: { now: Date.now }, signingKey, fetches, overTls: false, publish: () => {} })
    : express().get('/p/:token', (_req, res) => void res.type('image/gif').send(picture))
  const server = createServer(app).listen(0, '127.0.0.1', () =>
    process.send!({ port: (server.address() as AddressInfo).port }),
  )
  let before = process.cpuUsage()
  process.on('message', async (wish) => {
    if (wish === 'begin') before = process.cpuUsage()
    if (wish === 'end') {
      await fetches?.flush()
      const { user, system } = process.cpuUsage(before)
      process.send!({ spent: user + system })
    }
    if (wish === 'leave') {
      await fetches?.close()
      await rm(folder, { recursive: true, force: true })
      process.exit(0)
    }
  })
}

async function measure(): Promise<void> {
  const n = sized(30_000)
  const begin = async (which: string) => {
    const child = fork(import.meta.filename, [which], { execArgv: [...process.execArgv, '--import', 'tsx'] })
    const said = <T>() => new Promise<T>((done) => child.once('message', (m) => done(m as T)))
    const { port } = await said<{ port: number }>()
    return { child, said, port }
  }
  const servers = { ours: await begin('ours'), bare: await begin('bare') }
  // Many clients, so that none is counted no more.
  const agents = Array.from(
    { length: 10 },
    (_, i) => new Agent({ keepAlive: true, maxSockets: 2, localAddress: `127.0.0.${i + 1}` }),
  )
  const tokens = Array.from({ length: 2000 }, (_, i) =>
    signToken(signingKey, { key: `k${String(i).padStart(21, '0')}`, what: 'picture' }),
  )
  const fetchOne = (port: number, i: number) =>
    new Promise<void>((done, fail) => {
      request(
        {
          port,
          host: '127.0.0.1',
          path: `/p/${tokens[i % tokens.length]}`,
          agent: agents[i % agents.length],
          headers: { 'user-agent': 'Gullmail/3.1 (X11; Linux x86_64)' },
        },
        (res) => res.resume().on('end', done),
      )
        .on('error', fail)
        .end()
    })
  /** Microseconds of the processor that each of some fetches takes a server. */
  const spent = async ({ child, said, port }: (typeof servers)['ours'], from: number, count: number) => {
    child.send('begin')
    let next = from
    const one = async () => {
      while (next < from + count) await fetchOne(port, next++)
    }
    await Promise.all(Array.from({ length: 20 }, one))
    const told = said<{ spent: number }>()
    child.send('end')
    return (await told).spent / count
  }
  const best = { ours: Number.POSITIVE_INFINITY, bare: Number.POSITIVE_INFINITY }
  for (let part = 0; part < 5; part++)
    for (const which of ['ours', 'bare'] as const)
      best[which] = Math.min(best[which], await spent(servers[which], part * (n / 5), n / 5))
  print({
    name: `A picture of a letter fetched from the public address, against the bare framework's answer; ours takes ${Math.floor(1_000_000 / best.ours)} a second on one core`,
    ours: best.ours,
    baseline: best.bare,
    unit: 'µs of the processor',
    asked: 'at most 1.3 times',
    kept: best.ours <= 1.3 * best.bare,
  })
  for (const { child } of Object.values(servers)) child.send('leave')
  for (const agent of agents) agent.destroy()
}
