import { checkRecord, largestSeal, type RecordCheck, RecordFault, readSeal, type Sha256 } from '@hand-post/core'
import { archiveParts } from '@hand-post/core/archive'
import { sha256 as noble } from '@noble/hashes/sha2.js'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js'

/** What is to be checked. */
export interface CheckAsk {
  seal: File
  archive: File
  pdf: File | null
}
/** What the thread says meanwhile, and in the end. `fault`: in words, why it cannot be checked. */
export type CheckSaid = { read: number } | { found: RecordCheck } | { fault: string }

// The browser's own hashes are there only where pages come by HTTPS.
const sha256: Sha256 = (data) => bytesToHex(noble(typeof data === 'string' ? utf8ToBytes(data) : data))
const say = (said: CheckSaid) => postMessage(said)
const bytesOf = async (file: Blob) => new Uint8Array(await file.arrayBuffer())

/** How often (ms) it is said how far it is. */
const tellEvery = 200

addEventListener('message', async ({ data: { seal, archive, pdf } }: MessageEvent<CheckAsk>) => {
  let told = 0
  try {
    const source = { size: archive.size, read: (from: number, to: number) => bytesOf(archive.slice(from, to)) }
    const parts = archiveParts(source, (read) => {
      if (Date.now() - told < tellEvery) return
      told = Date.now()
      say({ read })
    })
    say({
      // More than the most need not be read to be refused.
      found: await checkRecord(readSeal(await seal.slice(0, largestSeal + 1).text()), parts, {
        sha256,
        pdf: pdf && (await bytesOf(pdf)),
      }),
    })
  } catch (error) {
    // What the browser says of a file that went away while it was read is no sentence for people.
    say({
      fault:
        error instanceof RecordFault
          ? error.message
          : 'One of the files could not be read: it may have been moved or changed meanwhile. Choose it again.',
    })
  }
})
