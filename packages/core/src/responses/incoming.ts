import PostalMime, { type Email } from 'postal-mime'
import { statusInWords } from '../dispatch/smtpAnswer.ts'

/** What a piece of incoming mail is, by the standards it follows. */
export type IncomingKind = 'reply' | 'automatic' | 'bounce' | 'delayed' | 'delivered' | 'receipt'

/** Incoming mail as far as matching and reading an answer need it. */
export interface Incoming {
  kind: IncomingKind
  /** Message-IDs (with their angle brackets) that it says it answers, nearest first. */
  answers: string[]
  from: { name: string; address: string }
  subject: string
  /** ISO 8601, or null when its Date is missing or unreadable. */
  date: string | null
  messageId: string | null
  /** The whole plain text. */
  text: string
  /** The plain text without what it quotes of the letter. */
  newText: string
  /** The report of a bounce, delay or delivery (RFC 3464), one entry for each recipient. */
  report: { recipient: string; action: string; status: string; words: string }[]
  /** What a read receipt says was done with the message (RFC 8098, disposition-type). */
  disposition: string | null
}

/**
 * Reads groups of header-like fields as RFC 3464 section 2.1 and RFC 8098 section 3.1 lay them out: groups parted by
 * blank lines, lines folded by leading white space. Names in lower case.
 */
export function reportFields(text: string): Record<string, string>[] {
  return text
    .replace(/\r\n?/g, '\n')
    .replace(/\n[ \t]+/g, ' ')
    .split(/\n\s*\n/)
    .map((group) => {
      const fields: Record<string, string> = {}
      for (const line of group.split('\n')) {
        const colon = line.indexOf(':')
        if (colon > 0) fields[line.slice(0, colon).trim().toLowerCase()] = line.slice(colon + 1).trim()
      }
      return fields
    })
    .filter((fields) => Object.keys(fields).length > 0)
}

/** The value behind the type of a typed field: "rfc822;a@b.example" → "a@b.example". */
const afterType = (value: string | undefined) => (value ?? '').replace(/^[^;]*;\s*/, '').trim()

const messageIds = (value: string | undefined) => value?.match(/<[^<>\s]+>/g) ?? []

const header = (mail: Email, name: string) => mail.headers.find((h) => h.key === name)?.value

/** Whether mail was sent by a machine on its own (RFC 3834, section 5, and the common older headers). */
function isAutomatic(mail: Email): boolean {
  const submitted = header(mail, 'auto-submitted')
  if (submitted && !/^no\b/i.test(submitted.trim())) return true
  return (
    header(mail, 'x-autoreply') !== undefined ||
    header(mail, 'x-autorespond') !== undefined ||
    /^(auto_reply|bulk|junk|list)$/i.test(header(mail, 'precedence')?.trim() ?? '') ||
    /^(automatic reply|out of (the )?office|auto:)/i.test(mail.subject ?? '')
  )
}

/** The text an answer adds: without quoted lines, the line that announces them, and what follows a signature mark. */
export function withoutQuotes(text: string): string {
  const lines = text.replace(/\r\n?/g, '\n').split('\n')
  const announced = lines.findIndex(
    (line, i) =>
      (/^\s*(On|Am|Le|El|Op)\b.*:\s*$/.test(line) && lines.slice(i + 1, i + 4).some((l) => l.startsWith('>'))) ||
      /^-{2,}\s*(Original Message|Forwarded message)\s*-{2,}$/i.test(line.trim()),
  )
  const kept = (announced >= 0 ? lines.slice(0, announced) : lines).filter((line) => !/^\s*>/.test(line))
  const signature = kept.indexOf('-- ')
  return (signature >= 0 ? kept.slice(0, signature) : kept).join('\n').trim()
}

const htmlToText = (html: string) =>
  html
    .replace(/<(style|script)[\s\S]*?<\/\1>/gi, '')
    .replace(/<blockquote[\s\S]*<\/blockquote>/gi, '')
    .replace(/<br\s*\/?>|<\/(p|div|li|tr|h\d)>/gi, '\n')
    .replace(/<[^>]*>/g, '')
    .replace(/&nbsp;/g, ' ')
    .replace(/&lt;/g, '<')
    .replace(/&gt;/g, '>')
    .replace(/&quot;/g, '"')
    .replace(/&#39;/g, "'")
    .replace(/&amp;/g, '&')

/**
 * Reads one piece of incoming mail.
 * Reports are known by their parts (message/delivery-status, message/disposition-notification), as RFC 6522 has it, and
 * what they are about is taken from the report and from the returned message; everything else by its headers.
 * @param raw the message as received.
 */
export async function readIncoming(raw: string | Uint8Array): Promise<Incoming> {
  const mail = await PostalMime.parse(raw, { forceRfc822Attachments: true, attachmentEncoding: 'utf8' })
  const part = (type: string) => {
    const found = mail.attachments.find((a) => a.mimeType.toLowerCase() === type)
    return found === undefined ? null : String(found.content)
  }
  const answers = [...messageIds(header(mail, 'in-reply-to')), ...messageIds(header(mail, 'references')).reverse()]
  const text = mail.text ?? (mail.html ? htmlToText(mail.html) : '')
  const incoming: Incoming = {
    kind: 'reply',
    answers,
    from: { name: mail.from?.name ?? '', address: mail.from?.address ?? '' },
    subject: mail.subject ?? '',
    date: mail.date && !Number.isNaN(Date.parse(mail.date)) ? new Date(mail.date).toISOString() : null,
    messageId: mail.messageId ?? null,
    text,
    newText: withoutQuotes(text),
    report: [],
    disposition: null,
  }
  const returned =
    part('message/rfc822') ?? part('text/rfc822-headers') ?? part('message/global') ?? part('message/rfc822-headers')
  const returnedId = returned ? messageIds(reportFields(returned.split(/\r?\n\r?\n/)[0])[0]?.['message-id']) : []

  const status = part('message/delivery-status') ?? part('message/global-delivery-status')
  if (status !== null) {
    const [ofMessage, ...ofRecipients] = reportFields(status)
    incoming.report = ofRecipients
      .filter((fields) => fields['final-recipient'] || fields['original-recipient'])
      .map((fields) => ({
        recipient: afterType(fields['original-recipient'] ?? fields['final-recipient']),
        action: (fields.action ?? 'failed').toLowerCase().replace(/\s*\(.*$/, ''),
        status: (fields.status ?? '').split(/\s/)[0],
        words: [statusInWords(fields.status ?? ''), afterType(fields['diagnostic-code'])].filter(Boolean).join(' '),
      }))
    const actions = incoming.report.map((r) => r.action)
    incoming.kind = actions.includes('failed') ? 'bounce' : actions.includes('delayed') ? 'delayed' : 'delivered'
    incoming.answers = [...returnedId, ...messageIds(ofMessage?.['x-original-message-id']), ...answers]
    return incoming
  }
  const disposition = part('message/disposition-notification') ?? part('message/global-disposition-notification')
  if (disposition !== null) {
    const fields: Record<string, string> = Object.assign({}, ...reportFields(disposition))
    incoming.kind = 'receipt'
    incoming.disposition = (fields.disposition ?? '').split(';')[1]?.trim().split('/')[0].toLowerCase() || null
    incoming.report = [
      {
        recipient: afterType(fields['original-recipient'] ?? fields['final-recipient']),
        action: incoming.disposition ?? '',
        status: '',
        words: '',
      },
    ]
    incoming.answers = [...messageIds(fields['original-message-id']), ...returnedId, ...answers]
    return incoming
  }
  if (isAutomatic(mail)) incoming.kind = 'automatic'
  return incoming
}
