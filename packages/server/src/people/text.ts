import { isUtf8 as isUtf8Text } from 'node:buffer'

/** The text of a file and its encoding: a byte order mark decides, else valid UTF-8, else Windows-1252. */
export function decodeText(bytes: Buffer, wanted?: string): { text: string; encoding: string } {
  const decode = (encoding: string, from: number) => new TextDecoder(encoding).decode(bytes.subarray(from))
  if (wanted) return { text: decode(wanted, 0), encoding: wanted }
  if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf)
    return { text: decode('utf-8', 3), encoding: 'utf-8' }
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return { text: decode('utf-16le', 2), encoding: 'utf-16le' }
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return { text: decode('utf-16be', 2), encoding: 'utf-16be' }
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), encoding: 'utf-8' }
  } catch {
    return { text: decode('windows-1252', 0), encoding: 'windows-1252' }
  }
}

/**
 * A text file in UTF-8, without its byte order mark, and its encoding as {@link decodeText} tells it. What is UTF-8 already is neither
 * decoded nor copied: a table may have hundreds of megabytes.
 */
export function utf8Of(bytes: Buffer, wanted?: string): { bytes: Buffer; encoding: string } {
  const isUtf8 = wanted === undefined || /^utf-?8$/i.test(wanted)
  const marked = bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf
  if (isUtf8 && isUtf8Text(bytes)) return { bytes: marked ? bytes.subarray(3) : bytes, encoding: wanted ?? 'utf-8' }
  const { text, encoding } = decodeText(bytes, wanted)
  return { bytes: Buffer.from(text), encoding }
}
