import { type HtmlRead, readHtml, readPlainText } from '@hand-post/core'
import { xmlFault } from '../files/xml.ts'
import { packStored, type UnpackLimits, unpack, ZipFault } from '../files/zip.ts'
import { decodeText } from '../people/text.ts'
import { Refusal } from '../problem.ts'

/** What a document may unpack to, and how long and deep its text may be. */
const unpacking: UnpackLimits = { largest: 150_000_000, ratio: 200, always: 20_000_000, most: 5000 }
const longestText = 20_000_000
const textLimits = { tags: 500_000, depth: 200 }

const notALetter = (name: string, why: string) =>
  new Refusal(422, `“${name}” cannot be read as a letter: ${why} Nothing was changed.`, 'Not a letter')

/** Which of a document's formats mean what here; all others give their words. */
const styles = ['u => u', "p[style-name='Title'] => h1:fresh", "p[style-name='Subtitle'] => h2:fresh"]

/**
 * Reads a letter from a file: a .docx document (ECMA-376), HTML, or plain text. What it is, is told from its content.
 * @returns the body, what could not be kept in words, and the subject where the file has one (the title of HTML).
 * @throws Refusal in words when it is none of these, is locked or is damaged.
 */
export async function readLetterFile(bytes: Buffer, name: string): Promise<HtmlRead & { subject: string | null }> {
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
    return { body: readPlainText(text), removed: [], subject: null }
  const title = /<title[^<>]{0,500}>([^<]{0,2000})<\/title>/i.exec(text)?.[1].trim()
  return { ...readHtml(text), subject: title ? titleWords(title) : null }
}

/** A title as a subject: entities of HTML as the signs they are. */
function titleWords(title: string): string {
  const { body } = readHtml(title)
  const [first] = body.content
  if (first.type !== 'paragraph') return title
  return (first.content ?? [])
    .map((i) => (i.type === 'text' ? i.text : i.type === 'field' ? `{{${i.attrs.column}}}` : ' '))
    .join('')
}

async function readDocument(bytes: Buffer, name: string): Promise<HtmlRead & { subject: null }> {
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
  // Loaded when it is needed: most rounds never read a document, and it is large.
  const { default: mammoth } = await import('mammoth')
  const found = await mammoth
    .convertToHtml({ buffer: packStored(parts) }, { styleMap: styles })
    .catch((error: Error) => {
      throw notALetter(name, `the document is damaged or not whole (${error.message}). Open it and save it again.`)
    })
  const read = readHtml(found.value)
  const leftOut: [string, string][] = [
    ['vbaProject.bin', 'Left out: its macros. Nothing of them was run.'],
    ['word/comments.xml', 'Left out: its comments.'],
    ['word/header', 'Left out: what stands at the head of its pages.'],
    ['word/footer', 'Left out: what stands at the foot of its pages.'],
    ['word/footnotes.xml', 'Its footnotes stand at the end.'],
  ]
  const lost = leftOut.filter(([part]) => bytes.includes(part)).map(([, words]) => words)
  const told = found.messages
    .filter((m) => !/Unrecognised (paragraph|run|table) style/i.test(m.message))
    .map((m) => `Said by the reader: ${m.message}.`)
  return { body: read.body, removed: [...lost, ...read.removed, ...new Set(told)], subject: null }
}
