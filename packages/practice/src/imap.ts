import { createServer, type Server, type Socket } from 'node:net'
import addressparser from 'nodemailer/lib/addressparser'
import { mailScope } from './authorization.ts'
import { type Command, CommandReader, imapString, parseCommand, setOf, type Token } from './imapSyntax.ts'
import { type Box, type BoxName, boxNames, headerOf, type MailStore, type Stored } from './store.ts'

export interface ImapOptions {
  store: MailStore
  /** Says whether a user may sign in with a password. */
  signIn: (user: string, password: string) => boolean
  /** Says whether an access token stands for a user. */
  holds: (user: string, token: string) => Promise<boolean>
  /** The inboxes of a rehearsal, when the user is one; else null. */
  rehearsalOf: (user: string) => MailStore | null
}

/** Where a rehearsal finds the inboxes of its correspondents: a namespace of other users' boxes (RFC 2342). */
const inboxes = 'Inboxes/'
const inboxName = (address: string) => `${inboxes}${encodeURIComponent(address).replaceAll('%40', '@')}`

const capabilities =
  'IMAP4rev1 LITERAL+ IDLE ID NAMESPACE UIDPLUS UNSELECT SPECIAL-USE AUTH=PLAIN AUTH=XOAUTH2 AUTH=OAUTHBEARER SASL-IR'
const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']
const two = (n: number) => String(n).padStart(2, '0')
const internalDate = (d: Date) =>
  `${two(d.getUTCDate())}-${months[d.getUTCMonth()]}-${d.getUTCFullYear()} ${two(d.getUTCHours())}:${two(d.getUTCMinutes())}:${two(d.getUTCSeconds())} +0000`
const dayOf = (text: string) => Date.parse(`${text.replace(/-/g, ' ')} UTC`)
const text = (token: Token | undefined) => (typeof token === 'string' ? token : '')

/** The envelope of a message: RFC 3501, section 7.4.2. */
function envelope(head: string): string {
  const addresses = (name: string) => {
    const list = addressparser(headerOf(head, name), { flatten: true })
    if (list.length === 0) return 'NIL'
    const one = (a: { name?: string; address?: string }) => {
      const [local, host] = (a.address ?? '').split('@')
      return `(${imapString(a.name || null)} NIL ${imapString(local)} ${imapString(host ?? '')})`
    }
    return `(${list.map(one).join('')})`
  }
  const value = (name: string) => imapString(headerOf(head, name) || null)
  const from = addresses('from')
  return `(${value('date')} ${value('subject')} ${from} ${from} ${from} ${addresses('to')} ${addresses('cc')} ${addresses('bcc')} ${value('in-reply-to')} ${value('message-id')})`
}

/** One signed-in connection. */
class Session {
  private user: string | null = null
  private box: Box | null = null
  private writable = false
  /** How many messages of the open box the client has been told of. */
  private told = 0
  private idling: string | null = null
  /** What the next line is for: the command that waits for it. */
  private awaiting: { tag: string; take: (line: string) => void | Promise<void> } | null = null
  private work = Promise.resolve()
  private readonly stopWatching: () => void

  constructor(
    private readonly socket: Socket,
    private readonly options: ImapOptions,
  ) {
    const reader = new CommandReader(() => this.write('+ go on'))
    this.stopWatching = options.store.onArrival((address, box) => {
      if (this.idling && this.user === address && this.box === box) this.tellArrivals()
    })
    socket.on('data', (chunk) => {
      for (const pieces of reader.push(chunk)) this.work = this.work.then(() => this.take(pieces))
    })
    socket.on('close', () => this.stopWatching())
    socket.on('error', () => socket.destroy())
    this.write(`* OK [CAPABILITY ${capabilities}] practice IMAP host`)
  }

  private write(line: string): void {
    if (!this.socket.destroyed) this.socket.write(`${line}\r\n`)
  }

  private async take(pieces: (string | Buffer)[]): Promise<void> {
    const line = String(pieces[0])
    if (this.idling) {
      if (/^DONE$/i.test(line)) {
        this.write(`${this.idling} OK idle ended`)
        this.idling = null
      }
      return
    }
    if (this.awaiting) {
      const { take } = this.awaiting
      this.awaiting = null
      return take(line)
    }
    const command = parseCommand(pieces)
    if (command.name === '') return
    try {
      await this.run(command)
    } catch (error) {
      this.write(`${command.tag} NO ${error instanceof Error ? error.message.replace(/[\r\n]+/g, ' ') : 'failed'}`)
    }
  }

