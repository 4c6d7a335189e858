import { mboxSeparator } from './mbox.ts'
import { firstLink, type MessageEntry, nextLink, type RecordEntry, type Seal, type Sha256, sealSchema } from './seal.ts'
import { check as say } from './words.ts'

/** Something that an archive holds. */
export interface ArchivePart {
  /** How it is called in words: its place in the zip, or its number in the .mbox file. */
  name: string
  /** A message, one of the enclosures, or something else, of which a record says nothing. */
  kind: 'message' | 'file' | 'answer' | 'other'
  bytes: Uint8Array
  /** In an .mbox file: the line before it. */
  separator?: string
}

/** What a check found. `faults`: what does not hold, in words, the first of each kind that are shown. */
export interface RecordCheck {
  round: string
  /** The end of the chain as the seal has it, which the PDF prints on its last page. */
  end: string
  madeAt: string | null
  entries: number
  /** Letters that the record says were sent, and those found as they were sent. Copies that differ are counted apart. */
  letters: { sent: number; found: number }
  copies: { sent: number; found: number }
  /** Letters that were sent and of which the record has no hash: nothing can be said of their bytes. */
  unhashed: number
  /** Enclosures that lie in the archive by themselves, and are those that were sent. */
  files: number
  /** What the record says nothing of: answers, and lists. */
  answers: number
  others: string[]
  pdf: 'same' | 'other' | 'notGiven'
  faults: string[]
  /** How many more faults there are than are listed. */
  moreFaults: number
  holds: boolean
}

/** A record or an archive that cannot be read, with what to do. */
export class RecordFault extends Error {}

/** Octets of a seal at most. */
export const largestSeal = 500_000_000
/** How many faults are listed in words. */
const maxListed = 200

/**
 * Reads a seal from its JSON.
 * @throws RecordFault when it is none; what is larger than {@link largestSeal} need not be given.
 */
export function readSeal(json: string): Seal {
  if (json.length > largestSeal) throw new RecordFault(say.sealTooLarge('500 MB'))
  let value: unknown
  try {
    value = JSON.parse(json.replace(/^\ufeff/, ''))
  } catch {
    throw new RecordFault(say.notJson)
  }
  const version = (value as { head?: { format?: unknown; version?: unknown } } | null)?.head
  if (version?.format === 'hand-post-record' && typeof version.version === 'number' && version.version > 1)
    throw new RecordFault(say.newer(version.version))
  const read = sealSchema.safeParse(value)
  if (read.success) return read.data
  const [issue] = read.error.issues
  throw new RecordFault(say.notARecord(issue.path.join('.'), issue.message))
}

/** What an entry of a record is, in words. */
const nameOf = (entry: RecordEntry) => (entry.kind === 'message' ? say.message(entry.person) : say.kinds[entry.kind])

/** Goes along the chain of a seal. Gives the first fault in words, or null. */
export function chainFault({ head, entries, end }: Seal, sha256: Sha256): string | null {
  if (head.entries !== entries.length) return say.wrongCount(entries.length, head.entries)
  let link = firstLink(head, sha256)
  for (const [i, { entry, hash }] of entries.entries()) {
    link = nextLink(link, entry, sha256)
    if (link !== hash) return say.brokenAt(i + 1, entries.length, nameOf(entry))
  }
  return link === end ? null : say.brokenEnd
}

const colon = 58
const isBlank = (octet: number) => octet === 32 || octet === 9

/**
 * The Message-ID that the head of a message bears (RFC 5322, section 3.6.4), unfolded; null where there is none. Octets are taken as
 * Latin-1, so that what is no ASCII is not taken for the same.
 */
export function messageIdIn(raw: Uint8Array): string | null {
  const wanted = 'message-id'
  let start = 0
  for (let end = raw.indexOf(10); end > start; end = raw.indexOf(10, start)) {
    // A line with nothing but its end closes the head.
    if (raw[start] === 13 && end === start + 1) return null
    const named = [...wanted].every((c, i) => String.fromCharCode(raw[start + i]).toLowerCase() === c)
    if (named && raw[start + wanted.length] === colon) {
      let till = end
      while (isBlank(raw[till + 1])) till = raw.indexOf(10, till + 1) < 0 ? raw.length : raw.indexOf(10, till + 1)
      let id = ''
      for (let i = start + wanted.length + 1; i < till && id.length < 1000; i++) {
        const octet = raw[i]
        if (octet !== 13 && octet !== 10 && !isBlank(octet)) id += String.fromCharCode(octet)
      }
      return id
    }
    start = end + 1
  }
  return null
}

