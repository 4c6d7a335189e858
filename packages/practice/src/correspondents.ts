import { createHash } from 'node:crypto'
import { readFileSync, writeFileSync } from 'node:fs'
import { simpleParser } from 'mailparser'
import MailComposer from 'nodemailer/lib/mail-composer'
import MimeNode from 'nodemailer/lib/mime-node'
import type { Clock } from './clock.ts'
import type { MailStore } from './store.ts'

/** What a simulated correspondent does with mail. Minutes are simulated ones; the host's speed divides them. */
export interface Manner {
  opensAfter?: number
  clicksAfter?: number
  repliesAfter?: number
  /** Answers by itself that its owner is out of the office. */
  away?: boolean
  /** Sends the read receipt that was asked for. */
  receiptAfter?: number
  /** The address is taken and then returned with a report. */
  bounces?: boolean
  /** The host returns it in plain words of its own, for this reason, instead of a report of RFC 3464. */
  returnsInWords?: 'full' | 'unknown'
  /** Answers from another address of the same domain, by a new message that names no letter in its headers. */
  strays?: boolean
  /** Answers a letter with choices by one of them, and sends back a paper that a letter asks for. */
  chooses?: boolean
  brings?: boolean
  /** The address is refused at once with 550 5.1.1. */
  refused?: boolean
  /** A scanner in front of it fetches every picture and link within two seconds. */
  scanner?: boolean
  /** Answers 451 the first time. */
  greylisted?: boolean
}

/** A number from 0 up to 1 that a seed and some words always give again. */
function chance(seed: string, ...words: string[]): number {
  return (
    createHash('sha256')
      .update([seed, ...words].join('\0'))
      .digest()
      .readUInt32BE(0) /
    2 ** 32
  )
}

/** The manner of an address that nobody gave one: drawn from the seed, in the shares that an office sees. */
export function mannerOf(seed: string, address: string): Manner {
  const key = address.toLowerCase()
  const draw = (word: string) => chance(seed, key, word)
  const minutes = (word: string, from: number, to: number) => from * (to / from) ** draw(word)
  const kind = draw('kind')
  if (kind < 0.03) return { bounces: true }
  if (kind < 0.05) return { refused: true }
  const manner: Manner = {}
  if (kind < 0.1) manner.away = true
  if (kind < 0.14) manner.scanner = true
  if (kind > 0.95) manner.greylisted = true
  if (draw('opens') < 0.72) {
    manner.opensAfter = minutes('open', 3, 900)
    if (draw('clicks') < 0.35) manner.clicksAfter = manner.opensAfter + minutes('click', 1, 20)
    if (draw('replies') < 0.45) manner.repliesAfter = manner.opensAfter + minutes('reply', 10, 2500)
    if (draw('chooses') < 0.85) manner.chooses = true
    if (draw('brings') < 0.5) manner.brings = true
    if (draw('receipt') < 0.5) manner.receiptAfter = manner.opensAfter + 0.2
  }
  return manner
}

type Deed = 'open' | 'click' | 'scan' | 'reply' | 'away' | 'receipt' | 'bounce'

/** With what correspondents read their mail, in the forms in which programs name themselves (RFC 9110, section 10.1.5); one reads through their service. */
const programs = [
  'PaperReader/7.0 (X11; Linux x86_64)',
  'Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Tidemail/4.2 Safari/537.36',
  'Mozilla/5.0 (Linux; Android 14; Quay One) AppleWebKit/537.36 (KHTML, like Gecko) Tidemail/4.2 Mobile Safari/537.36',
  'Mozilla/5.0 (Linux; Android 14; Quay Slate) AppleWebKit/537.36 (KHTML, like Gecko) Gullpost/2.1 Safari/537.36',
  'PaperReader/7.0',
  'Mozilla/5.0 (via village.example ImageProxy)',
]
const programOf = (seed: string, address: string): string =>
  programs[Math.floor(chance(seed, address.toLowerCase(), 'program') * programs.length)]

/** Something a correspondent is going to do: plain data, so that it outlives a restart. */
interface Appointment {
  at: number
  deed: Deed
  address: string
  /** The file of the message it is about. */
  path: string
}

export interface CorrespondentOptions {
  store: MailStore
  clock: Clock
  seed: string
  /** How many times faster than life they are. */
  speed: number
  /** Manners of certain addresses; all others are drawn from the seed. */
  manners: Record<string, Manner>
  /** Where the agenda is kept over restarts. */
  agendaFile: string
  /** The signed-in account that an address belongs to, whose mail is not answered; null where it belongs to none. */
  accountOf: (address: string) => string | null
}

/** However fast the days go by, no person has a letter open sooner than this many milliseconds after it came. */
const quickestPerson = 12_000

