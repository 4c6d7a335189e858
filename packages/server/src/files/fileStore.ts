import { createHash, randomBytes } from 'node:crypto'
import { createReadStream, createWriteStream } from 'node:fs'
import { access, mkdir, open, readdir, readFile, rename, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'
import type { Readable } from 'node:stream'
import { sizeWords } from '@hand-post/core'
import { limited, receive } from './upload.ts'

/** How long (ms) a content that was brought is left alone, whatever is said of it. */
const broughtAgain = 60_000
const day = 24 * 60 * 60 * 1000

/** Files by the SHA-256 of their content, each content once, in a folder. */
export class FileStore {
  constructor(private readonly folder: string) {}

  /** Where a content lies. */
  path(hash: string): string {
    return join(this.folder, hash.slice(0, 2), hash)
  }

  /**
   * Stores a stream: written under a temporary name, synced, then renamed.
   * @throws Refusal when it is larger than `largest` octets, or the disk has no room; nothing is left behind then.
   */
  async keep(content: Readable, largest: number): Promise<{ hash: string; size: number }> {
    // It may fail before it is read from: what unpacks a zip fills its buffer at once.
    content.on('error', () => {})
    await mkdir(this.folder, { recursive: true })
    const temporary = join(this.folder, `incoming-${randomBytes(8).toString('hex')}`)
    const sum = createHash('sha256')
    let size = 0
    const within = limited(largest, `The file is larger than ${sizeWords(largest)}, the most that is taken here.`)
    within.on('data', (chunk: Buffer) => {
      size += chunk.length
      sum.update(chunk)
    })
    try {
      await receive(content, within, createWriteStream(temporary))
      const handle = await open(temporary, 'r+')
      await handle.sync()
      await handle.close()
      const hash = sum.digest('hex')
      await mkdir(join(this.folder, hash.slice(0, 2)), { recursive: true })
      await rename(temporary, this.path(hash))
      return { hash, size }
    } catch (error) {
      await rm(temporary, { force: true })
      throw error
    }
  }

  /**
   * Writes a stream to a place of its own for as long as it is wanted: for what is read once, and not kept.
   * @throws Refusal when it is larger than `largest` octets, or the disk has no room; nothing is left behind then.
   */
  async hold(content: Readable, largest: number): Promise<{ path: string; forget: () => Promise<void> }> {
    content.on('error', () => {})
    await mkdir(this.folder, { recursive: true })
    const path = join(this.folder, `incoming-${randomBytes(8).toString('hex')}`)
    const forget = () => rm(path, { force: true })
    try {
      const within = limited(largest, `It is larger than ${sizeWords(largest)}, the most that is taken here.`)
      await receive(content, within, createWriteStream(path))
      return { path, forget }
    } catch (error) {
      await forget()
      throw error
    }
  }

  /**
   * Takes away what was on its way when the program ended before.
   * @param shared other processes may have something on its way here: what nobody has written to for a day is nobody's any more.
   */
  async tidy(shared: boolean): Promise<void> {
    for (const name of await readdir(this.folder).catch(() => [])) {
      if (!name.startsWith('incoming-')) continue
      const path = join(this.folder, name)
      const isOld = async () => Date.now() - (await stat(path)).mtimeMs > day
      if (!shared || (await isOld().catch(() => false))) await rm(path, { force: true })
    }
  }

  /**
   * Takes a content off the disk that nothing needs any more. One that was brought again just now stays: it is put back where it was.
   * @returns whether it is gone.
   */
  async remove(hash: string): Promise<boolean> {
    const aside = join(this.folder, `incoming-${randomBytes(8).toString('hex')}`)
    const isFresh = async (path: string) => Date.now() - (await stat(path)).mtimeMs < broughtAgain
    try {
      if (await isFresh(this.path(hash))) return false
      await rename(this.path(hash), aside)
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'ENOENT') return true
      throw error
    }
    // It may have been brought in between.
    const fresh = await isFresh(aside)
    if (fresh) await rename(aside, this.path(hash))
    else await rm(aside)
    return !fresh
  }

  /** Whether a content is there. */
  has(hash: string): Promise<boolean> {
    return access(this.path(hash)).then(
      () => true,
      () => false,
    )
  }

  /** A content, checked against its hash: what goes out is what was proofed, or nothing goes. */
  async read(hash: string): Promise<Buffer> {
    const bytes = await readFile(this.path(hash))
    if (createHash('sha256').update(bytes).digest('hex') !== hash)
      throw new Error(`The stored file ${hash.slice(0, 12)}… was changed on the disk after it was added.`)
    return bytes
  }

  stream(hash: string): Readable {
    return createReadStream(this.path(hash))
  }
}
