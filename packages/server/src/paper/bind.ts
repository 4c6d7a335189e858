import { deflateSync, inflateSync } from 'node:zlib'
import type * as PdfLib from '@cantoo/pdf-lib'
import { sheet } from '@hand-post/core'
import { points } from './setting.ts'

/** A sheet's two sides, in points. */
const size: [number, number] = [points(sheet.width), points(sheet.height)]
/** What stays free around a picture, in points. */
const margin = points(15)

/** Octets to which one stream of a PDF is unpacked at most. Only those of objects are, and none of an office comes near. */
const maxUnpacked = 100_000_000
/** How many dots a picture has at most: A4 at 400 dots to the inch has 15 million. */
const maxDots = 20_000_000

let loaded: typeof PdfLib | null = null
/** The library that binds PDFs; loaded when it is first needed. It unpacks whatever a file states, so it is held to a bound here. */
async function pdfLib(): Promise<typeof PdfLib> {
  if (loaded) return loaded
  const lib = await import('@cantoo/pdf-lib')
  const dict = lib.PDFContext.create().obj({ Filter: 'FlateDecode' })
  // Every stream that unpacks grows its room by this function of what it is made from.
  let kind = Object.getPrototypeOf(lib.decodePDFRawStream(lib.PDFRawStream.of(dict, deflateSync(''))))
  while (!Object.hasOwn(kind, 'ensureBuffer')) kind = Object.getPrototypeOf(kind)
  const { ensureBuffer } = kind as { ensureBuffer(requested: number): Uint8Array }
  kind.ensureBuffer = function (requested: number) {
    if (requested > maxUnpacked) throw new RangeError(`A stream unpacks to more than ${maxUnpacked} octets.`)
    return ensureBuffer.call(this, requested)
  }
  loaded = lib
  return lib
}

/** Throws where a PNG (ISO 15948) has more dots than are taken, or unpacks to more than its dots need. */
function holdPng(content: Buffer): void {
  const [width, height] = [content.readUInt32BE(16), content.readUInt32BE(20)]
  if (width * height > maxDots) throw new RangeError('The picture has too many dots.')
  const parts: Buffer[] = []
  for (let at = 8; at + 12 <= content.length; at += content.readUInt32BE(at) + 12)
    if (content.toString('latin1', at + 4, at + 8) === 'IDAT')
      parts.push(content.subarray(at + 8, at + 8 + content.readUInt32BE(at)))
  // Four channels of two octets, a filter for each line, and as many again for the passes of an interlaced picture.
  inflateSync(Buffer.concat(parts), { maxOutputLength: (8 * width + 16) * height + 4096 })
}

/** One PDF out of several, as a printer takes it. */
export interface Binding {
  /**
   * Puts a PDF behind what is there.
   * @param key the same for the same content: that is in the whole once.
   * @throws Error when it cannot be read.
   */
  pdf(content: Uint8Array, key?: string): Promise<void>
  /** Puts a picture on a side of its own. Throws when it cannot be read. */
  picture(content: Buffer, kind: 'png' | 'jpg'): Promise<void>
  /** Fills up the sheet that was begun, so that what follows begins on the front of another. */
  newSheet(): void
  write(): Promise<Uint8Array>
}

/**
 * Binds PDFs and pictures into one PDF.
 * @param title what the whole is called.
 */
export async function bind(title: string): Promise<Binding> {
  const { PDFDocument, PDFName, PDFPage } = await pdfLib()
  const whole = await PDFDocument.create()
  whole.setTitle(title)
  whole.setProducer('Hand Post')
  const known = new Map<string, PdfLib.PDFPage[]>()
  return {
    async pdf(content, key) {
      const before = key === undefined ? undefined : known.get(key)
      if (before) {
        for (const page of before) {
          const again = page.node.clone(whole.context)
          again.delete(PDFName.of('Annots'))
          whole.addPage(PDFPage.of(again, whole.context.register(again), whole))
        }
        return
      }
      const source = await PDFDocument.load(content, { updateMetadata: false, throwOnInvalidObject: true })
      const pages = await whole.copyPages(source, source.getPageIndices())
      if (pages.length === 0) throw new Error('It has no pages.')
      for (const page of pages) whole.addPage(page)
      if (key !== undefined) known.set(key, pages)
    },
    async picture(content, kind) {
      if (kind === 'png') holdPng(content)
      const picture = kind === 'png' ? await whole.embedPng(content) : await whole.embedJpg(content)
      const [width, height] = size
      const fitting = picture.scaleToFit(width - 2 * margin, height - 2 * margin)
      whole.addPage(size).drawImage(picture, {
        x: (width - fitting.width) / 2,
        y: height - margin - fitting.height,
        ...fitting,
      })
    },
    newSheet() {
      if (whole.getPageCount() % 2 === 1) whole.addPage(size)
    },
    write: () => whole.save(),
  }
}
