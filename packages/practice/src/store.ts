import { access, mkdir, readdir, readFile, rename, rm, stat, utimes, writeFile } from 'node:fs/promises'
import { join } from 'node:path'

/** One message in a box. Its flags and its UID are in its file's name, its internal date is its file's. */
export interface Stored {
  uid: number
  flags: Set<string>
  internalDate: Date
  path: string
  size: number
  /** The header block, for searching; in memory because every search wants it. */
  head: string
}

/** A box of an account: RFC 3501's mailbox. */
export interface Box {
  name: string
  folder: string
  uidValidity: number
  uidNext: number
  messages: Stored[]
}

/** The boxes that every account has, with their use (RFC 6154). */
export const boxNames = { INBOX: '', Sent: '\\Sent', Drafts: '\\Drafts', Junk: '\\Junk', Replies: '' } as const
export type BoxName = keyof typeof boxNames

const flagLetters: Record<string, string> = {
  '\\Seen': 'S',
  '\\Answered': 'A',
  '\\Flagged': 'F',
  '\\Deleted': 'T',
  '\\Draft': 'D',
}
const letterFlags = Object.fromEntries(Object.entries(flagLetters).map(([flag, letter]) => [letter, flag]))
const fileName = (uid: number, flags: Set<string>) =>
  `${uid}_${[...flags]
    .map((f) => flagLetters[f] ?? '')
    .sort()
    .join('')}.eml`

/** The header block of a raw message, unfolded. */
export function headOf(raw: Buffer): string {
  const end = raw.indexOf('\r\n\r\n')
  const short = end >= 0 ? end : raw.indexOf('\n\n')
  return raw
    .subarray(0, short >= 0 ? short : raw.length)
    .toString('utf8')
    .replace(/\r?\n[ \t]+/g, ' ')
}

/** One header's value in a header block, or ''. */
export function headerOf(head: string, name: string): string {
  const wanted = `${name.toLowerCase()}:`
  for (const line of head.split(/\r?\n/))
    if (line.toLowerCase().startsWith(wanted)) return line.slice(wanted.length).trim()
  return ''
}

/** All mail of the practice host, kept in a folder: one folder for each address, one within it for each box, one file for each message. */
export class MailStore {
  private readonly boxes = new Map<string, Promise<Box>>()
  private readonly watchers = new Set<(address: string, box: Box) => void>()

  constructor(private readonly folder: string) {}

  /** Calls `watch` whenever a message arrives in a box; the returned function ends it. */
  onArrival(watch: (address: string, box: Box) => void): () => void {
    this.watchers.add(watch)
    return () => this.watchers.delete(watch)
  }

  /** Opens a box of an address, making it when it is not there yet. */
  box(address: string, name: BoxName): Promise<Box> {
    const folder = join(this.folder, encodeURIComponent(address.toLowerCase()), name)
    let box = this.boxes.get(folder)
    if (!box) {
      box = this.open(folder, name)
      this.boxes.set(folder, box)
    }
    return box
  }

  private async open(folder: string, name: string): Promise<Box> {
    await mkdir(folder, { recursive: true })
    const known = await readFile(join(folder, 'box.json'), 'utf8').then(JSON.parse, () => null)
    const box: Box = {
      name,
      folder,
      uidValidity: known?.uidValidity ?? Math.floor(Date.now() / 1000),
      uidNext: known?.uidNext ?? 1,
      messages: [],
    }
    for (const file of await readdir(folder)) {
      const parts = /^(\d+)_([A-Z]*)\.eml$/.exec(file)
      if (!parts) continue
      const path = join(folder, file)
      const [raw, facts] = await Promise.all([readFile(path), stat(path)])
      const flags = new Set([...parts[2]].map((letter) => letterFlags[letter]).filter(Boolean))
      box.messages.push({
        uid: Number(parts[1]),
        flags,
        internalDate: facts.mtime,
        path,
        size: raw.length,
        head: headOf(raw),
      })
    }
    box.messages.sort((a, b) => a.uid - b.uid)
    box.uidNext = Math.max(box.uidNext, (box.messages.at(-1)?.uid ?? 0) + 1)
    await this.keep(box)
    return box
  }

  private keep(box: Box): Promise<void> {
    return writeFile(
      join(box.folder, 'box.json'),
      JSON.stringify({ uidValidity: box.uidValidity, uidNext: box.uidNext }),
    )
  }

  /** Puts a message into a box: written under a temporary name first, so that a half-written one is never seen. */
  async add(address: string, name: BoxName, raw: Buffer, at: Date, flags: Iterable<string> = []): Promise<Stored> {
    const box = await this.box(address, name)
    const uid = box.uidNext++
    const kept = new Set([...flags].filter((f) => f in flagLetters))
    const path = join(box.folder, fileName(uid, kept))
    await writeFile(`${path}.part`, raw)
    await utimes(`${path}.part`, at, at)
    await rename(`${path}.part`, path)
    const stored: Stored = { uid, flags: kept, internalDate: at, path, size: raw.length, head: headOf(raw) }
    box.messages.push(stored)
    box.messages.sort((a, b) => a.uid - b.uid)
    await this.keep(box)
    for (const watch of this.watchers) watch(address.toLowerCase(), box)
    return stored
  }

  /** Every address that has a box. */
  async addresses(): Promise<string[]> {
    return (await readdir(this.folder).catch(() => [])).map(decodeURIComponent).sort()
  }

  /** Whether an address has a box. */
  has(address: string): Promise<boolean> {
    return access(join(this.folder, encodeURIComponent(address.toLowerCase()), 'INBOX')).then(
      () => address.includes('@'),
      () => false,
    )
  }

  /** Removes all boxes of an address with everything in them. */
  async forget(address: string): Promise<void> {
    const folder = join(this.folder, encodeURIComponent(address.toLowerCase()))
    for (const name of Object.keys(boxNames)) this.boxes.delete(join(folder, name))
    await rm(folder, { recursive: true, force: true })
  }

  /** The raw message. */
  read(message: Stored): Promise<Buffer> {
    return readFile(message.path)
  }

  /** Changes a message's flags. */
  async setFlags(box: Box, message: Stored, flags: Set<string>): Promise<void> {
    const path = join(box.folder, fileName(message.uid, flags))
    if (path !== message.path) await rename(message.path, path)
    message.path = path
    message.flags = flags
  }

  /** Removes a message from its box. */
  async remove(box: Box, message: Stored): Promise<void> {
    await rm(message.path)
    box.messages = box.messages.filter((m) => m !== message)
  }
}