  private signedIn(tag: string, user: string, password: string): void {
    if (!this.options.signIn(user, password))
      return this.write(`${tag} NO [AUTHENTICATIONFAILED] user or password is wrong`)
    this.welcome(tag, user)
  }

  private plain(tag: string, encoded: string): void {
    const [, user = '', password = ''] = Buffer.from(encoded, 'base64').toString('utf8').split('\0')
    this.signedIn(tag, user, password)
  }

  private authenticate(tag: string, method: string, first: string | null): void | Promise<void> {
    const take =
      method === 'PLAIN'
        ? (line: string) => this.plain(tag, line)
        : method === 'XOAUTH2' || method === 'OAUTHBEARER'
          ? (line: string) => this.bearer(tag, method, line)
          : null
    if (take === null) return this.write(`${tag} NO there is no ${method} here`)
    if (first !== null) return take(first)
    this.awaiting = { tag, take }
    this.write('+ ')
  }

  /** An access token in the place of a password: RFC 7628, and the older form that many hosts take. */
  private async bearer(tag: string, method: 'XOAUTH2' | 'OAUTHBEARER', encoded: string): Promise<void> {
    const fields = Buffer.from(encoded, 'base64').toString('utf8').split('\x01')
    const user =
      method === 'XOAUTH2'
        ? (fields.find((field) => field.startsWith('user='))?.slice(5) ?? '')
        : (/^[ny],a=([^,]*),$/.exec(fields[0])?.[1] ?? '').replaceAll('=2C', ',').replaceAll('=3D', '=')
    const token = /^Bearer (\S+)$/i.exec(fields.find((field) => field.startsWith('auth='))?.slice(5) ?? '')?.[1] ?? ''
    if (await this.options.holds(user, token)) return this.welcome(tag, user)
    // What is wrong is told as a challenge, which the client answers before it is refused.
    this.write(`+ ${Buffer.from(JSON.stringify({ status: 'invalid_token', scope: mailScope })).toString('base64')}`)
    this.awaiting = { tag, take: () => this.write(`${tag} NO [AUTHENTICATIONFAILED] the access token is not taken`) }
  }

  private welcome(tag: string, user: string): void {
    this.user = user.toLowerCase()
    this.write(`${tag} OK [CAPABILITY ${capabilities}] signed in`)
  }

  private tellArrivals(): void {
    if (this.box && this.box.messages.length !== this.told) {
      this.told = this.box.messages.length
      this.write(`* ${this.told} EXISTS`)
    }
  }

