import PostalMime, { type Email } from 'postal-mime'
import { statusInWords } from '../dispatch/smtpAnswer.ts'
import { htmlToText } from '../letter/htmlText.ts'
import { longestLine, mailLimits, oneLine } from '../mailboxes/mail.ts'
import { sameAddressKey } from '../people/address.ts'
import { calendarWords } from './calendarReply.ts'
import { asWords, automaticSubjects } from './habits.ts'
import { looksReturned, type PlainReturn, readPlainReturn } from './plainReturns.ts'
import { maxText, withoutQuotes } from './quotes.ts'
import { mayBeFile } from './returnedFiles.ts'
import { incoming as say } from './words.ts'

/** What is read of one message at most: characters of a report, recipients of one, Message-IDs, tokens and addresses that it names. */
const maxReport = 200_000
const maxRecipients = 500
const maxIds = 100
const maxNamed = 50
/** How many addresses of a report are kept that are neither the person's nor a copy's: a letter goes to few, and a report is about those. */
const maxUnknown = 20
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
  /**
   * The report of a bounce, delay or delivery (RFC 3464), one entry for each recipient. `original` is the address as it was written
   * to (Original-Recipient), where the report gives it; `recipient` the one that it was delivered, or not, to in the end.
   */
  report: { recipient: string; original: string | null; action: string; status: string; words: string }[]
  /** What a read receipt says was done with the message (RFC 8098, disposition-type). */
  disposition: string | null
  /** What a host says in plain words instead of a report of RFC 3464; null where it sent one, or did not write it. */
  plain: PlainReturn | null
  /** Whether it brings anything that may be a file of its writer's. */
  brings: boolean
  /** What its text names, and so may tell which letter it belongs to: Message-IDs, what has the form of a signed address of ours, addresses. */
  names: { messageIds: string[]; tokens: string[]; addresses: string[] }
}

/**
 * Reads groups of header-like fields as RFC 3464 section 2.1 and RFC 8098 section 3.1 lay them out: groups separated by
 * blank lines, lines folded by leading white space. Names in lower case.
 */
export function reportFields(text: string): Record<string, string>[] {
  return text
    .slice(0, maxReport)
    .replace(/\r\n?/g, '\n')
    .replace(/\n[ \t]+/g, ' ')
    .split(/\n\s*\n/)
    .slice(0, maxRecipients)
    .map((group) => {
      // Whoever wrote the report names the fields: “__proto__” is a name like any other.
      const fields: Record<string, string> = Object.create(null)
      for (const line of group.split('\n')) {
        const colon = line.indexOf(':')
        if (colon > 0)
          fields[line.slice(0, colon).trim().toLowerCase()] = line.slice(colon + 1, colon + 1 + longestLine).trim()
      }
      return fields
    })
    .filter((fields) => Object.keys(fields).length > 0)
}

/** The value behind the type of a typed field: "rfc822;a@b.example" → "a@b.example". */
const afterType = (value: string | undefined) => (value ?? '').replace(/^[^;]*;\s*/, '').trim()

const messageIds = (value: string | undefined) =>
  (value?.slice(0, maxIds * longestLine).match(/<[^<>\s]{1,998}>/g) ?? []).slice(0, maxIds)

const header = (mail: Email, name: string) => mail.headers.find((h) => h.key === name)?.value

const automaticBeginnings = automaticSubjects.map(asWords)
/** Whether mail was sent by a machine on its own (RFC 3834, section 5, and the common older headers). */
function isAutomatic(mail: Email): boolean {
  const submitted = header(mail, 'auto-submitted')
  if (submitted && !/^no\b/i.test(submitted.trim())) return true
  const subject = asWords((mail.subject ?? '').slice(0, 100))
  return (
    header(mail, 'x-autoreply') !== undefined ||
    header(mail, 'x-autorespond') !== undefined ||
    /^(auto_reply|bulk|junk|list)$/i.test(header(mail, 'precedence')?.trim() ?? '') ||
    /^auto:/i.test(mail.subject ?? '') ||
    // At its beginning only: whoever answers a letter about being out of the office is a person.
    automaticBeginnings.some((words) => subject.startsWith(words))
  )
}

