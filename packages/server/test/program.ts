import { type ChildProcess, spawn } from 'node:child_process'
import { join } from 'node:path'
import { Worker } from 'node:worker_threads'
import { sparingMemory } from '../../../scripts/memory.mjs'
import type { PracticeMailbox } from '../../practice/src/index.ts'
import { office } from './world.ts'

/** Hand Post as a program of its own: to be killed, or watched from outside. */
export interface Program {
  child: ChildProcess
  address: string
  publicUrl: string
  /** What it said on its error line until now. */
  said: () => string
}

/** The environment of a program on free ports in a folder, with its practice mailbox. */
export const programEnv = (folder: string, practice: PracticeMailbox): Record<string, string> => ({
  ...sparingMemory,
  // Not the one that somebody works with.
  DATABASE_URL: '',
  HAND_POST_DATA: join(folder, 'data'),
  HAND_POST_PORT: '0',
  HAND_POST_PUBLIC_PORT: '0',
  HAND_POST_PRACTICE_ADDRESS: office,
  HAND_POST_PRACTICE_SMTP_PORT: String(practice.smtpPort),
  HAND_POST_PRACTICE_IMAP_PORT: String(practice.imapPort),
})

/** Starts the program, and waits until it is ready. Rejects when it ends before. */
export function startProgram(env: Record<string, string>, file?: string): Promise<Program> {
  // As it is started for people, but where a test has a program of its own.
  const program = file
    ? ['--import', 'tsx', join(import.meta.dirname, file)]
    : [join(process.env.HAND_POST_BUILT!, 'main.mjs')]
  const child = spawn(process.execPath, program, {
    env: { ...process.env, ...env },
    stdio: ['ignore', 'inherit', 'pipe', 'ipc'],
  })
  let words = ''
  child.stderr!.on('data', (chunk) => {
    words += chunk
  })
  return new Promise((resolve, reject) => {
    child.once('exit', (code) => reject(new Error(`ended with ${code} before it was ready: ${words}`)))
    child.on('message', (m: { ready?: boolean; address: string; publicUrl: string }) => {
      if (m.ready) resolve({ child, address: m.address, publicUrl: m.publicUrl, said: () => words })
    })
  })
}

/** Ends a program by a signal, and waits until it has ended. Gives its exit code. */
export const endProgram = ({ child }: Program, signal: NodeJS.Signals = 'SIGKILL') =>
  new Promise<number | null>((resolve) => {
    if (child.exitCode !== null || child.signalCode !== null) return resolve(child.exitCode)
    child.once('exit', (code) => resolve(code))
    child.kill(signal)
  })

/**
 * Asks a program every few milliseconds whether it is there, and notes how long the longest answer took (ms), and the most memory
 * (octets) it had. From a thread of its own, which nothing in the test holds up; `late` is by how much (ms) the machine itself kept that
 * thread waiting. Ten seconds without an answer count as none: `failed` says what was the matter, or ''.
 */
export function watch(program: { address: string; child: { pid?: number } }) {
  const code = `
    const { parentPort, workerData: { address, pid } } = require('node:worker_threads')
    const { readFileSync } = require('node:fs')
    let slowest = 0, memory = 0, asked = 0, late = 0, failed = '', stop = false
    parentPort.on('message', () => { stop = true })
    ;(async () => {
      while (!stop) {
        const began = performance.now()
        try {
          const answer = await fetch(address + '/api/health', { signal: AbortSignal.timeout(10_000) })
          await answer.arrayBuffer()
          if (answer.status !== 200) failed ||= 'health: ' + answer.status
        } catch (error) { failed ||= String(error.cause ?? error) }
        slowest = Math.max(slowest, performance.now() - began)
        memory = Math.max(memory, 1024 * Number((/^VmRSS:\\s+(\\d+)/m.exec(readFileSync('/proc/' + pid + '/status', 'utf8')) ?? [])[1] ?? 0))
        asked++
        const slept = performance.now()
        await new Promise((next) => setTimeout(next, 10))
        late = Math.max(late, performance.now() - slept - 10)
      }
      parentPort.postMessage({ slowest, memory, asked, late, failed })
      process.exit()
    })()`
  const worker = new Worker(code, { eval: true, workerData: { address: program.address, pid: program.child.pid } })
  return () =>
    new Promise<{ slowest: number; memory: number; asked: number; late: number; failed: string }>((resolve, reject) => {
      worker.once('message', resolve)
      worker.once('error', reject)
      worker.postMessage('stop')
    })
}
