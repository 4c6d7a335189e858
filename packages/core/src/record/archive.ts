import { type Entry, Reader, Writer, ZipReader } from '@zip.js/zip.js/lib/zip-core-native.js'
import { type ArchivePart, RecordFault } from './check.ts'
import { MboxReader } from './mbox.ts'
import { archive as say } from './words.ts'

/** A file that is read piece by piece, wherever it lies. */
export interface ByteSource {
  size: number
  read: (from: number, to: number) => Promise<Uint8Array>
}

/** The most octets that one part of an archive has: twice the largest message that any host takes. */
const largestPart = 100_000_000
const largestWords = '100 MB'
const maxParts = 1_000_000
/** Octets that are read at a time. */
const atOnce = 4_000_000

class SourceReader extends Reader<ByteSource> {
  constructor(private readonly source: ByteSource) {
    super(source)
    this.size = source.size
  }
  override readUint8Array(index: number, length: number): Promise<Uint8Array> {
    return this.source.read(index, Math.min(this.size, index + length))
  }
}

/** Takes what is unpacked, and no more than there may be. */
class BoundedWriter extends Writer<Uint8Array> {
  private readonly pieces: Uint8Array[] = []
  private octets = 0
  constructor(private readonly name: string) {
    super()
  }
  override async writeUint8Array(piece: Uint8Array): Promise<void> {
    this.octets += piece.length
    if (this.octets > largestPart) throw new RecordFault(say.tooLarge(`“${this.name}”`, largestWords))
    this.pieces.push(piece)
  }
  override async getData(): Promise<Uint8Array> {
    const all = new Uint8Array(this.octets)
    let at = 0
    for (const piece of this.pieces) {
      all.set(piece, at)
      at += piece.length
    }
    return all
  }
}

const kindOfPath = (path: string): ArchivePart['kind'] =>
  /^answers\//.test(path) ? 'answer' : /^files\//.test(path) ? 'file' : /\.eml$/i.test(path) ? 'message' : 'other'

async function* partsOfZip(source: ByteSource, onRead: (octets: number) => void): AsyncGenerator<ArchivePart> {
  const zip = new ZipReader(new SourceReader(source), {
    // It runs in a thread of its own already, and nothing is fetched.
    useWebWorkers: false,
    checkSignature: true,
    // What another program could read otherwise is not taken.
    strictness: 'strict',
  })
  let n = 0
  let read = 0
  try {
    for await (const entry of zip.getEntriesGenerator() as AsyncIterable<Entry>) {
      if (++n > maxParts) throw new RecordFault(say.tooMany(n))
      if (entry.directory) continue
      const name = entry.filename
      if (entry.encrypted) throw new RecordFault(say.locked(name))
      if (entry.uncompressedSize > largestPart) throw new RecordFault(say.tooLarge(`“${name}”`, largestWords))
      const bytes = await entry.getData!(new BoundedWriter(name))
      read += entry.compressedSize
      onRead(read)
      yield { name, kind: kindOfPath(name), bytes }
    }
  } catch (error) {
    if (error instanceof RecordFault) throw error
    throw new RecordFault(say.broken(error instanceof Error ? error.message : String(error)))
  } finally {
    await zip.close()
  }
}

async function* partsOfMbox(source: ByteSource, onRead: (octets: number) => void): AsyncGenerator<ArchivePart> {
  let n = 0
  const reader: MboxReader = new MboxReader(
    largestPart,
    () => new RecordFault(say.tooLarge(say.entry(n + 1), largestWords)),
  )
  const part = ({ separator, raw }: { separator: string; raw: Uint8Array }): ArchivePart => {
    if (++n > maxParts) throw new RecordFault(say.tooMany(n))
    return { name: say.entry(n), kind: 'message', bytes: raw, separator }
  }
  for (let at = 0; at < source.size; at += atOnce) {
    for (const message of reader.take(await source.read(at, Math.min(source.size, at + atOnce)))) yield part(message)
    onRead(Math.min(source.size, at + atOnce))
  }
  for (const message of reader.finish()) yield part(message)
}

/**
 * What an archive holds, part after part: an .mbox file (RFC 4155) or a zip. A zip is read by its directory, as other programs read it,
 * and held to the checksums that it states.
 * @param onRead is told how many octets of it were read.
 * @throws RecordFault when it is neither, is broken, or holds more than an archive can.
 */
export async function* archiveParts(
  source: ByteSource,
  onRead: (octets: number) => void = () => {},
): AsyncGenerator<ArchivePart> {
  const head = await source.read(0, Math.min(5, source.size))
  const begins = String.fromCharCode(...head)
  if (begins.startsWith('PK')) yield* partsOfZip(source, onRead)
  else if (begins === 'From ') yield* partsOfMbox(source, onRead)
  else throw new RecordFault(say.neither)
}
