import { base64Size, flowText } from '@hand-post/core'
import MailComposer from 'nodemailer/lib/mail-composer'
import type { FileStore } from '../files/fileStore.ts'
import type { Frozen } from './contents.ts'

type MimeNode = ReturnType<MailComposer['compile']>

/**
 * Says what the composer has no word for, or says otherwise than the standards have it: that the lines of the letter's own text are
 * flowed (RFC 3676), and what files are called, by RFC 2231 alone. The composer gives the name in Content-Type as an encoded-word
 * within quotation marks, which RFC 2047, section 5, forbids. A text file that is enclosed is left as it is: nobody knows its
 * characters but who wrote it.
 */
function correct(node: MimeNode): void {
  const type = String(node.getHeader('Content-Type'))
  const { filename } = node as { filename?: string }
  if (filename !== undefined) {
    const named = (value: string, parameter: string) => `${value}; ${parameter}="${filename.replace(/[\\"]/g, '\\$&')}"`
    node.setHeader('Content-Type', named(type, 'name'))
    node.setHeader(
      'Content-Disposition',
      named(String(node.getHeader('Content-Disposition') || 'attachment'), 'filename'),
    )
    Object.assign(node, { filename: undefined })
  } else if (/^text\/plain/.test(type)) node.setHeader('Content-Type', flowed)
  for (const child of node.childNodes) correct(child)
}
const flowed = 'text/plain; charset=utf-8; format=flowed'

/** Where the contents of files come from: the store, or, for a size, nothing at all. */
type ContentsOfFiles = Pick<FileStore, 'read'>

/**
 * The octets that a message has when it leaves, exactly: it is built without its enclosures, and these are added by the
 * arithmetic of base64 (RFC 4648, RFC 2045), so that no file is read.
 */
export async function exactSize(frozen: Frozen, files: FileStore): Promise<number> {
  const enclosures = new Set(frozen.contents.files.map((f) => f.hash))
  const pictures = new Set(frozen.contents.pictures.map((p) => p.hash))
  const bare = await composeRaw(frozen, 0, {
    read: (hash) => (enclosures.has(hash) && !pictures.has(hash) ? Promise.resolve(Buffer.alloc(0)) : files.read(hash)),
  })
  return frozen.contents.files
    .filter((f) => !pictures.has(f.hash))
    .reduce((sum, { size }) => sum + (size === 0 ? 0 : base64Size(size) - 2), bare.length)
}

/**
 * Builds the raw message (RFC 5322, RFC 2045 to 2047, RFC 2231). The same message and date always give the same bytes, so
 * that the copy in Sent is the message that was sent.
 * @param date when it leaves, ms since 1970.
 */
export async function composeRaw(
  { key, messageId, contents }: Frozen,
  date: number,
  files: ContentsOfFiles,
  headers: Record<string, string> = {},
): Promise<Buffer> {
  const { from, to, cc, replyTo, subject, html, text, receipt, optOut, thread } = contents
  const attachments = [
    ...(await Promise.all(
      contents.pictures.map(async ({ cid, hash, type }) => ({
        cid,
        content: await files.read(hash),
        contentType: type,
        contentDisposition: 'inline' as const,
        filename: `picture.${type.split('/')[1] ?? 'png'}`,
      })),
    )),
    ...(await Promise.all(
      contents.files.map(async ({ name, hash, type }) => ({
        filename: name,
        content: await files.read(hash),
        contentType: type,
      })),
    )),
  ]
  const node = new MailComposer({
    from,
    replyTo: replyTo ?? [],
    to: [to],
    // Bcc stands in the envelope only: a header would show it.
    cc,
    subject,
    html: html || undefined,
    text: flowText(text),
    date: new Date(date),
    messageId,
    attachments,
    ...thread,
    headers: {
      // RFC 2369, section 3.2, and RFC 8058, section 3.1.
      ...(optOut ? { 'List-Unsubscribe': `<${optOut}>`, 'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click' } : {}),
      ...(receipt ? { 'Disposition-Notification-To': `<${from.address}>` } : {}),
      ...headers,
    },
    baseBoundary: key,
    disableFileAccess: true,
    disableUrlAccess: true,
  } as ConstructorParameters<typeof MailComposer>[0]).compile()
  correct(node)
  const raw = await new Promise<Buffer>((resolve, reject) =>
    node.build((error: Error | null, built?: Buffer) => (error ? reject(error) : resolve(built!))),
  )
  // Mail has CRLF at every line's end and at its own (RFC 5321, section 2.3.8). The composer leaves bare LFs in plain
  // parts; the host's copy would differ from ours. Nothing else in a message is binary: files are in base64.
  const whole = raw.toString('latin1').replace(/\r?\n/g, '\r\n')
  return Buffer.from(whole.endsWith('\r\n') ? whole : `${whole}\r\n`, 'latin1')
}
