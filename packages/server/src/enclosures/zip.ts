import type { Readable } from 'node:stream'
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
 * @throws when it is damaged.
 */
export async function eachEntry(
  source: Buffer | string,
  look: (entry: ZipEntry) => void | Promise<void>,
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
  } finally {
    zip.close()
  }
}