  private async run({ tag, name, args }: Command): Promise<void> {
    const ok = (words = `${name} done`) => this.write(`${tag} OK ${words}`)
    const { store } = this.options
    switch (name) {
      case 'CAPABILITY':
        this.write(`* CAPABILITY ${capabilities}`)
        return ok()
      case 'ID':
        this.write('* ID ("name" "practice mailbox")')
        return ok()
      case 'NOOP':
      case 'CHECK':
        this.tellArrivals()
        return ok()
      case 'LOGOUT':
        this.write('* BYE')
        ok()
        this.socket.end()
        return
      case 'LOGIN':
        return this.signedIn(tag, text(args[0]), text(args[1]))
      case 'AUTHENTICATE':
        return this.authenticate(tag, text(args[0]).toUpperCase(), args[1] === undefined ? null : text(args[1]))
    }
    if (this.user === null) return this.write(`${tag} NO sign in first`)
    const user = this.user
    const rehearsal = this.options.rehearsalOf(user)
    const boxName = (token: Token | undefined): BoxName => {
      const wanted = text(token)
      const found = (Object.keys(boxNames) as BoxName[]).find((n) => n.toLowerCase() === wanted.toLowerCase())
      if (!found) throw new Error(`[NONEXISTENT] there is no mailbox ${wanted}`)
      return found
    }
    /** The address whose inbox a rehearsal names. */
    const correspondent = async (token: Token | undefined): Promise<string> => {
      const address = decodeURIComponent(text(token).slice(inboxes.length))
      if (inboxName(address) !== text(token) || !(await rehearsal!.has(address)))
        throw new Error(`[NONEXISTENT] there is no mailbox ${text(token)}`)
      return address
    }
    const boxOf = async (token: Token | undefined): Promise<Box> =>
      rehearsal ? rehearsal.box(await correspondent(token), 'INBOX') : store.box(user, boxName(token))
    switch (name) {
      case 'NAMESPACE':
        this.write(`* NAMESPACE (("" "/")) ${rehearsal ? `(("${inboxes}" "/"))` : 'NIL'} NIL`)
        return ok()
      case 'LIST':
      case 'LSUB': {
        const pattern = args.filter((a) => typeof a === 'string')[1] ?? '*'
        if (pattern === '') this.write(`* ${name} (\\Noselect) "/" ""`)
        else {
          const test = new RegExp(
            `^${String(pattern)
              .replace(/[.+?^$()[\]\\]/g, '\\$&')
              .replace(/[*%]/g, '.*')}$`,
            'i',
          )
          const all = rehearsal
            ? (await rehearsal.addresses()).map((address) => [inboxName(address), ''])
            : Object.entries(boxNames)
          for (const [box, use] of all)
            if (test.test(box)) this.write(`* ${name} (\\HasNoChildren${use ? ` ${use}` : ''}) "/" ${imapString(box)}`)
        }
        return ok()
      }
      case 'SUBSCRIBE':
        return ok()
      case 'SELECT':
      case 'EXAMINE': {
        this.box = await boxOf(args[0])
        this.writable = name === 'SELECT'
        this.told = this.box.messages.length
        this.write('* FLAGS (\\Answered \\Flagged \\Deleted \\Seen \\Draft)')
        this.write(`* ${this.told} EXISTS`)
        this.write('* 0 RECENT')
        this.write(`* OK [UIDVALIDITY ${this.box.uidValidity}]`)
        this.write(`* OK [UIDNEXT ${this.box.uidNext}]`)
        return ok(`[${this.writable ? 'READ-WRITE' : 'READ-ONLY'}] opened`)
      }
      case 'STATUS': {
        const box = await boxOf(args[0])
        const facts: Record<string, number> = {
          MESSAGES: box.messages.length,
          RECENT: 0,
          UIDNEXT: box.uidNext,
          UIDVALIDITY: box.uidValidity,
          UNSEEN: box.messages.filter((m) => !m.flags.has('\\Seen')).length,
        }
        const asked = (Array.isArray(args[1]) ? args[1] : [])
          .map((a) => text(a).toUpperCase())
          .filter((a) => a in facts)
        this.write(`* STATUS ${imapString(box.name)} (${asked.map((a) => `${a} ${facts[a]}`).join(' ')})`)
        return ok()
      }
      case 'DELETE':
        if (!rehearsal) throw new Error('the boxes of an account stay')
        await rehearsal.forget(await correspondent(args[0]))
        return ok()
      case 'APPEND': {
        if (rehearsal) throw new Error('nothing is added to a rehearsal but what is sent in it')
        const target = boxName(args[0])
        const flags = (args.find((a) => Array.isArray(a)) as Token[] | undefined)?.map(text) ?? []
        const raw = Buffer.from(text(args.at(-1)), 'latin1')
        const date = args.slice(1, -1).find((a) => typeof a === 'string')
        const at = date
          ? new Date(
              Date.parse(
                text(date)
                  .replace(/-/g, ' ')
                  .replace(/ (\d{4}) (?=\d\d:)/, ' $1 '),
              ),
            )
          : new Date()
        const stored = await store.add(user, target, raw, Number.isNaN(at.getTime()) ? new Date() : at, flags)
        const box = await store.box(user, target)
        this.tellArrivals()
        return ok(`[APPENDUID ${box.uidValidity} ${stored.uid}] kept`)
      }
      case 'IDLE':
        this.idling = tag
        this.write('+ idling')
        return this.tellArrivals()
    }
    if (!this.box) return this.write(`${tag} NO open a mailbox first`)
    const box = this.box
    switch (name) {
      case 'CLOSE':
      case 'UNSELECT':
        if (name === 'CLOSE' && this.writable)
          for (const m of [...box.messages]) if (m.flags.has('\\Deleted')) await store.remove(box, m)
        this.box = null
        return ok()
      case 'EXPUNGE':
        await this.expunge(box)
        return ok()
      case 'UID':
        // RFC 4315, section 2.1: only those that are named, whatever else is marked.
        if (text(args[0]).toUpperCase() === 'EXPUNGE') {
          await this.expunge(box, text(args[1]))
          return ok()
        }
        return this.onMessages(tag, text(args[0]).toUpperCase(), args.slice(1), true)
      case 'FETCH':
      case 'SEARCH':
      case 'STORE':
        return this.onMessages(tag, name, args, false)
    }
    this.write(`${tag} BAD ${name} is not known here`)
  }

