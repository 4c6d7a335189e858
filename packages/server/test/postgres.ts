import { type ChildProcess, execFileSync, spawn } from 'node:child_process'
import { chownSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import pg from 'pg'

// A PostgreSQL server that was not written here: as Debian has it, in a folder and on a loopback port of its own.

const versions = existsSync('/usr/lib/postgresql') ? readdirSync('/usr/lib/postgresql').sort((a, b) => +b - +a) : []
const programs = versions
  .map((version) => `/usr/lib/postgresql/${version}/bin`)
  .find((path) => existsSync(`${path}/initdb`))
/** Why there is no such server to try with; null where there is one. */
export const withoutServer: string | null =
  programs === undefined ? 'PostgreSQL is not installed (apt-get install postgresql)' : null

/** Root may not run it: then the user of its package does. */
const whoRuns = (): { uid?: number; gid?: number } => {
  if (process.getuid?.() !== 0) return {}
  const line = readFileSync('/etc/passwd', 'utf8')
    .split('\n')
    .find((one) => one.startsWith('postgres:'))
  if (!line) return {}
  const [, , uid, gid] = line.split(':').map(Number)
  return { uid, gid }
}

/** A port of this machine that is free just now. */
export const freePort = (): Promise<number> =>
  new Promise((done) => {
    const taken = createServer().listen(0, '127.0.0.1', () => {
      const { port } = taken.address() as { port: number }
      taken.close(() => done(port))
    })
  })

export class PostgresServer {
  private constructor(
    private readonly folder: string,
    readonly port: number,
    private server: ChildProcess,
  ) {}

  static async start(): Promise<PostgresServer> {
    const folder = mkdtempSync(join(tmpdir(), 'hand-post-pg-'))
    const who = whoRuns()
    if (who.uid !== undefined) chownSync(folder, who.uid, who.gid!)
    execFileSync(
      `${programs}/initdb`,
      ['-D', join(folder, 'data'), '-U', 'hand', '--auth=trust', '--encoding=UTF8', '--locale=C.UTF-8', '--no-sync'],
      { ...who, cwd: folder, stdio: 'pipe' },
    )
    const port = await freePort()
    const made = new PostgresServer(folder, port, PostgresServer.run(folder, port))
    await made.answers()
    return made
  }

  private static run = (folder: string, port: number) =>
    spawn(
      `${programs}/postgres`,
      [
        '-D',
        join(folder, 'data'),
        '-p',
        String(port),
        '-k',
        folder,
        '-c',
        'listen_addresses=127.0.0.1',
        '-c',
        'fsync=off',
      ],
      { ...whoRuns(), cwd: folder, stdio: 'ignore' },
    )

  /** The address of one of its databases. */
  url(database = 'postgres'): string {
    return `postgres://hand@127.0.0.1:${this.port}/${database}`
  }

  private async answers(): Promise<void> {
    for (let i = 0; ; i++)
      try {
        return void (await this.ask('SELECT 1'))
      } catch (error) {
        if (i > 100) throw error
        await sleep(100)
      }
  }

  /** Asks a database of it something, on a line of its own. */
  async ask<T = Record<string, unknown>>(sql: string, database?: string): Promise<T[]> {
    const client = new pg.Client({ connectionString: this.url(database) })
    await client.connect()
    try {
      return (await client.query(sql)).rows as T[]
    } finally {
      await client.end()
    }
  }

  /** Ends it as a power cut would. */
  async kill(): Promise<void> {
    const ended = new Promise((done) => this.server.once('exit', done))
    // All of its processes: each is a child of the first, which ends them when it is told to end at once.
    this.server.kill('SIGQUIT')
    await ended
  }

  /** Starts it again on the same folder and port. */
  async again(): Promise<void> {
    this.server = PostgresServer.run(this.folder, this.port)
    await this.answers()
  }

  async close(): Promise<void> {
    const ended = new Promise((done) => this.server.once('exit', done))
    this.server.kill('SIGINT')
    await ended
    rmSync(this.folder, { recursive: true, force: true })
  }
}

let made = 0
/** Makes a database of its own for a test, on the server at an address. Gives its address. */
export async function serverDatabase(server: string, template = 'template1'): Promise<string> {
  const name = `test_${process.pid}_${++made}`
  const client = new pg.Client({ connectionString: server })
  await client.connect()
  await client.query(`CREATE DATABASE ${name} TEMPLATE ${template}`)
  await client.end()
  const url = new URL(server)
  url.pathname = `/${name}`
  return url.href
}
