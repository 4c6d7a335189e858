/** An argument of an IMAP command: an atom or string, or a parenthesised list of them. */
export type Token = string | Token[]

/** One command as received: RFC 3501, section 2.2.1, its literals in place. */
export interface Command {
  tag: string
  name: string
  args: Token[]
}

/**
 * Gathers commands from the bytes of a connection. A synchronising literal (`{12}`) is asked for by `askForLiteral`;
 * a non-synchronising one (`{12+}`, RFC 7888) follows by itself.
 */
export class CommandReader {
  private bytes = Buffer.alloc(0)
  /** The pieces of the command so far: text, or a literal's bytes. */
  private pieces: (string | Buffer)[] = []
  private literalLeft = -1

  constructor(private readonly askForLiteral: () => void) {}

  /** Takes bytes and returns the lines and literals that complete a command, one array of pieces for each command. */
  push(chunk: Buffer): (string | Buffer)[][] {
    this.bytes = Buffer.concat([this.bytes, chunk])
    const complete: (string | Buffer)[][] = []
    for (;;) {
      if (this.literalLeft >= 0) {
        if (this.bytes.length < this.literalLeft) return complete
        this.pieces.push(this.bytes.subarray(0, this.literalLeft))
        this.bytes = this.bytes.subarray(this.literalLeft)
        this.literalLeft = -1
      }
      const end = this.bytes.indexOf('\r\n')
      if (end < 0) return complete
      const line = this.bytes.subarray(0, end).toString('utf8')
      this.bytes = this.bytes.subarray(end + 2)
      const literal = /\{(\d+)(\+?)\}$/.exec(line)
      if (literal) {
        this.pieces.push(line.slice(0, literal.index))
        this.literalLeft = Number(literal[1])
        if (literal[2] === '') this.askForLiteral()
        continue
      }
      this.pieces.push(line)
      complete.push(this.pieces)
      this.pieces = []
    }
  }
}

/** Cuts a command's pieces into tag, name and arguments. A literal becomes a string of its bytes (latin1), as `append` needs them. */
export function parseCommand(pieces: (string | Buffer)[]): Command {
  const stack: Token[][] = [[]]
  for (const piece of pieces) {
    if (typeof piece !== 'string') {
      stack.at(-1)!.push(piece.toString('latin1'))
      continue
    }
    const pattern =
      /\s+|\(|\)|"((?:[^"\\]|\\.)*)"|((?:BODY(?:\.PEEK)?|BINARY(?:\.PEEK)?)\[[^\]]*\](?:<[\d.]+>)?)|([^\s()"]+)/giy
    pattern.lastIndex = 0
    for (let match = pattern.exec(piece); match; match = pattern.exec(piece)) {
      if (match[0] === '(') {
        const list: Token[] = []
        stack.at(-1)!.push(list)
        stack.push(list)
      } else if (match[0] === ')') {
        if (stack.length > 1) stack.pop()
      } else if (match[1] !== undefined) stack.at(-1)!.push(match[1].replace(/\\(.)/g, '$1'))
      else if (match[2] ?? match[3]) stack.at(-1)!.push(match[2] ?? match[3])
    }
  }
  const [tag, name, ...args] = stack[0]
  return { tag: String(tag ?? '*'), name: String(name ?? '').toUpperCase(), args }
}

/** Writes a string as IMAP sends it: quoted, or as a literal where quoting cannot hold it; NIL for null. */
export function imapString(text: string | null): string {
  if (text === null) return 'NIL'
  if (/[\r\n\0]|[^\x20-\x7e]/.test(text)) return `{${Buffer.byteLength(text)}}\r\n${text}`
  return `"${text.replace(/["\\]/g, '\\$&')}"`
}

/** Tells whether a number lies in a sequence set such as `1:4,7,9:*`: the set is read once, however many numbers are asked about. */
export function setOf(set: string, largest: number): (n: number) => boolean {
  const single = new Set<number>()
  const ranges: [number, number][] = []
  for (const range of set.split(',')) {
    const [from, to = from] = range.split(':').map((end) => (end === '*' ? largest : Number(end)))
    if (from === to) single.add(from)
    else ranges.push([Math.min(from, to), Math.max(from, to)])
  }
  return (n) => single.has(n) || ranges.some(([from, to]) => n >= from && n <= to)
}
