// npm run check-record -- SEAL.json ARCHIVE [RECORD.pdf]: checks a posting record against its seal and an archive of its messages.
// Ends with 0 when it holds, with 1 when it does not, and with 2 when it cannot be checked.
import { createHash } from 'node:crypto'
import { open, readFile } from 'node:fs/promises'
import { checkRecord, largestSeal, type RecordCheck, RecordFault, readSeal } from '@hand-post/core'
import { archiveParts } from '@hand-post/core/archive'

/** The beginning of a file, at most so many octets. */
async function begun(file: string, most: number): Promise<Buffer> {
  const handle = await open(file)
  try {
    const { size } = await handle.stat()
    const { buffer, bytesRead } = await handle.read(Buffer.alloc(Math.min(size, most)), 0, Math.min(size, most), 0)
    return buffer.subarray(0, bytesRead)
  } finally {
    await handle.close()
  }
}
const sha256 = (data: string | Uint8Array) => createHash('sha256').update(data).digest('hex')

async function check([sealFile, archiveFile, pdfFile]: string[]): Promise<RecordCheck> {
  // A seal that is larger than any is refused by its beginning.
  const seal = readSeal((await begun(sealFile, largestSeal + 1)).toString('utf8'))
  const pdf = pdfFile === undefined ? null : await readFile(pdfFile)
  const archive = await open(archiveFile)
  try {
    const { size } = await archive.stat()
    const read = async (from: number, to: number) => {
      const { buffer, bytesRead } = await archive.read(Buffer.alloc(to - from), 0, to - from, from)
      return buffer.subarray(0, bytesRead)
    }
    return await checkRecord(seal, archiveParts({ size, read }), { sha256, pdf })
  } finally {
    await archive.close()
  }
}

const files = process.argv.slice(2)
if (files.length < 2 || files.length > 3) {
  console.error('Give the seal (.json), the archive (.mbox or .zip) and, if you have it, the record (.pdf).')
  process.exit(2)
}
try {
  const found = await check(files)
  for (const words of found.faults) console.log(`- ${words}`)
  if (found.moreFaults > 0) console.log(`- And ${found.moreFaults} more.`)
  console.log(
    `“${found.round}”: ${found.letters.found} of ${found.letters.sent} letters and ${found.copies.found} of ${found.copies.sent} copies are in the archive as they were sent.`,
  )
  if (found.unhashed > 0)
    console.log(`Of ${found.unhashed} letters the record has no hash: nothing can be said of their bytes.`)
  if (found.pdf === 'notGiven') console.log('No PDF was given, so only the seal was checked.')
  if (found.answers + found.others.length > 0)
    console.log(
      `The record says nothing of these: ${[...(found.answers > 0 ? [`${found.answers} answers`] : []), ...found.others].join(', ')}.`,
    )
  console.log(`End of the chain: ${found.end}`)
  console.log(found.holds ? 'The record holds.' : 'The record does not hold.')
  process.exitCode = found.holds ? 0 : 1
} catch (error) {
  const { code, path, message } = error as NodeJS.ErrnoException
  console.error(
    error instanceof RecordFault
      ? `It cannot be checked: ${message}`
      : `It cannot be checked: “${path ?? files.join(', ')}” cannot be read (${code ?? message}).`,
  )
  process.exitCode = 2
}
