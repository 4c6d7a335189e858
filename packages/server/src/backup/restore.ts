import { createHash } from 'node:crypto'
import { createWriteStream, existsSync, readdirSync } from 'node:fs'
import { mkdir, readFile, rename, rm, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { Transform } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { times } from '@hand-post/core'
import { eachEntry, type ZipEntry } from '../files/zip.ts'
import { isFolderPath, isPartPath, type Manifest, manifestName, manifestSchema, sealedKeyName } from './manifest.ts'
import { openKey } from './sealedKey.ts'

/** Octets of the list of parts at most. */
const largestManifest = 1_000_000_000

/** Why a copy is not put back, in words. */
class RestoreFault extends Error {}
const nothing = 'Nothing was changed.'

/** What a copy says of itself. */
async function manifestOf(file: string, entries: ReadonlyMap<string, ZipEntry>): Promise<Manifest> {
  const entry = entries.get(manifestName)
  if (!entry) throw new RestoreFault(`${file} is no copy made by Hand Post: it does not say what is in it. ${nothing}`)
  if (entry.size > largestManifest) throw new RestoreFault(`${file} is no copy made by Hand Post. ${nothing}`)
  const chunks: Buffer[] = []
  for await (const chunk of await entry.open()) chunks.push(chunk as Buffer)
  let value: unknown
  try {
    value = JSON.parse(Buffer.concat(chunks).toString())
  } catch {
    throw new RestoreFault(`${file} is damaged: what it says of itself cannot be read. ${nothing}`)
  }
  const { format, version } = (value ?? {}) as { format?: unknown; version?: unknown }
  if (format === 'hand-post-backup' && typeof version === 'number' && version > 1)
    throw new RestoreFault(
      `${file} was made by a newer Hand Post, which packs copies otherwise. Put it back with that one. ${nothing}`,
    )
  const read = manifestSchema.safeParse(value)
  if (!read.success) throw new RestoreFault(`${file} is no copy made by Hand Post, or was changed. ${nothing}`)
  return read.data
}

/**
 * Puts a copy back into a data folder that is not there yet, or empty: everything or nothing. Nothing of it is sent by that; at the next
 * start what waited is put to the writer.
 * @param passphrase by which the key in it was sealed, or null.
 * @param migrations that this Hand Post knows.
 * @returns what was put back.
 * @throws RestoreFault in words.
 */
export async function restore(
  file: string,
  folder: string,
  { passphrase, migrations }: { passphrase: string | null; migrations: readonly string[] },
): Promise<Manifest> {
  if (existsSync(folder) && readdirSync(folder).length > 0)
    throw new RestoreFault(
      `There is something in ${folder} already. A copy is put back into a folder of its own: choose an empty one by HAND_POST_DATA, or move that one away first. ${nothing}`,
    )
  const making = `${folder}.restoring`
  await rm(making, { recursive: true, force: true })
  try {
    const manifest = await unpackTo(file, making, migrations)
    if (manifest.key === 'sealed') {
      if (passphrase === null)
        throw new RestoreFault(
          `The key in ${file} is sealed by a passphrase. Give it as HAND_POST_PASSPHRASE. ${nothing}`,
        )
      const key = await openKey(await readFile(join(making, sealedKeyName)), passphrase)
      if (key === null)
        throw new RestoreFault(`That is not the passphrase by which the key in ${file} was sealed. ${nothing}`)
      await writeFile(join(making, 'key'), key, { mode: 0o600 })
      await rm(join(making, sealedKeyName))
    }
    await rm(folder, { recursive: true, force: true })
    await rename(making, folder)
    return manifest
  } catch (error) {
    await rm(making, { recursive: true, force: true })
    if (error instanceof RestoreFault) throw error
    const { code, message } = error as NodeJS.ErrnoException
    if (code === 'ENOSPC')
      throw new RestoreFault(`There is not room enough on the disk to put ${file} back. Make room on it. ${nothing}`)
    if (code === 'ENOENT') throw new RestoreFault(`There is no file ${file}. ${nothing}`)
    throw new RestoreFault(`${file} cannot be read: ${message}. ${nothing}`)
  }
}

async function unpackTo(file: string, folder: string, migrations: readonly string[]): Promise<Manifest> {
  const entries = new Map<string, ZipEntry>()
  let manifest: Manifest | null = null
  const parts = new Map<string, Manifest['parts'][number]>()
  const broken = (why: string) =>
    new RestoreFault(`${file} is damaged or not whole (${why}). Fetch it once more, or take another. ${nothing}`)
  try {
    await eachEntry(
      file,
      (entry) => void entries.set(entry.path, entry),
      async () => {
        manifest = await manifestOf(file, entries)
        const unknown = manifest.migrations.filter((name) => !migrations.includes(name))
        if (unknown.length > 0)
          throw new RestoreFault(
            `${file} was made by a newer Hand Post (it knows of ${unknown.join(', ')}, this one does not). Put it back with that one. ${nothing}`,
          )
        for (const part of manifest.parts) {
          if (!isPartPath(part.path)) throw broken(`“${part.path}” is no part of a copy`)
          parts.set(part.path, part)
        }
        for (const path of entries.keys())
          if (path !== manifestName && !parts.has(path)) throw broken(`“${path}” is not of it`)
        const missing = [...parts.keys()].filter((path) => !entries.has(path))
        if (missing.length > 0) throw broken(`${times(missing.length, 'part')} missing`)
        await mkdir(folder, { recursive: true, mode: 0o700 })
        for (const path of manifest.folders) {
          if (!isFolderPath(path)) throw broken(`“${path}” is no part of a copy`)
          await mkdir(join(folder, path), { recursive: true, mode: 0o700 })
        }
        for (const part of parts.values())
          await unpackOne(entries.get(part.path)!, part, join(folder, part.path), broken)
      },
    )
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    if (error instanceof RestoreFault || code === 'ENOSPC' || code === 'ENOENT') throw error
    throw broken(error instanceof Error ? error.message : String(error))
  }
  return manifest!
}

async function unpackOne(
  entry: ZipEntry,
  { path, size, sha256 }: Manifest['parts'][number],
  to: string,
  broken: (why: string) => RestoreFault,
): Promise<void> {
  await mkdir(dirname(to), { recursive: true, mode: 0o700 })
  const sum = createHash('sha256')
  let octets = 0
  const held = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      octets += chunk.length
      sum.update(chunk)
      done(octets > size ? broken(`“${path}” is larger than it was`) : null, chunk)
    },
  })
  await pipeline(await entry.open(), held, createWriteStream(to, { mode: 0o600 }))
  if (octets !== size || sum.digest('hex') !== sha256) throw broken(`“${path}” is not what was copied`)
}
