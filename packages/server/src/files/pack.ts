import { randomBytes } from 'node:crypto'
import { once } from 'node:events'
import { createReadStream, createWriteStream } from 'node:fs'
import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { finished, pipeline } from 'node:stream/promises'
import { safeName } from '@hand-post/core'
import type { Response } from 'express'
import { Zip, ZipPassThrough } from 'fflate'
import { fileName } from '../http/handle.ts'
import type { FileStore } from './fileStore.ts'

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
  const out = createWriteStream(path)
  const zip = new Zip((error, chunk, last) => {
    if (error) out.destroy(error)
    else out.write(chunk)
    if (last) out.end()
  })
  for (const [i, { name, hash }] of entries.entries()) {
    const entry = new ZipPassThrough(name)
    zip.add(entry)
    entry.push(await files.read(hash), true)
    if (out.writableNeedDrain) await once(out, 'drain')
    onPacked(i + 1)
  }
  zip.end()
  await finished(out)
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
