/**
 * Octets of base64 text for `size` octets of content (RFC 4648, section 4), in lines of 76 with CRLF
 * (RFC 2045, section 6.8).
 */
export function base64Size(size: number): number {
  const text = 4 * Math.ceil(size / 3)
  return text + 2 * Math.ceil(text / 76)
}

/** Octets allowed for the headers of a message and of one part: measured on our own messages, rounded up. */
const headersOfMessage = 1200
const headersOfPart = 320

const encoder = new TextEncoder()
const room = new Uint8Array(64 * 1024)

/** Whether a text is in ASCII: told by its octets, many times as fast as by an expression; of a very long one it is not told. */
function isAscii(text: string): boolean {
  const { read, written } = encoder.encodeInto(text, room)
  return read === text.length && written === text.length
}

/** An upper estimate of a message's encoded size in octets, from its texts and the sizes of its files. */
export function messageSize(html: string, text: string, fileSizes: number[]): number {
  const utf8 = (s: string) => {
    if (isAscii(s)) return s.length
    let beyond = 0
    for (const [run] of s.matchAll(/[^\0-\x7f]+/g)) beyond += run.length
    return s.length + 5 * beyond
  }
  // Quoted-printable writes a character beyond ASCII as up to three octets for each of its bytes, and folds at 76.
  const quoted = (size: number) => Math.ceil(size * 1.06) + headersOfPart
  return (
    headersOfMessage +
    quoted(utf8(html)) +
    quoted(utf8(text)) +
    fileSizes.reduce((sum, size) => sum + base64Size(size) + headersOfPart, 0)
  )
}

/** Says a size as people do: "240 kB", "3.2 MB". */
export function sizeWords(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`
  if (bytes < 999_500) return `${Math.round(bytes / 1000)} kB`
  return `${(bytes / 1_000_000).toFixed(1)} MB`
}