const endsAddress = /[\s<>()[\]"',;:@]/
/** The mail addresses that a text names, as many as are kept: what stands around each of its at signs, in the lengths of RFC 5321 (4.5.3.1). */
function addressesNamed(text: string): string[] {
  const found = new Set<string>()
  for (let at = text.indexOf('@'); at >= 0 && found.size < maxNamed; at = text.indexOf('@', at + 1)) {
    let from = at
    while (from > 0 && at - from < 64 && !endsAddress.test(text[from - 1])) from--
    let to = at + 1
    while (to < text.length && to - at <= 255 && !endsAddress.test(text[to])) to++
    if (from < at && to > at + 1) found.add(text.slice(from, to))
  }
  return [...found]
}

/** The form of a signed address of ours in a text. */
const tokenForm = /[\w-]{22}\.(?:p|o|c\d{1,3}|\d{1,3})\.[\w-]{22}(?:\.[\w-]{1,4000})?/g

/**
 * Reads one piece of incoming mail.
 * Reports are known by their parts (message/delivery-status, message/disposition-notification), as RFC 6522 has it, and
 * what they are about is taken from the report and from the returned message; everything else by its headers.
 * @param raw the message as received.
 * @throws when its parts stand too deep in one another, or its headers are too large.
 */
export async function readIncoming(raw: string | Uint8Array): Promise<Incoming> {
  const mail = await PostalMime.parse(raw, {
    forceRfc822Attachments: true,
    attachmentEncoding: 'utf8',
    ...mailLimits,
  })
  const part = (type: string) => {
    const found = mail.attachments.find((a) => a.mimeType.toLowerCase() === type)
    return found === undefined ? null : String(found.content)
  }
  const answers = [...messageIds(header(mail, 'in-reply-to')), ...messageIds(header(mail, 'references')).reverse()]
  const calendar = calendarWords(part('text/calendar') ?? '')
  const written = (mail.text ?? (mail.html ? htmlToText(mail.html, maxText, 'marked') : '')).slice(0, maxText)
  // What a calendar says stands above: it may be all that there is of the answer.
  const text = [calendar, written].filter((some) => some.trim() !== '').join('\n\n')
  const incoming: Incoming = {
    kind: 'reply',
    answers,
    from: { name: oneLine(mail.from?.name ?? ''), address: oneLine(mail.from?.address ?? '') },
    subject: oneLine(mail.subject ?? ''),
    date: mail.date && !Number.isNaN(Date.parse(mail.date)) ? new Date(mail.date).toISOString() : null,
    messageId: mail.messageId ?? null,
    text,
    newText: [calendar, withoutQuotes(written)].filter((some) => some !== '').join('\n\n'),
    report: [],
    disposition: null,
    plain: null,
    brings: mail.attachments.some(mayBeFile),
    names: {
      messageIds: messageIds(text),
      tokens: [
        ...new Set(
          `${oneLine(mail.subject ?? '')} ${text} ${(mail.html ?? '').slice(0, 2 * maxText)}`.match(tokenForm) ?? [],
        ),
      ].slice(0, maxNamed),
      addresses: addressesNamed(`${header(mail, 'x-failed-recipients') ?? ''} ${text}`),
    },
  }
  const returned =
    part('message/rfc822') ?? part('text/rfc822-headers') ?? part('message/global') ?? part('message/rfc822-headers')
  const returnedId = returned
    ? messageIds(reportFields(returned.slice(0, maxReport).split(/\r?\n\r?\n/, 1)[0])[0]?.['message-id'])
    : []

  const status = part('message/delivery-status') ?? part('message/global-delivery-status')
  if (status !== null) {
    const [ofMessage, ...ofRecipients] = reportFields(status)
    incoming.report = ofRecipients
      .filter((fields) => fields['final-recipient'] || fields['original-recipient'])
      .map((fields) => ({
        recipient: afterType(fields['final-recipient'] ?? fields['original-recipient']),
        original: fields['original-recipient'] ? afterType(fields['original-recipient']) : null,
        action: (fields.action ?? 'failed').slice(0, 100).toLowerCase().split('(')[0].trim(),
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
    const fields: Record<string, string> = Object.assign(Object.create(null), ...reportFields(disposition))
    incoming.kind = 'receipt'
    incoming.disposition = (fields.disposition ?? '').split(';')[1]?.trim().split('/')[0].toLowerCase() || null
    incoming.report = [
      {
        recipient: afterType(fields['final-recipient'] ?? fields['original-recipient']),
        original: fields['original-recipient'] ? afterType(fields['original-recipient']) : null,
        action: incoming.disposition ?? '',
        status: '',
        words: '',
      },
    ]
    incoming.answers = [...messageIds(fields['original-message-id']), ...returnedId, ...answers]
    return incoming
  }
  const signs = {
    from: incoming.from.address,
    subject: incoming.subject,
    returnPath: header(mail, 'return-path') ?? null,
    failedRecipients: header(mail, 'x-failed-recipients') ?? null,
  }
  const plain = looksReturned(signs) ? readPlainReturn(incoming.subject, incoming.newText || text) : null
  if (plain !== null) {
    incoming.kind = plain.kind
    incoming.plain = plain
    incoming.answers = [...returnedId, ...answers]
  } else if (isAutomatic(mail)) incoming.kind = 'automatic'
  return incoming
}

/**
 * Whose a response is: the person's whom the letter was for, one's who has a copy, or of an address that is neither; perhaps the
 * person's, where only sender and subject speak for it; or, by the writer's word, no answer to the letter.
 */
export type Whose = 'person' | 'copy' | 'other' | 'perhaps' | 'no'

/** One thing that a piece of incoming mail says about one letter. */
export interface Statement {
  of: Whose
  kind: IncomingKind
  /** The address that it comes from, or, for a report, that it is about. */
  address: string
  /** For a report: what it says of that recipient. */
  status: string
  words: string
}

const kindOfAction: Record<string, IncomingKind> = { failed: 'bounce', delayed: 'delayed' }

/**
 * What incoming mail says about a letter, and of whom. Mail is of whoever it comes from; a report (RFC 3464) is of its
 * Original-Recipient or Final-Recipient, each recipient by itself; a receipt (RFC 8098) of its recipient.
 * An address that is neither the person's nor a copy's is the person's all the same where nobody had a copy: then only they can have
 * been answered for, from another address of theirs. Of addresses that the letter did not go to, the first twenty are kept; how many
 * more there were stands in the words of the last.
 */
export function saidOf(incoming: Incoming, letter: { address: string; copies: readonly string[] }): Statement[] {
  const person = sameAddressKey(letter.address)
  const copies = new Set(letter.copies.map(sameAddressKey))
  const whose = (...addresses: (string | null)[]): Whose => {
    const keys = addresses.filter((a) => a !== null).map(sameAddressKey)
    if (keys.includes(person)) return 'person'
    if (keys.some((key) => copies.has(key))) return 'copy'
    return copies.size === 0 ? 'person' : 'other'
  }
  const { kind, from, report, plain } = incoming
  if (plain !== null) {
    // It is about whomever it names that the letter went to; about the person where it names nobody of them.
    const named = incoming.names.addresses.map((address) => address.replace(/[.]$/, ''))
    const about = named.filter((address) => sameAddressKey(address) === person || copies.has(sameAddressKey(address)))
    // Named in capitals and without, it is one address.
    const once = new Map((about.length > 0 ? about : [letter.address]).map((one) => [sameAddressKey(one), one]))
    return [...once.values()].map((address) => ({
      of: whose(address),
      kind,
      address,
      status: plain.status,
      words: plain.words,
    }))
  }
  if (kind === 'reply' || kind === 'automatic' || report.length === 0)
    return [{ of: whose(from.address), kind, address: from.address, status: '', words: '' }]
  const isKnown = ({ original, recipient }: Incoming['report'][number]) =>
    [original ?? recipient, recipient].map(sameAddressKey).some((key) => key === person || copies.has(key))
  const known = report.filter(isKnown)
  const unknown = report.filter((one) => !isKnown(one))
  const more = unknown.length - maxUnknown
  const said = [...known, ...unknown.slice(0, maxUnknown)].map(({ recipient, original, action, status, words }) => ({
    of: whose(original, recipient),
    kind: kind === 'receipt' ? kind : (kindOfAction[action] ?? 'delivered'),
    address: original ?? recipient,
    status,
    words,
  }))
  if (more > 0) said[said.length - 1].words = say.namesMore(said[said.length - 1].words, more).trim()
  return said
}