/**
 * Checks a record against its seal and the archive of its messages: that the chain holds, that every letter that was sent is there as it
 * was sent, to the octet, and that nothing is there that was not.
 * @param archive what an archive holds, one part after another.
 * @param pdf of the PDF beside it, or null when it is not given.
 * @param onPart is told how many parts were looked at.
 */
export async function checkRecord(
  seal: Seal,
  archive: AsyncIterable<ArchivePart>,
  { sha256, pdf = null, onPart = () => {} }: { sha256: Sha256; pdf?: Uint8Array | null; onPart?: (n: number) => void },
): Promise<RecordCheck> {
  const faults: string[] = []
  let moreFaults = 0
  const fault = (words: string) => {
    if (faults.length < maxListed) faults.push(words)
    else moreFaults++
  }
  const chain = chainFault(seal, sha256)
  if (chain !== null) fault(chain)
  const isPdf = pdf === null ? 'notGiven' : sha256(pdf) === seal.pdf ? 'same' : 'other'
  if (isPdf === 'other') fault(say.pdf)

  interface Wanted {
    entry: MessageEntry
    /** As which it is to be found: the letter, and its copies where they are other octets. */
    letter: boolean
    copies: Map<string, boolean>
  }
  const wanted = new Map<string, Wanted>()
  const known = new Set<string>()
  const unhashed = new Set<string>()
  for (const { entry } of seal.entries) {
    if (entry.kind === 'version') for (const { sha256 } of entry.files) known.add(sha256)
    if (entry.kind !== 'message') continue
    for (const { sha256 } of entry.files) known.add(sha256)
    if (entry.state !== 'sent') continue
    if (entry.sha256 === null) {
      unhashed.add(entry.messageId)
      continue
    }
    const copies = entry.copies.flatMap((c) =>
      c.state === 'sent' && c.sha256 !== null && c.sha256 !== entry.sha256 ? [c.sha256] : [],
    )
    wanted.set(entry.messageId, { entry, letter: false, copies: new Map(copies.map((hash) => [hash, false])) })
  }

  let files = 0
  let answers = 0
  const others: string[] = []
  let parts = 0
  for await (const part of archive) {
    onPart(++parts)
    if (part.kind === 'answer') answers++
    else if (part.kind === 'other') others.push(part.name)
    else if (part.kind === 'file') {
      if (known.has(sha256(part.bytes))) files++
      else fault(say.file(part.name))
    } else {
      const id = messageIdIn(part.bytes)
      const one = id === null ? undefined : wanted.get(id)
      if (!one) {
        if (id === null || !unhashed.has(id)) fault(say.beyond(part.name))
        continue
      }
      const { entry } = one
      const hash = sha256(part.bytes)
      const isCopy = one.copies.has(hash)
      if (hash !== entry.sha256 && !isCopy) fault(say.changed(entry.person, part.name))
      else if (isCopy ? one.copies.get(hash) : one.letter) fault(say.twice(entry.person, part.name))
      else if (isCopy) one.copies.set(hash, true)
      else one.letter = true
      const { separator } = part
      if (separator !== undefined && separator !== mboxSeparator(entry.from.address, Date.parse(entry.at ?? '')))
        fault(say.separator(entry.person, part.name))
    }
  }
  const letters = { sent: wanted.size, found: 0 }
  const copies = { sent: 0, found: 0 }
  for (const { entry, letter, copies: each } of wanted.values()) {
    if (letter) letters.found++
    else fault(say.missing(entry.person, entry.to))
    for (const there of each.values()) {
      copies.sent++
      if (there) copies.found++
      else fault(say.missingCopy(entry.person))
    }
  }
  return {
    round: seal.head.round,
    end: seal.end,
    madeAt: seal.head.madeAt,
    entries: seal.entries.length,
    letters,
    copies,
    unhashed: unhashed.size,
    files,
    answers,
    others: others.slice(0, 50),
    pdf: isPdf,
    faults,
    moreFaults,
    holds: faults.length === 0,
  }
}
