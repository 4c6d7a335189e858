const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']
const days = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat']

/**
 * The line that stands before a message in an .mbox file (RFC 4155, appendix A): from whom, and when in UTC as asctime writes it.
 * @param at when the message was sent (ms since 1970).
 * @example mboxSeparator('office@brindlequay.example', 0) // 'From office@brindlequay.example Thu Jan  1 00:00:00 1970'
 */
export function mboxSeparator(address: string, at: number): string {
  const moment = new Date(at)
  const two = (n: number) => String(n).padStart(2, '0')
  const time = [moment.getUTCHours(), moment.getUTCMinutes(), moment.getUTCSeconds()].map(two).join(':')
  return `From ${address} ${days[moment.getUTCDay()]} ${months[moment.getUTCMonth()]} ${String(moment.getUTCDate()).padStart(2, ' ')} ${time} ${moment.getUTCFullYear()}`
}

const lineFeed = 10
const carriageReturn = 13
const quote = 62
const from = [70, 114, 111, 109, 32]
const beginsWithFrom = (line: Uint8Array, at: number) => from.every((octet, i) => line[at + i] === octet)
/** Where the quotation marks of a line end that stands as “>From ”, or -1. */
function quotedFrom(line: Uint8Array): number {
  let at = 0
  while (line[at] === quote) at++
  return at > 0 && beginsWithFrom(line, at) ? at : -1
}

/**
 * A message as it stands in an .mbox file: the line before it, bare line ends, lines that begin as such a line does set off by “>”, and a
 * blank line behind it. Read back by {@link MboxReader} it is the same to the octet, for mail has CRLF at every line's end.
 */
export function mboxEntry(separator: string, raw: Uint8Array): Uint8Array {
  let more = separator.length + 2
  let start = 0
  for (let end = raw.indexOf(lineFeed); end >= 0; end = raw.indexOf(lineFeed, start)) {
    const line = raw.subarray(start, end)
    if (beginsWithFrom(line, 0) || quotedFrom(line) > 0) more++
    start = end + 1
  }
  const out = new Uint8Array(raw.length + more)
  let at = 0
  for (const character of separator) out[at++] = character.charCodeAt(0)
  out[at++] = lineFeed
  start = 0
  for (let end = raw.indexOf(lineFeed); end >= 0; end = raw.indexOf(lineFeed, start)) {
    const line = raw.subarray(start, raw[end - 1] === carriageReturn ? end - 1 : end)
    if (beginsWithFrom(line, 0) || quotedFrom(line) > 0) out[at++] = quote
    out.set(line, at)
    at += line.length
    out[at++] = lineFeed
    start = end + 1
  }
  out.set(raw.subarray(start), at)
  at += raw.length - start
  out[at++] = lineFeed
  return out.subarray(0, at)
}

/** A message read out of an .mbox file, with the line that stood before it. */
export interface MboxMessage {
  separator: string
  raw: Uint8Array
  /** How many octets of the file it takes. */
  taken: number
}

/**
 * Reads an .mbox file in pieces of any size, in one pass. It is strict, for nothing in it may be changed unseen: what does not stand as
 * {@link mboxEntry} writes it comes out as other octets than were put in.
 */
export class MboxReader {
  private rest: Uint8Array = new Uint8Array(0)
  private separator: string | null = null
  private lines: Uint8Array[] = []
  private octets = 0
  /** What stood before the first message, if anything did. */
  before = 0

  /** @param largest octets of a message; a larger one is thrown as `tooLarge` gives it. */
  constructor(
    private readonly largest: number,
    private readonly tooLarge: () => Error,
  ) {}

  /** Takes the next piece, and gives the messages that end in it. */
  *take(piece: Uint8Array): Generator<MboxMessage> {
    let all = piece
    if (this.rest.length > 0) {
      all = new Uint8Array(this.rest.length + piece.length)
      all.set(this.rest)
      all.set(piece, this.rest.length)
    }
    let start = 0
    // What is left of the piece before has no line end: it need not be looked through again.
    for (let end = all.indexOf(lineFeed, this.rest.length); end >= 0; end = all.indexOf(lineFeed, start)) {
      const line = all.subarray(start, end)
      start = end + 1
      if (beginsWithFrom(line, 0)) {
        const done = this.done()
        if (done) yield done
        this.separator = String.fromCharCode(...line.subarray(0, 1000))
        this.octets = line.length + 1
      } else this.add(line)
    }
    this.rest = all.slice(start)
    if (this.rest.length + this.octets > this.largest) throw this.tooLarge()
  }

  /** Gives the last message, when there is nothing more. */
  *finish(): Generator<MboxMessage> {
    // A file that was cut off ends within a line.
    if (this.rest.length > 0) this.add(this.rest)
    this.rest = new Uint8Array(0)
    const done = this.done()
    if (done) yield done
  }

  private add(line: Uint8Array): void {
    this.octets += line.length + 1
    if (this.separator === null) this.before += line.length + 1
    else this.lines.push(quotedFrom(line) > 0 ? line.slice(1) : line.slice())
    if (this.octets > this.largest) throw this.tooLarge()
  }

  private done(): MboxMessage | null {
    const { separator, lines, octets } = this
    this.lines = []
    if (separator === null) return null
    // The blank line behind a message is none of its own. Where it is not there, the message lacks something.
    if (lines.at(-1)?.length === 0) lines.pop()
    else lines.push(Uint8Array.of(0))
    const raw = new Uint8Array(lines.reduce((sum, line) => sum + line.length + 2, 0))
    let at = 0
    for (const line of lines) {
      raw.set(line, at)
      at += line.length
      raw[at++] = carriageReturn
      raw[at++] = lineFeed
    }
    return { separator, raw, taken: octets }
  }
}
