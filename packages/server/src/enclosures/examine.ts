import {
  type ContentFault,
  type FileFacts,
  htmlToText,
  macrosByName,
  runsByName,
  shown,
  sizeWords,
} from '@hand-post/core'
import { xmlFault } from '../files/xml.ts'
import { eachEntry, packStored, type UnpackLimits, unpack } from '../files/zip.ts'
import { decodeText } from '../people/text.ts'

/** How much of a file's words (characters) is kept: what tells whose it is stands early. */
const maxText = 200_000
/** Octets beyond which a file is not searched for words. */
const largestRead = 60_000_000
/** To what a packed file may unpack, and how much larger than itself. */
const largestUnpacked = 2_000_000_000
const largestRatio = 200

/** What is unpacked of a document for its words, and how long and deep its text may be. */
const unpacking: UnpackLimits = { largest: 150_000_000, ratio: largestRatio, always: 20_000_000, most: 5000 }
const textLimits = { tags: 1_000_000, depth: 300 }

/** Contents that run, by the endings that the reader of contents gives them. */
const programs = new Set([
  'exe',
  'elf',
  'macho',
  'msi',
  'dmg',
  'deb',
  'rpm',
  'lnk',
  'class',
  'apk',
  'jar',
  'cab',
  'crx',
  'wasm',
])

/**
 * Examines a content: what it is, what is wrong with it, and its words as far as they can be read (PDF, DOCX, XLSX, ODS, HTML, text).
 * Never throws for what is in it.
 */
export async function examine(bytes: Buffer): Promise<FileFacts> {
  if (bytes.length === 0) return facts(null)
  const kind = await kindOf(bytes)
  if (kind !== null && programs.has(kind)) return facts(kind, 'executable', `it is a program (${kind})`)
  if (bytes.subarray(0, 2).toString('latin1') === '#!') return facts(kind, 'executable', 'it is a script')
  if (kind === 'cfb') return examineCompound(bytes)
  const packed = bytes.subarray(0, 4).equals(zipMark)
  const fault = packed ? await zipFault(bytes) : null
  if (fault) return facts(kind, fault.fault, fault.detail)
  if (bytes.length > largestRead) return facts(kind)
  try {
    return facts(kind, null, '', await wordsOf(bytes, kind))
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error)
    if (/password|encrypt/i.test(`${why} ${(error as Error).name}`)) return facts(kind, 'locked')
    return facts(kind, 'broken', 'it is damaged or not whole')
  }
}

/** Keeps what was loaded: to ask for a module again takes nearly as long as reading a small file. */
function once<T>(load: () => Promise<T>): () => Promise<T> {
  let loaded: Promise<T> | undefined
  return () => {
    loaded ??= load()
    return loaded
  }
}
// Each reader is loaded when a file first wants it: they are large, and every computing thread would hold them.
const readers = {
  kinds: once(() => import('file-type')),
  pdf: once(() => import('./pdfWords.ts')),
  documents: once(() => import('mammoth')),
  workbooks: once(() => import('../people/workbook/workbook.ts')),
}

/** The ending that a content asks for. A PDF says so at once; the reader of contents would search all of it for kinds of PDF. */
async function kindOf(bytes: Buffer): Promise<string | null> {
  if (bytes.subarray(0, 5).toString('latin1') === '%PDF-') return 'pdf'
  const { fileTypeFromBuffer } = await readers.kinds()
  return (await fileTypeFromBuffer(bytes).catch(() => undefined))?.ext ?? null
}

const facts = (
  kind: string | null,
  fault: ContentFault | null = null,
  detail = '',
  text: string | null = null,
): FileFacts => ({
  kind,
  fault,
  detail,
  // PostgreSQL's texts hold no NUL.
  text: text === null || text.trim() === '' ? null : text.replace(/\0/g, ' ').slice(0, maxText),
})

const zipMark = Buffer.from([0x50, 0x4b, 3, 4])

/** Documents of the old kind (compound files): locked ones say so by the name of a stream, and so do macros. */
function examineCompound(bytes: Buffer): FileFacts {
  if (bytes.includes(Buffer.from('EncryptedPackage', 'utf16le'))) return facts('cfb', 'locked')
  if (bytes.includes(Buffer.from('_VBA_PROJECT', 'utf16le'))) return facts('cfb', 'macros')
  return facts('cfb')
}

/** What is wrong with what lies in a packed file, documents included. */
async function zipFault(bytes: Buffer): Promise<{ fault: ContentFault; detail: string } | null> {
  let unpacked = 0
  let found: { fault: ContentFault; detail: string } | null = null
  const say = (fault: ContentFault, detail: string) => {
    found ??= { fault, detail }
  }
  try {
    await eachEntry(bytes, ({ path, size, locked }) => {
      unpacked += size
      if (locked) say('locked', '')
      else if (/(^|\/)vbaProject\.bin$/i.test(path)) say('macros', '')
      else if (runsByName(path)) say('executable', `it holds “${path}”`)
      else if (macrosByName(path)) say('macros', `it holds “${path}”`)
    })
  } catch {
    return { fault: 'broken', detail: 'it is damaged or not whole' }
  }
  if (unpacked > largestUnpacked || unpacked > Math.max(100_000_000, bytes.length * largestRatio))
    return { fault: 'swells', detail: `${sizeWords(bytes.length)} become ${sizeWords(unpacked)}` }
  return found
}

async function wordsOf(bytes: Buffer, kind: string | null): Promise<string | null> {
  switch (kind) {
    case 'pdf':
      return (await readers.pdf()).pdfWords(bytes, maxText)
    case 'docx': {
      const parts = await unpack(bytes, unpacking, (path) => /\.(xml|rels)$/i.test(path))
      for (const [path, content] of parts)
        if (/\.xml$/i.test(path) && xmlFault(content.toString('latin1'), textLimits) !== null)
          throw new Error('too deep')
      const { default: mammoth } = await readers.documents()
      return (await mammoth.extractRawText({ buffer: packStored(parts) })).value
    }
    case 'xlsx':
    case 'ods': {
      const { sheets } = await (await readers.workbooks()).readWorkbook(bytes)
      return sheets
        .map(({ rows }) => Array.from(rows, (row) => row.map((cell) => shown(cell)).join('\t')).join('\n'))
        .join('\n')
    }
    case 'rtf':
      return bytes
        .toString('latin1')
        .replace(/\\'[0-9a-f]{2}/gi, ' ')
        .replace(/\\[a-z]+-?\d* ?/gi, ' ')
        .replace(/[{}]/g, ' ')
    case null:
    case 'xml': {
      const { text } = decodeText(bytes.subarray(0, 2_000_000))
      if (text.includes('\0')) return null
      return /<(html|body|p|div|table)[\s>]/i.test(text) ? htmlToText(text, maxText) : text
    }
    default:
      return null
  }
}
