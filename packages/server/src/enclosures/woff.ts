import { inflateSync } from 'node:zlib'

const directoryAt = 44
const entrySize = 20

/**
 * A font file of the web (WOFF File Format 1.0, W3C) as the plain one that it was made from (ISO/IEC 14496-22, 4.5): its tables
 * unpacked once, where readers of packed ones would unpack them for each character.
 * @throws Error when it is no WOFF file.
 */
export function unpackedFont(woff: Buffer): Buffer {
  if (woff.toString('latin1', 0, 4) !== 'wOFF') throw new Error('not a WOFF file')
  const count = woff.readUInt16BE(12)
  const tables = Array.from({ length: count }, (_, i) => {
    const at = directoryAt + i * entrySize
    const [offset, packed, length] = [4, 8, 12].map((field) => woff.readUInt32BE(at + field))
    const bytes = woff.subarray(offset, offset + packed)
    return {
      tag: woff.subarray(at, at + 4),
      sum: woff.readUInt32BE(at + 16),
      content: packed < length ? inflateSync(bytes, { maxOutputLength: length }) : bytes,
    }
  })
  const head = Buffer.alloc(12 + 16 * count)
  woff.copy(head, 0, 4, 8)
  const power = Math.floor(Math.log2(count))
  head.writeUInt16BE(count, 4)
  head.writeUInt16BE(16 * 2 ** power, 6)
  head.writeUInt16BE(power, 8)
  head.writeUInt16BE(16 * count - 16 * 2 ** power, 10)
  const parts: Buffer[] = [head]
  let offset = head.length
  tables.forEach(({ tag, sum, content }, i) => {
    const at = 12 + 16 * i
    tag.copy(head, at)
    head.writeUInt32BE(sum, at + 4)
    head.writeUInt32BE(offset, at + 8)
    head.writeUInt32BE(content.length, at + 12)
    // Each table begins at a whole multiple of four.
    const padding = (4 - (content.length % 4)) % 4
    parts.push(content, Buffer.alloc(padding))
    offset += content.length + padding
  })
  return Buffer.concat(parts)
}
