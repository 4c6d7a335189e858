import { fork } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { mkdtemp, rm } from 'node:fs/promises'
import { request } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { type CallInput, call, type Route } from '@hand-post/contract'
import { buildServer } from '../scripts/buildServer.mjs'
import { sparingMemory } from '../scripts/memory.mjs'
import { shortLived } from '../scripts/shortLived.mjs'
import { beginWith } from './measure.ts'

// Node's own fetch waits five minutes for an answer, and no browser does: some of what is measured takes longer.
globalThis.fetch = (url, { method, headers, body } = {}) =>
  new Promise((resolve, reject) => {
    const asked = request(String(url), { method, headers: headers as Record<string, string> }, (answer) => {
      const parts: Buffer[] = []
      answer.on('data', (part: Buffer) => parts.push(part))
      answer.on('end', () => resolve(new Response(Buffer.concat(parts), { status: answer.statusCode })))
      answer.on('error', reject)
    })
    asked.on('error', reject)
    asked.end(body as string | Buffer | undefined)
  })

/** The running program, on a folder and ports of its own, for what is measured in it. `more`: of its environment. */
export async function startProgram(more: Record<string, string> = {}) {
  const root = join(import.meta.dirname, '..')
  const folder = await mkdtemp(join(tmpdir(), 'bench-'))
  beginWith(folder)
  const built = process.env.HAND_POST_BUILT ?? (await buildServer())
  const child = fork(join(built, 'main.mjs'), [], {
    cwd: root,
    execArgv: process.execArgv.filter((arg) => shortLived.includes(arg)),
    env: {
      ...sparingMemory,
      ...process.env,
      HAND_POST_BUILT: built,
      HAND_POST_DATA: folder,
      HAND_POST_PORT: '0',
      HAND_POST_PUBLIC_PORT: '0',
      HAND_POST_PRACTICE_SMTP_PORT: '1',
      HAND_POST_PRACTICE_IMAP_PORT: '1',
      ...more,
    },
    stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
  })
  const { address } = await new Promise<{ address: string }>((resolve) =>
    child.on('message', (m) => resolve(m as never)),
  )
  return {
    address,
    child,
    ask: <R extends Route>(route: R, input: CallInput<R> = {}) => call(address, route, input),
    /** What it takes of memory just now, in megabytes. */
    megabytes: () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${child.pid}/status`, 'utf8'))?.[1] ?? 0) / 1000,
    async end() {
      child.kill('SIGTERM')
      await new Promise((resolve) => child.on('exit', resolve))
      await rm(folder, { recursive: true, force: true })
    },
  }
}
