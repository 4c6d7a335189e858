import { type HtmlRead, readHtml, readPlainText } from '@hand-post/core'
import { markedHtml, readableDocument } from '../files/documentXml.ts'
import { XmlFault } from '../files/sax.ts'
import { xmlFault } from '../files/xml.ts'
import { packStored, type UnpackLimits, unpack, ZipFault } from '../files/zip.ts'
import { decodeText } from '../people/text.ts'
import { Refusal } from '../problem.ts'
import { drawDocument, hasOwnFonts, largestPicture } from './asItWas.ts'

/** What a document may unpack to, and how long and deep its text may be. */
const unpacking: UnpackLimits = { largest: 150_000_000, ratio: 200, always: 20_000_000, most: 5000 }
const longestText = 20_000_000
const textLimits = { tags: 500_000, depth: 200 }

const notALetter = (name: string, why: string) =>
  new Refusal(422, `“${name}” cannot be read as a letter: ${why} Nothing was changed.`, 'Not a letter')

/** Which of a document's formats mean what here; all others give their words. */
const styles = [
  'u => u',
  'highlight => mark',
  "p[style-name='Title'] => h1:fresh",
  "p[style-name='Subtitle'] => h2:fresh",
]

/** A letter that was read from a file. */
export interface LetterRead extends HtmlRead {
  /** The title of HTML, where the file has one. */
  subject: string | null
  /** How the file looked, as HTML to be looked at in a frame that runs and fetches nothing; null where that is no more than its words. */
  asItWas: string | null
}

/** What HTML loses without a word of it: looks that go by a style sheet, or that letters do not have. */
const lostLooks: [RegExp, string][] = [
  [/<style[\s>]/i, 'Left out: the looks that its style sheet gives, such as colours and distances.'],
  [
    /font-(?:family|size)\s*:|<font\s[^<>]{0,500}(?:face|size)=/i,
    'Left out: its fonts and sizes. A letter has one font.',
  ],
  [
    /<t(?:able|r|d|h)\s[^<>]{0,2000}(?:bgcolor=|background)/i,
    'Left out: the background colours of tables and their cells.',
  ],
]

/**
 * Reads a letter from a file: a .docx document (ECMA-376), HTML, or plain text. What it is, is told from its content.
 * @returns the body, what could not be kept in words, and how the file looked.
 * @throws Refusal in words when it is none of these, is locked or is damaged.
 */
export async function readLetterFile(bytes: Buffer, name: string): Promise<LetterRead> {
  if (bytes.length === 0) throw notALetter(name, 'it is empty. Save it again and choose the new file.')
  if (bytes.subarray(0, 4).equals(Buffer.from([0xd0, 0xcf, 0x11, 0xe0])))
    throw notALetter(
      name,
      bytes.includes(Buffer.from('EncryptedPackage', 'utf16le'))
        ? 'it is locked with a password. Open it, take the password off, save it and choose it again.'
        : 'it is in an old format. Open it and save it as .docx.',
    )
  if (bytes.subarray(0, 2).toString('latin1') === 'PK') return readDocument(bytes, name)
  const { text } = decodeText(bytes)
  if (text.includes('\0'))
    throw notALetter(name, 'it is neither a document nor text. Choose a .docx, .html or .txt file.')
  if (!/<(html|body|p|div|table|h[1-6]|br)[\s>/]/i.test(text))
    return { body: readPlainText(text), removed: [], subject: null, asItWas: null }
  const title = /<title[^<>]{0,500}>([^<]{0,2000})<\/title>/i.exec(text)?.[1].trim()
  const { body, removed } = readHtml(text)
  const looks = lostLooks.filter(([sign]) => sign.test(text)).map(([, words]) => words)
  return {
    body,
    removed: [...removed, ...looks],
    subject: title ? titleWords(title) : null,
    asItWas: text.length > largestPicture ? null : text,
  }
}

/** A title as a subject: entities of HTML as the characters they are. */
function titleWords(title: string): string {
  const { body } = readHtml(title)
  const [first] = body.content
  if (first.type !== 'paragraph') return title
  return (first.content ?? [])
    .map((i) => (i.type === 'text' ? i.text : i.type === 'field' ? `{{${i.attrs.column}}}` : ' '))
    .join('')
}

