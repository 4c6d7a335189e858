import { crc32, deflateSync } from 'node:zlib'
import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs'
import { expect, test } from 'vitest'
import { bind } from '../src/paper/bind.ts'
import { pdfOf, tinyPdf } from './tinyPdf.ts'

/** The words of each page of a PDF, by a reader that is not ours (pdf.js). */
async function pagesOf(pdf: Uint8Array): Promise<string[]> {
  const read = await getDocument({ data: new Uint8Array(pdf), verbosity: 0 }).promise
  return Promise.all(
    Array.from({ length: read.numPages }, async (_, i) => {
      const { items } = await (await read.getPage(i + 1)).getTextContent()
      return items.map((item) => ('str' in item ? item.str : '')).join('')
    }),
  )
}
const page = '<< /Type /Page /Parent 2 0 R /MediaBox [0 0 612 792] >>'
/** A PDF with a stream of objects (ISO 32000-1, 7.5.7) that unpacks to so many blanks before its one object. */
function blanksInObjects(blanks: number): Buffer {
  const packed = deflateSync(
    Buffer.concat([Buffer.from('5 0 '), Buffer.alloc(blanks, 0x20), Buffer.from('<< /A 1 >>')]),
  )
  return pdfOf([
    '<< /Type /Catalog /Pages 2 0 R >>',
    '<< /Type /Pages /Kids [3 0 R] /Count 1 >>',
    page,
    `<< /Type /Obj#53tm /N 1 /First 4 /Filter /FlateDecode /Length ${packed.length} >>\nstream\n${packed.toString('latin1')}\nendstream`,
  ])
}
/** A PNG of one grey, of the size that it states, whose picture unpacks to so many octets. */
function png(width: number, height: number, octets: number): Buffer {
  const chunk = (name: string, content: Buffer) => {
    const body = Buffer.concat([Buffer.from(name), content])
    const [length, sum] = [Buffer.alloc(4), Buffer.alloc(4)]
    length.writeUInt32BE(content.length)
    sum.writeUInt32BE(crc32(body))
    return Buffer.concat([length, body, sum])
  }
  const head = Buffer.alloc(13)
  head.writeUInt32BE(width, 0)
  head.writeUInt32BE(height, 4)
  head[8] = 8
  return Buffer.concat([
    Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]),
    chunk('IHDR', head),
    chunk('IDAT', deflateSync(Buffer.alloc(octets))),
    chunk('IEND', Buffer.alloc(0)),
  ])
}

test('PDFs and pictures stand behind one another, each on a new sheet where that is wanted; the same content is there once', async () => {
  const content = tinyPdf('one', 'two', 'three')
  const small = await bind('A few')
  await small.pdf(content, 'a')
  const once = (await small.write()).length
  const binding = await bind('A few')
  for (let i = 0; i < 20; i++) {
    await binding.pdf(content, 'a')
    binding.newSheet()
  }
  await binding.picture(png(40, 30, 41 * 30), 'png')
  const whole = await binding.write()
  expect(await pagesOf(whole)).toEqual([...Array(20).fill(['one', 'two', 'three', '']).flat(), ''])
  // A page that comes again costs its few words, not its content.
  expect(whole.length).toBeLessThan(once + 20 * 4 * 200 + 2000)
})

test('what cannot be read is refused, and what was bound before it stays', async () => {
  const locked = pdfOf([
    '<< /Type /Catalog /Pages 2 0 R >>',
    '<< /Type /Pages /Kids [3 0 R] /Count 1 >>',
    page,
    '<< /Filter /Standard /V 1 /R 2 /O (x) /U (y) /P -4 >>',
  ])
  const withKey = Buffer.from(locked.toString('latin1').replace('/Root 1 0 R', '/Root 1 0 R /Encrypt 4 0 R'), 'latin1')
  const circle = pdfOf(['<< /Type /Catalog /Pages 2 0 R >>', '<< /Type /Pages /Kids [2 0 R] /Count 1 >>'])
  const binding = await bind('Kept')
  await binding.pdf(tinyPdf('kept'))
  for (const content of [Buffer.from('no PDF'), withKey, circle, pdfOf(['<< /Type /Catalog >>'])])
    await expect(binding.pdf(content)).rejects.toThrow()
  await expect(binding.picture(Buffer.from('no picture'), 'jpg')).rejects.toThrow()
  await expect(binding.picture(png(40, 30, 41 * 30).subarray(0, 48), 'png')).rejects.toThrow()
  await binding.pdf(tinyPdf('kept too'))
  expect(await pagesOf(await binding.write())).toEqual(['kept', 'kept too'])
})

test('what would unpack to more than any file of an office is not unpacked', async () => {
  const binding = await bind('Held')
  await binding.pdf(blanksInObjects(1_000_000))
  await expect(binding.pdf(blanksInObjects(150_000_000))).rejects.toThrow()
  await expect(binding.picture(png(30_000, 30_000, 1000), 'png')).rejects.toThrow(/too many dots/)
  // It states few dots, and has many.
  await expect(binding.picture(png(40, 30, 100_000_000), 'png')).rejects.toThrow(/larger than/)
  expect(await pagesOf(await binding.write())).toEqual([''])
})
