import PostalMime, { type Attachment } from 'postal-mime'
import { endingOf, safeName } from '../enclosures/names.ts'
import { mailLimits, oneLine } from '../mailboxes/mail.ts'
import { returnedFiles as say } from './words.ts'

/** A file that came back with an answer. */
export interface BroughtFile {
  /** Safe as a file's name: no folders, nothing that deceives. */
  name: string
  /** Media type (IANA), as the mail has it, in small letters. */
  type: string
  content: Uint8Array
}

/** How many files of one message are kept. */
export const maxBrought = 100
/** Octets up to which a picture within the text is taken for an ornament: a logo under a signature. Common practice, no source. */
const ornament = 20_000

/** Parts of mail that are no file of anybody's: reports, signatures (RFC 3156, RFC 8551), calendar answers (RFC 5545), messages. */
const noFile =
  /^(?:message\/|multipart\/|text\/(?:calendar|rfc822-headers)$|application\/(?:ics|pgp-signature|pgp-encrypted|pkcs7-signature|x-pkcs7-signature|ms-tnef)$)/

type Part = Pick<Attachment, 'mimeType' | 'related' | 'disposition' | 'filename'>

/** Whether a part of an answer may be a file that came back, before its content is known. */
export const mayBeFile = ({ mimeType, filename }: Pick<Part, 'mimeType' | 'filename'>): boolean =>
  !noFile.test(mimeType.toLowerCase()) && !/\.(?:p7s|asc|sig|ics)$/i.test(filename ?? '')

/** Whether a part whose content is known is a file that came back: a small picture within the text is none. */
const isFile = (part: Part, size: number): boolean =>
  mayBeFile(part) &&
  !(part.related === true && /^image\//i.test(part.mimeType) && size <= ornament) &&
  !(size === 0 && !part.filename)

/** Endings for files that came without a name. */
const endings: Record<string, string> = {
  'application/pdf': '.pdf',
  'image/jpeg': '.jpg',
  'image/png': '.png',
  'image/gif': '.gif',
  'image/heic': '.heic',
  'text/plain': '.txt',
}

/** What a part is called: by the name that it came with, or by what it is. */
function nameOf({ filename, mimeType }: Part, n: number): string {
  const given = oneLine(filename ?? '')
  if (given !== '') return safeName(given)
  return `${say.unnamed} ${n}${endings[mimeType.toLowerCase()] ?? ''}`
}

/**
 * The files that an answer brings.
 * @param raw the whole message as received.
 * @returns the first {@link maxBrought} of them in their order, with how many more there were.
 * @throws when its parts stand too deep in one another, or its headers are too large.
 */
export async function broughtFiles(raw: Uint8Array): Promise<{ files: BroughtFile[]; more: number }> {
  const mail = await PostalMime.parse(raw, {
    forceRfc822Attachments: true,
    attachmentEncoding: 'arraybuffer',
    ...mailLimits,
  })
  const files = mail.attachments
    .map((part) => ({ part, content: new Uint8Array(part.content as ArrayBuffer) }))
    .filter(({ part, content }) => isFile(part, content.length))
  return {
    files: files.slice(0, maxBrought).map(({ part, content }, i) => ({
      name: nameOf(part, i + 1),
      type: part.mimeType.toLowerCase(),
      content,
    })),
    more: Math.max(0, files.length - maxBrought),
  }
}

/**
 * Names by which returned files are kept together, each once: by a pattern written for their person, with the file's own ending; several of
 * one person are numbered, and what is blank for somebody keeps its own name.
 * @param files each with what its person's pattern gives, null where a field of it is blank, and the name it came with.
 * @example keptNames([{ written: 'Penrose-B12', name: 'scan.PDF' }]) // ['Penrose-B12.pdf']
 */
export function keptNames(files: readonly { written: string | null; name: string }[]): string[] {
  const taken = new Set<string>()
  const wanted = files.map(({ written, name }) => {
    const ending = endingOf(name)
    if (written === null) return safeName(name)
    // An ending in the pattern that the file has anyway is not written twice.
    const bare = ending !== '' && written.toLowerCase().endsWith(ending) ? written.slice(0, -ending.length) : written
    return safeName(bare.replace(/[/\\]/g, '-')).slice(0, 200 - ending.length) + ending
  })
  return wanted.map((name) => {
    const ending = endingOf(name)
    const stem = name.slice(0, name.length - ending.length)
    let one = name
    // Names that differ in capitals only are one name on many systems.
    for (let n = 2; taken.has(one.toLowerCase()); n++) one = `${stem} (${n})${ending}`
    taken.add(one.toLowerCase())
    return one
  })
}
