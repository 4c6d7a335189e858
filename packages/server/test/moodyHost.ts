import { type AddressInfo, createServer, type Socket } from 'node:net'

/** What a submission host does with a recipient, or with the message to it, the next time (RFC 5321's dialogue). */
export const moods = {
  /** Refused at RCPT for good, and for now; the line closed; the whole mailbox asked to rest. */
  refuses: { at: 'rcpt', answer: '550 5.1.1 no such mailbox' },
  putsOff: { at: 'rcpt', answer: '451 4.7.1 Greylisted, try again in five minutes' },
  closes: { at: 'rcpt', answer: '421 4.3.2 going down' },
  rests: { at: 'rcpt', answer: '450 4.7.0 too many messages a minute, slow down' },
  /** What it says of its limits: with a figure, and without. */
  namesLimit: { at: 'rcpt', answer: '450 4.7.1 Rate limit of 20 recipients per hour exceeded' },
  usedUp: { at: 'rcpt', answer: '550 5.4.5 Daily user sending limit exceeded' },
  /** Broken off: before the message, after it without keeping it, and after keeping it. */
  breaksBefore: { at: 'data', answer: null },
  breaksAfter: { at: 'dot', answer: null },
  keepsAndBreaks: { at: 'kept', answer: null },
  /** The message itself refused, for good and for now. */
  refusesMessage: { at: 'dot', answer: '554 5.7.1 not this one' },
  putsMessageOff: { at: 'dot', answer: '451 4.3.0 try again later' },
} as const satisfies Record<string, { at: 'rcpt' | 'data' | 'dot' | 'kept'; answer: string | null }>
export type Mood = keyof typeof moods

/** One message that the host keeps, for one recipient. */
export interface Kept {
  to: string
  raw: string
  /** The transaction that it came with: its number. */
  transaction: number
}

/** A submission host whose mood can be set for each address, and that remembers what it has kept for whom. */
export class MoodyHost {
  readonly kept: Kept[] = []
  /** What it does the next time that an address is met, in order; afterwards it takes messages. */
  readonly moods = new Map<string, Mood[]>()
  private readonly sockets = new Set<Socket>()
  private transactions = 0
  private readonly server = createServer((socket) => this.serve(socket))

  async open(port = 0): Promise<this> {
    await new Promise<void>((done) => this.server.listen(port, '127.0.0.1', () => done()))
    return this
  }
  get port(): number {
    return (this.server.address() as AddressInfo).port
  }
  close(): void {
    this.breakOff()
    this.server.close()
  }
  /** Ends all connections, as when the machine at the other end goes down. */
  breakOff(): void {
    for (const socket of this.sockets) socket.destroy()
  }
  keptFor(address: string): Kept[] {
    return this.kept.filter((k) => k.to === address)
  }

  private serve(socket: Socket): void {
    this.sockets.add(socket)
    socket.on('close', () => this.sockets.delete(socket))
    socket.on('error', () => {})
    let to: string[] = []
    let inData = false
    let buffer = ''
    const say = (line: string) => void socket.write(`${line}\r\n`)
    /** Acts out the mood of one of some addresses for a moment; whether there was one. */
    const moodAt = (moment: 'rcpt' | 'data' | 'dot' | 'kept', addresses: string[]): boolean => {
      for (const address of addresses) {
        const waiting = this.moods.get(address)
        const mood = waiting?.[0] && moods[waiting[0]]
        if (!mood || mood.at !== moment) continue
        waiting!.shift()
        if (mood.answer === null) socket.destroy()
        else say(mood.answer)
        if (mood.answer?.startsWith('421')) socket.end()
        return true
      }
      return false
    }
    say('220 moody host')
    socket.on('data', (chunk) => {
      buffer += chunk.toString('latin1')
      for (;;) {
        const mark = inData ? '\r\n.\r\n' : '\r\n'
        const end = buffer.indexOf(mark)
        if (end < 0 || socket.destroyed) return
        const line = buffer.slice(0, end)
        buffer = buffer.slice(end + mark.length)
        if (inData) {
          inData = false
          if (moodAt('dot', to)) continue
          const transaction = ++this.transactions
          for (const address of to) this.kept.push({ to: address, raw: line, transaction })
          if (moodAt('kept', to)) continue
          say('250 2.0.0 kept')
          continue
        }
        const verb = line.slice(0, 4).toUpperCase()
        if (verb === 'EHLO') say('250-host\r\n250 AUTH PLAIN')
        else if (verb === 'AUTH') say('235 2.7.0 welcome')
        else if (verb === 'RCPT') {
          const address = /<([^>]+)>/.exec(line)?.[1] ?? ''
          if (moodAt('rcpt', [address])) continue
          to.push(address)
          say('250 2.1.5 ok')
        } else if (verb === 'DATA') {
          if (moodAt('data', to)) continue
          inData = true
          say('354 go on')
        } else {
          if (verb === 'MAIL' || verb === 'RSET') to = []
          say('250 2.0.0 ok')
        }
      }
    })
  }
}