  /** Takes away what is marked as deleted; with a set, only of those whose UIDs are in it. */
  private async expunge(box: Box, uids?: string): Promise<void> {
    const isMeant = uids === undefined ? () => true : setOf(uids, box.messages.at(-1)?.uid ?? 0)
    for (const m of [...box.messages])
      if (m.flags.has('\\Deleted') && isMeant(m.uid)) {
        const number = box.messages.indexOf(m) + 1
        await this.options.store.remove(box, m)
        this.told--
        this.write(`* ${number} EXPUNGE`)
      }
  }

  private async onMessages(tag: string, name: string, args: Token[], byUid: boolean): Promise<void> {
    const box = this.box!
    const largest = byUid ? (box.messages.at(-1)?.uid ?? 0) : box.messages.length
    const picked = (set: string) => {
      const isMeant = setOf(set, largest)
      return box.messages
        .map((m, i) => ({ m, number: i + 1 }))
        .filter(({ m, number }) => isMeant(byUid ? m.uid : number))
    }
    if (name === 'SEARCH') {
      const found = box.messages
        .map((m, i) => ({ m, number: i + 1 }))
        .filter(({ m, number }) => this.matches(m, number, args.slice()))
      this.write(`* SEARCH${found.map(({ m, number }) => ` ${byUid ? m.uid : number}`).join('')}`)
    } else if (name === 'FETCH') {
      const asked = (Array.isArray(args[1]) ? args[1] : args.slice(1)).map(text)
      const expanded = asked.flatMap((item) =>
        /^(ALL|FAST|FULL)$/i.test(item)
          ? ['FLAGS', 'INTERNALDATE', 'RFC822.SIZE', ...(/^FAST$/i.test(item) ? [] : ['ENVELOPE'])]
          : [item],
      )
      if (byUid && !expanded.some((item) => /^UID$/i.test(item))) expanded.unshift('UID')
      for (const { m, number } of picked(text(args[0]))) await this.fetch(m, number, expanded)
    } else if (name === 'STORE') {
      const how = text(args[1]).toUpperCase()
      const flags = (Array.isArray(args[2]) ? args[2] : args.slice(2)).map(text)
      for (const { m, number } of picked(text(args[0]))) {
        const next = new Set(how.startsWith('+') || how.startsWith('-') ? m.flags : [])
        for (const flag of flags) how.startsWith('-') ? next.delete(flag) : next.add(flag)
        await this.options.store.setFlags(box, m, next)
        if (!how.endsWith('.SILENT'))
          this.write(`* ${number} FETCH (${byUid ? `UID ${m.uid} ` : ''}FLAGS (${[...m.flags].join(' ')}))`)
      }
    } else return this.write(`${tag} BAD ${name} is not known here`)
    this.write(`${tag} OK ${name} done`)
  }

