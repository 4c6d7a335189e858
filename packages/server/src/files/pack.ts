import { createHash, randomBytes } from 'node:crypto'
import { once } from 'node:events'
import { createReadStream, createWriteStream } from 'node:fs'
import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { Readable, Transform } from 'node:stream'
import { finished, pipeline } from 'node:stream/promises'
import { safeName } from '@hand-post/core'
import type { Response } from 'express'
import { ZipFile } from 'yazl'
import { fileName } from '../http/handle.ts'
import type { FileStore } from './fileStore.ts'

/** Writes parts to a file, one behind another. */
export async function writeParts(path: string, parts: Iterable<Uint8Array> | AsyncIterable<Uint8Array>): Promise<void> {
  const out = createWriteStream(path)
  // A full disk must be heard of while the file is written, not only at its end.
  const failed = new Promise<never>((_, reject) => out.once('error', reject))
  failed.catch(() => {})
  for await (const part of parts) if (!out.write(part)) await Promise.race([once(out, 'drain'), failed])
  out.end()
  await Promise.race([finished(out), failed])
}

/**
 * Packs stored contents into a zip at a path, one after another, without pressing them: documents and pictures are pressed already.
 * @param onPacked is told how many are packed.
 */
export async function packFiles(
  path: string,
  entries: readonly { name: string; hash: string }[],
  files: FileStore,
  onPacked: (done: number) => void,
): Promise<void> {
  const packed = new Packed(path)
  for (const [i, { name, hash }] of entries.entries()) {
    await packed.add(name, await files.read(hash))
    onPacked(i + 1)
  }
  await packed.end()
}

/**
 * A zip that is written to a path as it is packed, one entry after another, not pressed where nothing else is said: what is large in it is
 * pressed already. It may have any size (APPNOTE 6.3, 4.3.14: Zip64).
 */
export class Packed {
  private readonly zip = new ZipFile()
  private readonly out
  private readonly failed: Promise<never>

  constructor(path: string) {
    this.out = createWriteStream(path)
    this.failed = new Promise<never>((_, reject) => {
      this.out.once('error', reject)
      this.zip.once('error', reject)
    })
    this.failed.catch(() => {})
    this.zip.outputStream.pipe(this.out)
  }

  /** @param at when it was made (ms since 1970), which the zip says of it. */
  async add(name: string, bytes: Buffer, at = Date.now()): Promise<void> {
    await this.stream(name, Readable.from(bytes.length === 0 ? [] : [bytes], { objectMode: false }), { at })
  }

  /** Adds a file as it lies on the disk. `press`: made smaller, where it is not already. Gives its SHA-256, and its octets. */
  async addFile(
    name: string,
    path: string,
    { at = Date.now(), press = false }: { at?: number; press?: boolean } = {},
  ): Promise<{ sha256: string; size: number }> {
    const sum = createHash('sha256')
    let size = 0
    const bytes = createReadStream(path)
    const counted = new Transform({
      transform(chunk: Buffer, _encoding, done) {
        sum.update(chunk)
        size += chunk.length
        done(null, chunk)
      },
    })
    bytes.on('error', (error) => counted.destroy(error))
    await this.stream(name, bytes.pipe(counted), { at, press })
    return { sha256: sum.digest('hex'), size }
  }

  /** Adds an entry, and waits until it was read: what is packed is in memory one at a time. */
  private async stream(
    name: string,
    bytes: Readable,
    { at, press = false }: { at: number; press?: boolean },
  ): Promise<void> {
    const read = finished(bytes)
    this.zip.addReadStream(bytes, name, { compress: press, mtime: new Date(at) })
    await Promise.race([read, this.failed])
    if (this.out.writableNeedDrain) await Promise.race([once(this.out, 'drain'), this.failed])
  }

  async end(): Promise<void> {
    this.zip.end()
    await Promise.race([finished(this.out), this.failed])
  }
}

/**
 * Hands over a zip that is made for this one answer, and leaves nothing of it behind.
 * @param folder where it lies meanwhile.
 * @param make writes it to a path, and gives what it is called.
 */
export async function giveZip(
  res: Response,
  folder: string,
  make: (path: string) => Promise<string>,
): Promise<undefined> {
  const path = join(folder, `zip-${randomBytes(8).toString('hex')}.zip`)
  try {
    const name = await make(path)
    res.set({ 'content-type': 'application/zip', ...fileName(safeName(name)) })
    await pipeline(createReadStream(path), res).catch(() => res.destroy())
  } finally {
    await rm(path, { force: true })
  }
  return undefined
}