async function readDocument(bytes: Buffer, name: string): Promise<LetterRead> {
  const parts = await unpack(bytes, unpacking, (path) => !/\.bin$/i.test(path)).catch((error) => {
    if (!(error instanceof ZipFault)) throw error
    throw notALetter(
      name,
      bytes.includes('word/document.xml')
        ? `${error.message}. Open it and save it again.`
        : 'it is a packed file, but not a document. Choose a .docx, .html or .txt file.',
    )
  })
  if (!parts.has('word/document.xml'))
    throw notALetter(name, 'it is a packed file, but not a document. Choose a .docx, .html or .txt file.')
  for (const [path, content] of parts) {
    if (!/\.xml$/i.test(path)) continue
    const fault =
      content.length > longestText ? 'it is longer than any letter.' : xmlFault(content.toString('latin1'), textLimits)
    if (fault !== null) throw notALetter(name, `${fault} Open it, save it again, and choose the new file.`)
  }
  const { content, said } = readableText(parts.get('word/document.xml')!, parts.get('word/styles.xml'), name)
  parts.set('word/document.xml', content)
  // Loaded when it is needed: most rounds never read a document, and it is large.
  const { default: mammoth } = await import('mammoth')
  let document: Parameters<typeof drawDocument>[0] = { type: 'document' }
  const transformDocument = (read: typeof document) => {
    document = read
    return read
  }
  const found = await mammoth
    .convertToHtml({ buffer: packStored(parts) }, { styleMap: styles, transformDocument })
    .catch(() => {
      throw notALetter(name, 'the document is damaged or not whole. Open it and save it again.')
    })
  // Signs that lead from a note back to its place say nothing here, and the place itself needs no raised figure.
  const html = markedHtml(found.value)
    .replace(/<a href="#(?:foot|end)note-ref-[^"<>]{0,100}">[^<>]{0,5}<\/a>/g, '')
    .replace(/<sup>(<a href="#(?:foot|end)note-[^<>]{0,200}>[^<>]{0,20}<\/a>)<\/sup>/g, '$1')
  const read = readHtml(html)
  const drawn = await drawDocument(document)
  const leftOut: [string, string][] = [
    ['vbaProject.bin', 'Left out: its macros. Nothing of them was run.'],
    ['word/comments.xml', 'Left out: its comments.'],
    ['word/header', 'Left out: what stands at the head of its pages.'],
    ['word/footer', 'Left out: what stands at the foot of its pages.'],
    ['word/footnotes.xml', 'Its footnotes stand at the end.'],
  ]
  const lost = leftOut.filter(([part]) => bytes.includes(part)).map(([, words]) => words)
  return {
    body: read.body,
    removed: [
      ...lost,
      ...said,
      ...read.removed,
      ...(hasOwnFonts(document) ? ['Left out: its fonts and sizes. A letter has one font.'] : []),
      ...messagesInWords(found.messages),
    ],
    subject: null,
    asItWas: drawn === null ? null : markedHtml(drawn),
  }
}

/** The text of a document made ready for its reader, and what is to be said of it. */
function readableText(content: Buffer, styles: Buffer | undefined, name: string) {
  try {
    return readableDocument(content, styles)
  } catch (error) {
    if (!(error instanceof XmlFault)) throw error
    throw notALetter(name, `the document is damaged or not whole (${error.message}). Open it and save it again.`)
  }
}

/** What the reader of documents says, for people: it speaks of parts by the names that they have in the file. */
function messagesInWords(messages: { message: string }[]): string[] {
  const said = new Set<string>()
  for (const { message } of messages) {
    if (/Unrecognised (paragraph|run|table) style/i.test(message)) continue
    const kind = /^Image of type (image\/[\w.+-]{1,40})/.exec(message)?.[1]
    if (kind) said.add(`A picture is of a kind that inboxes do not show (${kind}). Put it in as PNG or JPEG.`)
    else if (/unrecognised element/i.test(message))
      said.add(
        /: (?:v|o|w10|wps|wpg|wpc|mc):/.test(message)
          ? 'Left out: drawn shapes. Look whether words stood in them.'
          : 'Left out: parts of the document that are no words, pictures or tables. Compare it with the letter here.',
      )
    else said.add('Something in the document could not be read. Compare it with the letter here.')
  }
  return [...said]
}
