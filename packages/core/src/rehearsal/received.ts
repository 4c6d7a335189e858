import PostalMime, { type Address } from 'postal-mime'
import { mailLimits } from '../mailboxes/mail.ts'

/** A file or picture within a message. */
export interface ReceivedPart {
  name: string
  /** Its media type, as the message says. */
  type: string
  content: Uint8Array
  /** A picture that the html shows at its place, by this name (RFC 2392), without angle brackets; null for a file. */
  cid: string | null
}

/** A message as its reader's mail program has it. */
export interface ReceivedMessage {
  from: string
  to: string
  cc: string[]
  replyTo: string[]
  subject: string
  html: string
  text: string
  /** All parts besides the texts, in their order. */
  parts: ReceivedPart[]
}

const nameOf = ({ name, address, group }: Address): string =>
  group ? `${name}: ${group.map(nameOf).join(', ')}` : name ? `${name} <${address}>` : (address ?? '')

/**
 * Reads a raw message (RFC 5322, RFC 2045 to 2047) as a mail program does: from its octets alone.
 * @returns its headers in words, both texts ('' where it has none), and its files and pictures with their contents.
 */
export async function readReceived(raw: Uint8Array): Promise<ReceivedMessage> {
  const mail = await PostalMime.parse(raw, {
    forceRfc822Attachments: true,
    attachmentEncoding: 'arraybuffer',
    ...mailLimits,
  })
  return {
    from: mail.from ? nameOf(mail.from) : '',
    to: (mail.to ?? []).map(nameOf).join(', '),
    cc: (mail.cc ?? []).map(nameOf),
    replyTo: (mail.replyTo ?? []).map(nameOf),
    subject: mail.subject ?? '',
    html: mail.html ?? '',
    text: mail.text ?? '',
    parts: mail.attachments.map(({ filename, mimeType, content, contentId, related }) => ({
      name: filename ?? 'file',
      type: mimeType,
      content: new Uint8Array(content as ArrayBuffer),
      cid: related && contentId ? contentId.replace(/^<|>$/g, '') : null,
    })),
  }
}