  private async fetch(m: Stored, number: number, items: string[]): Promise<void> {
    const out: Buffer[] = [Buffer.from(`* ${number} FETCH (`)]
    let raw: Buffer | null = null
    for (const [i, item] of items.entries()) {
      const name = item.toUpperCase()
      if (i > 0) out.push(Buffer.from(' '))
      if (name === 'UID') out.push(Buffer.from(`UID ${m.uid}`))
      else if (name === 'FLAGS') out.push(Buffer.from(`FLAGS (${[...m.flags].join(' ')})`))
      else if (name === 'INTERNALDATE') out.push(Buffer.from(`INTERNALDATE "${internalDate(m.internalDate)}"`))
      else if (name === 'RFC822.SIZE') out.push(Buffer.from(`RFC822.SIZE ${m.size}`))
      else if (name === 'ENVELOPE') out.push(Buffer.from(`ENVELOPE ${envelope(m.head)}`))
      else {
        const section = /^(?:BODY(?:\.PEEK)?\[([^\]]*)\](?:<(\d+)\.(\d+)>)?|RFC822)$/i.exec(item)
        if (!section) throw new Error(`${item} cannot be fetched here`)
        raw ??= await this.options.store.read(m)
        const bodyAt = raw.indexOf('\r\n\r\n')
        const split = bodyAt < 0 ? raw.length : bodyAt + 4
        const wanted = section[1] ?? ''
        const fields = /^HEADER\.FIELDS(\.NOT)? \(([^)]*)\)$/i.exec(wanted)
        let part: Buffer
        if (wanted === '') part = raw
        else if (/^HEADER$/i.test(wanted)) part = raw.subarray(0, split)
        else if (/^TEXT$/i.test(wanted)) part = raw.subarray(split)
        else if (fields) {
          const names = fields[2].toLowerCase().split(/\s+/)
          const lines = m.head
            .split(/\r?\n/)
            .filter((line) => names.includes(line.split(':')[0].toLowerCase()) !== Boolean(fields[1]))
          part = Buffer.from(`${lines.map((line) => `${line}\r\n`).join('')}\r\n`)
        } else throw new Error(`the section ${wanted} cannot be fetched here`)
        const from = section[2] === undefined ? null : Number(section[2])
        if (from !== null) part = part.subarray(from, from + Number(section[3]))
        const label = item.replace(/\.PEEK/i, '').replace(/<(\d+)\.\d+>$/, '<$1>')
        out.push(Buffer.from(`${label} {${part.length}}\r\n`), part)
        if (!/PEEK/i.test(item) && this.writable && !m.flags.has('\\Seen'))
          await this.options.store.setFlags(this.box!, m, new Set([...m.flags, '\\Seen']))
      }
    }
    out.push(Buffer.from(')\r\n'))
    this.socket.write(Buffer.concat(out))
  }

  /** Whether a message meets search keys (RFC 3501, section 6.4.4); takes them from the front of `keys`. */
  private matches(m: Stored, number: number, keys: Token[]): boolean {
    let all = true
    while (keys.length > 0) all = this.meetsKey(m, number, keys) && all
    return all
  }

  private meetsKey(m: Stored, number: number, keys: Token[]): boolean {
    const key = keys.shift()!
    if (Array.isArray(key)) return this.matches(m, number, key.slice())
    const next = () => text(keys.shift())
    const holds = (name: string) => headerOf(m.head, name).toLowerCase().includes(next().toLowerCase())
    switch (key.toUpperCase()) {
      case 'ALL':
        return true
      case 'NOT':
        return !this.meetsKey(m, number, keys)
      case 'OR': {
        const first = this.meetsKey(m, number, keys)
        return this.meetsKey(m, number, keys) || first
      }
      case 'UID':
        return setOf(next(), this.box!.messages.at(-1)?.uid ?? 0)(m.uid)
      case 'SEEN':
        return m.flags.has('\\Seen')
      case 'UNSEEN':
        return !m.flags.has('\\Seen')
      case 'HEADER':
        return holds(next())
      case 'FROM':
      case 'TO':
      case 'CC':
      case 'SUBJECT':
        return holds(key)
      case 'SINCE':
        return m.internalDate.getTime() >= dayOf(next())
      case 'BEFORE':
        return m.internalDate.getTime() < dayOf(next())
      case 'CHARSET':
        next()
        return true
      default:
        if (/^[\d*]/.test(key)) return setOf(key, this.box!.messages.length)(number)
        throw new Error(`the search key ${key} is not known here`)
    }
  }
}

/** Makes an IMAP host (RFC 3501 with the extensions in its capability line) over a store. */
export function imapHost(options: ImapOptions): Server {
  return createServer({ noDelay: true }, (socket) => void new Session(socket, options))
}