/** What they answer: words that fit any letter. */
const replies = [
  'Thank you, that is all in order.\n\nRegards,\n{name}',
  'Received with thanks. Could you tell me by when you need an answer?\n\n{name}',
  'Thanks. I shall come by the office on Thursday.\n\n{name}',
  'Many thanks for letting me know. I have done as you ask.\n\nBest wishes,\n{name}',
  'I shall have the papers ready by {day}. Is that in time?\n\n{name}',
  'Thank you very much.\n\n{name}',
  'I have a question about this: something has changed on my side since last year. Whom should I talk to?\n\n{name}',
]

/** What a host says that returns mail in words of its own. */
const returns = {
  full: 'Your message to {address} has come back to you.\nThe mailbox is full and takes no more messages just now.',
  unknown: 'Your message to {address} has come back to you.\nThere is no such user at this address.',
}

const day = 24 * 60 * 60_000
/** A day as people write it, without its year. */
const dayWords = (at: number): string =>
  new Date(at).toLocaleDateString('en-GB', { day: 'numeric', month: 'long', timeZone: 'UTC' })

/** The prepared answers (RFC 6068) that a letter offers. */
function preparedAnswers(html: string): { to: string; subject: string; body: string }[] {
  return [...html.matchAll(/<a class="choice" href="(mailto:[^"]{1,2000})"/g)].map(([, href]) => {
    const [address, fields] = href.replaceAll('&amp;', '&').slice('mailto:'.length).split('?')
    const field = (name: string) =>
      decodeURIComponent(
        fields
          .split('&')
          .find((part) => part.startsWith(`${name}=`))
          ?.slice(name.length + 1) ?? '',
      )
    return { to: decodeURIComponent(address), subject: field('subject'), body: field('body') }
  })
}

/** A page of a few words as PDF (ISO 32000-1, 7.5), as a scanner might make it. */
function paper(words: string): Buffer {
  const plain = words.replace(/[^\x20-\x7e]|[()\\]/g, '')
  const stream = `BT /F1 18 Tf 72 720 Td (${plain}) Tj 0 -40 Td (Signed) Tj ET`
  const objects = [
    '<< /Type /Catalog /Pages 2 0 R >>',
    '<< /Type /Pages /Kids [4 0 R] /Count 1 >>',
    '<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>',
    '<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 5 0 R /Resources << /Font << /F1 3 0 R >> >> >>',
    `<< /Length ${stream.length} >>\nstream\n${stream}\nendstream`,
  ]
  let text = '%PDF-1.4\n'
  const places = objects.map((one, i) => {
    const at = text.length
    text += `${i + 1} 0 obj\n${one}\nendobj\n`
    return `${String(at).padStart(10, '0')} 00000 n \n`
  })
  const table = text.length
  text += `xref\n0 ${objects.length + 1}\n0000000000 65535 f \n${places.join('')}trailer << /Root 1 0 R /Size ${objects.length + 1} >>\nstartxref\n${table}\n%%EOF\n`
  return Buffer.from(text, 'latin1')
}

/** The people behind the practice host: what they do about the mail they get, and when. */
export class Correspondents {
  private agenda: Appointment[]
  private running: Promise<void> = Promise.resolve()

  constructor(private readonly options: CorrespondentOptions) {
    try {
      this.agenda = JSON.parse(readFileSync(options.agendaFile, 'utf8'))
    } catch {
      this.agenda = []
    }
  }

  /** The manner of an address. */
  manner(address: string): Manner {
    return this.options.manners[address.toLowerCase()] ?? mannerOf(this.options.seed, address)
  }

  /** Takes note that a message arrived for an address. */
  arrived(address: string, path: string): void {
    if (this.options.accountOf(address) !== null) return
    const manner = this.manner(address)
    const now = this.options.clock.now()
    const enter = (deed: Deed, minutes: number | undefined, atLeast = 0) => {
      if (minutes !== undefined)
        this.agenda.push({ at: now + atLeast + (minutes * 60_000) / this.options.speed, deed, address, path })
    }
    if (manner.bounces || manner.returnsInWords) enter('bounce', 0.5)
    else {
      // A scanner works at its own pace, whatever the speed of the people behind it.
      if (manner.scanner) this.agenda.push({ at: now + 800, deed: 'scan', address, path })
      enter('away', manner.away ? 0.2 : undefined)
      enter('open', manner.opensAfter, quickestPerson)
      enter('click', manner.clicksAfter, quickestPerson)
      enter('receipt', manner.receiptAfter, quickestPerson)
      enter('reply', manner.repliesAfter, quickestPerson)
    }
    this.keep()
  }

  private keep(): void {
    writeFileSync(this.options.agendaFile, JSON.stringify(this.agenda))
  }

