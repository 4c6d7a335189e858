import { connect as connectPlain, type Socket } from 'node:net'
import { Duplex } from 'node:stream'
import { setImmediate as nextTurn } from 'node:timers/promises'
import { type ConnectionOptions, connect as connectTls, type TLSSocket } from 'node:tls'
import type { ImapTransport, ImapTransportOptions, ImapTransportSocket } from 'imapflow'

/**
 * How much a host may say between two things that it is asked: octets, of which a large message has many, and lines that begin as an
 * untagged answer does (RFC 9051, section 7), of which a folder of thousands of messages has less.
 */
const maxOctets = 120_000_000
const maxLines = 300_000
/** How much of it is handed on at a stretch, so that everything else gets its turn between. */
const stretch = 1024

/** Said of a host that does not stop talking. */
export class TooMuch extends Error {
  constructor() {
    super('The host sent far more than it was asked for, so the connection was closed.')
  }
}

/**
 * A connection to a mail host that hands on what the host says in small pieces, and breaks off when it says too much. What the host
 * sends is read by a parser on this thread: without this, a host could hold up everything else for as long as it liked.
 */
class GuardedSocket extends Duplex {
  private queue: Buffer[] = []
  private handing = false
  private full = false
  private octets = 0
  private lines = 0
  private over = false
  readonly remoteAddress?: string
  private readonly hear = (chunk: Buffer) => this.takeIn(chunk)

  constructor(readonly socket: Socket) {
    super({ allowHalfOpen: false })
    // Commands are small and each is waited for: gathered for more, every one would wait for the host's delayed word.
    socket.setNoDelay(true)
    socket.on('data', this.hear)
    socket.on('end', () => {
      this.over = true
      void this.handOn()
    })
    socket.on('error', (error) => this.destroy(error))
    socket.on('close', () => this.destroy())
    socket.on('timeout', () => this.emit('timeout'))
  }

  setTimeout(ms: number): this {
    this.socket.setTimeout(ms)
    return this
  }
  setKeepAlive(enable?: boolean, delay?: number): this {
    this.socket.setKeepAlive(enable, delay)
    return this
  }
  getCipher(): ReturnType<TLSSocket['getCipher']> | null {
    return 'getCipher' in this.socket ? (this.socket as TLSSocket).getCipher() : null
  }

  /** Lets go of the connection below, for TLS to be begun on it. What came before that and was not asked for is dropped. */
  letGo(): Socket {
    this.socket.removeListener('data', this.hear)
    this.queue = []
    return this.socket
  }

  private takeIn(chunk: Buffer): void {
    this.octets += chunk.length
    for (let at = chunk.indexOf(10); at >= 0; at = chunk.indexOf(10, at + 1)) if (chunk[at + 1] === 0x2a) this.lines++
    if (this.octets > maxOctets || this.lines > maxLines) return void this.destroy(new TooMuch())
    this.queue.push(chunk)
    // Held back only when much waits: a line that is not read is acknowledged late, and the host waits for that.
    if (this.queue.length > 1) this.socket.pause()
    void this.handOn()
  }

  private async handOn(): Promise<void> {
    if (this.handing) return
    this.handing = true
    while (this.queue.length > 0 && !this.full && !this.destroyed) {
      const chunk = this.queue.shift()!
      if (chunk.length > stretch) this.queue.unshift(chunk.subarray(stretch))
      if (!this.push(chunk.subarray(0, stretch))) this.full = true
      await nextTurn()
    }
    this.handing = false
    if (this.destroyed || this.queue.length > 0) return
    if (this.over) this.push(null)
    else this.socket.resume()
  }

  override _read(): void {
    this.full = false
    void this.handOn()
  }
  override _write(chunk: Buffer, encoding: BufferEncoding, done: (error?: Error | null) => void): void {
    this.octets = 0
    this.lines = 0
    this.socket.write(chunk, encoding, done)
  }
  override _final(done: () => void): void {
    this.socket.end(done)
  }
  override _destroy(error: Error | null, done: (error: Error | null) => void): void {
    this.queue = []
    this.socket.destroy()
    done(error)
  }
}

const tlsOptions = ({ host, servername, tls }: ImapTransportOptions): ConnectionOptions => ({
  host,
  servername,
  ...tls,
})

/** Connects to IMAP hosts by {@link GuardedSocket}s. */
export const guardedTransport: ImapTransport = {
  connect(options, onConnect) {
    const { host, port, secure } = options
    const socket = secure
      ? connectTls({ port, ...tlsOptions(options) }, onConnect)
      : connectPlain({ host, port }, onConnect)
    return new GuardedSocket(socket) as unknown as ImapTransportSocket
  },
  upgrade(socket, options, onSecure) {
    const below = (socket as unknown as GuardedSocket).letGo()
    return new GuardedSocket(
      connectTls({ socket: below, ...tlsOptions(options) }, onSecure),
    ) as unknown as ImapTransportSocket
  },
}
