import { Readable } from 'node:stream'
import { escapeHtml, type Letter, picturesOf } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import type { FileStore } from '../files/fileStore.ts'
import { fileFacts, noteFile } from '../files/store.ts'
import type { Contents } from '../mailboxes/contents.ts'

/** The hash behind a picture of a letter, or null when it is none of the store's. */
export function pictureHash(src: string): string | null {
  return /^file:([0-9a-f]{64})$/.exec(src)?.[1] ?? null
}

/** The pictures of a letter as parts of a message. */
export async function pictureParts(
  db: Database,
  letter: Letter,
): Promise<{ parts: Contents['pictures']; address: (src: string) => string }> {
  const cids = new Map<string, string>()
  const parts: Contents['pictures'] = []
  for (const src of picturesOf(letter)) {
    const hash = pictureHash(src)
    const facts = hash ? await fileFacts(db, hash) : null
    if (!hash || !facts) continue
    const cid = `${hash.slice(0, 24)}@picture`
    cids.set(src, `cid:${cid}`)
    parts.push({ cid, hash, type: facts.type })
  }
  return { parts, address: (src) => cids.get(src) ?? '' }
}

/** A letter's HTML with its pictures found where `address` says. */
export const withPictures = (html: string, address: (src: string) => string): string =>
  html.replace(/src="(file:[0-9a-f]{64})"/g, (_, src) => `src="${escapeHtml(address(src))}"`)

/** Octets of one picture of a letter, and of a letter brought in. */
export const largestPicture = 10_000_000

/** Stores pictures that came within HTML as `data:` addresses, and lets the letter name them by their content. */
export async function keepPictures({ db, files }: { db: Database; files: FileStore }, letter: Letter): Promise<Letter> {
  const within = picturesOf(letter).filter((src) => src.startsWith('data:'))
  // Most letters have none, and some are long.
  if (within.length === 0) return letter
  let text = JSON.stringify(letter)
  for (const src of within) {
    const data = /^data:(image\/(?:png|jpeg|gif|webp));base64,([A-Za-z0-9+/=\s]+)$/.exec(src)
    if (!data) continue
    const { hash, size } = await files.keep(Readable.from([Buffer.from(data[2], 'base64')]), largestPicture)
    await noteFile(db, { hash, size, type: data[1] })
    text = text.replaceAll(JSON.stringify(src), JSON.stringify(`file:${hash}`))
  }
  return JSON.parse(text)
}
