import type { Readable } from 'node:stream'
import { zipSync } from 'fflate'
import yauzl from 'yauzl'

/** One entry of a zip. */
export interface ZipEntry {
  /** Its path as it is written there. */
  path: string
  /** Octets when unpacked, as it says of itself; the reader holds it to that. */
  size: number
  locked: boolean
  open: () => Promise<Readable>
}

/**
 * Goes through a zip (APPNOTE 6.3) without unpacking it.
 * @param source a buffer, or the path of a file.
 * @param look called with each entry in order.
 * @param after called when all were looked at, while they can still be opened.
 * @throws when it is damaged.
 */
export async function eachEntry(
  source: Buffer | string,
  look: (entry: ZipEntry) => void | Promise<void>,
  after: () => Promise<void> = async () => {},
): Promise<void> {
  // Names are read here: the reader would give up at the first that leads out of its folder.
  const options = { lazyEntries: true, decodeStrings: false, autoClose: false } as const
  const zip = await (typeof source === 'string'
    ? yauzl.openPromise(source, options)
    : yauzl.fromBufferPromise(source, options))
  try {
    for await (const entry of zip.eachEntry()) {
      const path = yauzl.getFileNameLowLevel(
        entry.generalPurposeBitFlag,
        entry.fileNameRaw,
        yauzl.parseExtraFields(entry.extraFieldRaw),
        false,
      )
      await look({
        path,
        size: entry.uncompressedSize,
        locked: entry.isEncrypted(),
        open: () => zip.openReadStreamPromise(entry),
      })
    }
    await after()
  } finally {
    zip.close()
  }
}

/** Why a zip is not unpacked. */
export type ZipFaultKind = 'damaged' | 'locked' | 'swells' | 'lies'
export class ZipFault extends Error {
  constructor(
    readonly kind: ZipFaultKind,
    words: string,
  ) {
    super(words)
  }
}

export interface UnpackLimits {
  /** Octets of all parts together, and how many times the packed size they may be when they are more than `always`. */
  largest: number
  ratio: number
  always: number
  /** How many parts it may have. */
  most: number
}

/**
 * Unpacks a document that is a zip (a workbook, a document) into memory, counting what really comes out: what the zip says of its
 * sizes is checked first and not believed after.
 * @param wanted which parts are unpacked; of several with one name the last counts.
 * @throws ZipFault.
 */
export async function unpack(
  bytes: Buffer,
  { largest, ratio, always, most }: UnpackLimits,
  wanted: (path: string) => boolean,
): Promise<Map<string, Buffer>> {
  const parts = new Map<string, Buffer>()
  const allowed = Math.min(largest, Math.max(always, bytes.length * ratio))
  let stated = 0
  let entries = 0
  const swells = () => new ZipFault('swells', 'it would unpack to a size that nothing in an office has')
  try {
    await eachEntry(bytes, async ({ size, locked }) => {
      stated += size
      if (++entries > most || stated > allowed) throw swells()
      if (locked) throw new ZipFault('locked', 'it is locked with a password')
    })
    let real = 0
    await eachEntry(bytes, async ({ path, open }) => {
      if (!wanted(path)) return
      const chunks: Buffer[] = []
      for await (const chunk of await open()) {
        real += (chunk as Buffer).length
        if (real > allowed) throw swells()
        chunks.push(chunk as Buffer)
      }
      parts.set(path, Buffer.concat(chunks))
    })
  } catch (error) {
    if (error instanceof ZipFault) throw error
    const why = error instanceof Error ? error.message : String(error)
    // The reader holds each part to the size that the zip states.
    if (/too (many|few) bytes/i.test(why))
      throw new ZipFault('lies', 'the sizes that it states of its parts are not true')
    throw new ZipFault('damaged', 'it is damaged or not whole')
  }
  return parts
}

/** Packs parts, without making them smaller: for readers that want a zip, so that they see what was checked and nothing else. */
export function packStored(parts: ReadonlyMap<string, Buffer>): Buffer {
  // A part may have any name, that of an object's own parts too.
  const named: Record<string, Uint8Array> = Object.create(null)
  for (const [path, content] of parts) named[path] = content
  return Buffer.from(zipSync(named, { level: 0 }))
}