  /** When the next thing is due (ms since 1970), or null. */
  nextAt(): number | null {
    return this.agenda.length === 0 ? null : Math.min(...this.agenda.map((a) => a.at))
  }

  /** Does what is due by now, in order. Calls follow one another. */
  doDue(): Promise<void> {
    this.running = this.running.then(async () => {
      const now = this.options.clock.now()
      const due = this.agenda.filter((a) => a.at <= now).sort((a, b) => a.at - b.at)
      if (due.length === 0) return
      for (const appointment of due)
        await this.act(appointment).catch((error) =>
          console.error(`practice: ${appointment.deed} of ${appointment.address}: ${error}`),
        )
      this.agenda = this.agenda.filter((a) => !due.includes(a))
      this.keep()
    })
    return this.running
  }

  private async act({ deed, address, path, at }: Appointment): Promise<void> {
    const { readFile } = await import('node:fs/promises')
    const raw = await readFile(path)
    const mail = await simpleParser(raw, { skipImageLinks: true })
    const html = typeof mail.html === 'string' ? mail.html : ''
    const found = (pattern: RegExp) => [...html.matchAll(pattern)].map((m) => m[1].replace(/&amp;/g, '&'))
    const pictures = found(/<img[^<>]{1,500}?src="(http[^"<]{1,8000})"/gi)
    const links = found(/<a[^<>]{1,500}?href="(http[^"<]{1,8000})"/gi)
    if (deed === 'scan') {
      for (const url of [...pictures, ...links]) await fetchOnLoopback(url, 'LinkScanner/2.1')
      return
    }
    if (deed === 'open') {
      for (const url of pictures) await fetchOnLoopback(url, programOf(this.options.seed, address))
      return
    }
    if (deed === 'click') {
      if (links.length > 0) await fetchOnLoopback(links[0], programOf(this.options.seed, address))
      return
    }

    const answerTo = mail.replyTo?.value[0]?.address ?? mail.from?.value[0]?.address
    const returnPath = mail.from?.value[0]?.address
    const writer = deed === 'bounce' ? returnPath : answerTo
    const account = writer ? this.options.accountOf(writer) : null
    if (!writer || account === null) return
    const to =
      mail.to && !Array.isArray(mail.to)
        ? mail.to.value.find((v) => v.address?.toLowerCase() === address.toLowerCase())
        : undefined
    const name =
      to?.name ||
      address
        .split('@')[0]
        .split(/[._]/)
        .map((w) => w.charAt(0).toUpperCase() + w.slice(1))
        .join(' ')
    const domain = address.slice(address.indexOf('@') + 1)
    const date = new Date(at)
    const manner = this.manner(address)
    const messageId = `<${createHash('sha256').update(`${path}${deed}${at}`).digest('hex').slice(0, 24)}@${domain}>`
    const thread = {
      inReplyTo: mail.messageId,
      references: [...[mail.references ?? []].flat(), mail.messageId ?? ''].filter(Boolean),
    }
    let answer: Buffer
    if (deed === 'reply') {
      const words = replies[Math.floor(chance(this.options.seed, address, 'words') * replies.length)]
        .replace('{name}', name.split(' ')[0])
        .replace('{day}', dayWords(at + 12 * day))
      const quoted = (mail.text ?? '')
        .trim()
        .split('\n')
        .map((line) => `> ${line}`)
        .join('\n')
      // A prepared answer is a new message (RFC 6068): nothing in its headers names the letter.
      const offered = preparedAnswers(typeof mail.html === 'string' ? mail.html : '')
      const taken = manner.chooses
        ? offered[Math.floor(chance(this.options.seed, address, 'choice') * offered.length)]
        : undefined
      if (taken) {
        const more =
          chance(this.options.seed, address, 'more') < 0.25
            ? `\nI shall bring a friend, if I may?\n\n${name.split(' ')[0]}\n`
            : ''
        const text = `${taken.body}${more}`
        const chosen = await compose({
          from: { name, address },
          to: taken.to,
          subject: taken.subject,
          text,
          date,
          messageId,
        })
        return void (await this.options.store.add(account, 'INBOX', chosen, date))
      }
      const asked = /\b(?:copy|form|signed|proof)\b/i.test(mail.text ?? '')
      const attachments =
        manner.brings && asked ? [{ filename: 'scan.pdf', content: paper(`Copy of the paper of ${name}`) }] : []
      const text = `${words}\n\nOn ${mail.date?.toUTCString() ?? 'that day'}, ${mail.from?.text ?? writer} wrote:\n${quoted}\n`
      answer = await compose({
        from: { name, address: manner.strays ? address.replace('@', '.home@') : address },
        to: writer,
        subject: `Re: ${mail.subject ?? ''}`,
        text: manner.strays ? words : text,
        date,
        messageId,
        attachments,
        ...(manner.strays ? {} : thread),
      })
    } else if (deed === 'away') {
      // RFC 3834: says what it is, answers the one message, and asks for no answer.
      const text = `Thank you for your message. I am away until ${dayWords(at + 9 * day)} and shall answer then.\n`
      answer = await compose({
        from: { name, address },
        to: writer,
        subject: `Out of office: ${mail.subject ?? ''}`,
        text,
        date,
        messageId,
        ...thread,
        headers: { 'Auto-Submitted': 'auto-replied' },
      })
    } else if (deed === 'receipt') {
      if (!mail.headers.has('disposition-notification-to')) return
      answer = await report(
        'disposition-notification',
        {
          from: `${name} <${address}>`,
          to: writer,
          subject: `Read: ${mail.subject ?? ''}`,
          date,
          messageId,
          inReplyTo: mail.messageId,
        },
        [
          { type: 'text/plain; charset=utf-8', content: `Your message to ${address} was displayed.\n` },
          {
            type: 'message/disposition-notification',
            content: `Reporting-UA: ${domain}; PaperReader 7.0\r\nFinal-Recipient: rfc822;${address}\r\nOriginal-Message-ID: ${mail.messageId}\r\nDisposition: manual-action/MDN-sent-manually; displayed\r\n`,
          },
        ],
      )
    } else if (manner.returnsInWords) {
      answer = await compose({
        from: { name: 'Mail delivery', address: `postmaster@${domain}` },
        to: writer,
        subject: 'Undeliverable mail',
        text: `${returns[manner.returnsInWords].replace('{address}', address)}\n\nYour message began:\n\nMessage-ID: ${mail.messageId}\nSubject: ${mail.subject ?? ''}\n`,
        date,
        messageId,
      })
    } else {
      answer = await report(
        'delivery-status',
        {
          from: `Mail delivery <postmaster@${domain}>`,
          to: writer,
          subject: 'Your message could not be delivered',
          date,
          messageId,
          autoSubmitted: true,
        },
        [
          {
            type: 'text/plain; charset=utf-8',
            content: `Your message to ${address} could not be delivered: there is no such mailbox.\n`,
          },
          {
            type: 'message/delivery-status',
            content: `Reporting-MTA: dns; mx.${domain}\r\nArrival-Date: ${date.toUTCString()}\r\n\r\nFinal-Recipient: rfc822; ${address}\r\nAction: failed\r\nStatus: 5.1.1\r\nDiagnostic-Code: smtp; 550 5.1.1 <${address}>: no such mailbox\r\n`,
          },
          { type: 'message/rfc822-headers', content: raw.subarray(0, raw.indexOf('\r\n\r\n') + 2).toString('utf8') },
        ],
      )
    }
    await this.options.store.add(account, 'INBOX', answer, date)
  }
}

/** Fetches as a mail program would, but never beyond this machine. Failures are the sender's affair. */
async function fetchOnLoopback(url: string, agent: string): Promise<void> {
  const { hostname } = new URL(url)
  if (hostname !== 'localhost' && !/^127\./.test(hostname) && hostname !== '[::1]') return
  await fetch(url, { redirect: 'manual', headers: { 'user-agent': agent }, signal: AbortSignal.timeout(5000) })
    .then((r) => r.arrayBuffer())
    .catch(() => {})
}

function compose(options: ConstructorParameters<typeof MailComposer>[0]): Promise<Buffer> {
  return new Promise((resolve, reject) =>
    new MailComposer(options).compile().build((error, message) => (error ? reject(error) : resolve(message!))),
  )
}

/** Builds a multipart/report (RFC 6522). */
function report(
  type: 'delivery-status' | 'disposition-notification',
  headers: {
    from: string
    to: string
    subject: string
    date: Date
    messageId: string
    inReplyTo?: string
    autoSubmitted?: boolean
  },
  parts: { type: string; content: string }[],
): Promise<Buffer> {
  const root = new MimeNode(`multipart/report; report-type=${type}`)
  root.setHeader({
    From: headers.from,
    To: headers.to,
    Subject: headers.subject,
    'Message-ID': headers.messageId,
    Date: headers.date.toUTCString().replace('GMT', '+0000'),
  })
  if (headers.inReplyTo) root.setHeader('In-Reply-To', headers.inReplyTo)
  if (headers.autoSubmitted) root.setHeader('Auto-Submitted', 'auto-replied')
  for (const part of parts) {
    const child = root.createChild(part.type)
    child.setHeader('Content-Transfer-Encoding', '7bit')
    child.setContent(part.content)
  }
  return new Promise((resolve, reject) =>
    root.build((error: Error | null, message?: Buffer) => (error ? reject(error) : resolve(message!))),
  )
}
