import { PDFDocument, PDFName, PDFPage } from '@cantoo/pdf-lib'
import { sheet } from '@hand-post/core'
import { points } from './setting.ts'

/** A sheet's two sides, in points. */
const size: [number, number] = [points(sheet.width), points(sheet.height)]
/** What stays free around a picture, in points. */
const margin = points(15)

/** One PDF out of several, as a printer takes it. */
export interface Binding {
  /** Puts a PDF behind what is there. Returns how many sides it has. */
  pdf(content: Uint8Array, key?: string): Promise<number>
  /** Puts a picture on a side of its own. */
  picture(content: Uint8Array, kind: 'png' | 'jpg'): Promise<number>
  /** Fills up the sheet that was begun, so that what follows begins on the front of another. */
  newSheet(): void
  write(): Promise<Uint8Array>
}

/**
 * Binds PDFs and pictures into one PDF.
 * @param title what the whole is called.
 */
export async function bind(title: string): Promise<Binding> {
  const whole = await PDFDocument.create()
  whole.setTitle(title)
  whole.setProducer('Hand Post')
  /** Pages that were put in before, by the key of their content: the same file behind many letters is in the PDF once. */
  const known = new Map<string, PDFPage[]>()
  return {
    async pdf(content, key) {
      const before = key === undefined ? undefined : known.get(key)
      if (before) {
        for (const page of before) {
          const again = page.node.clone(whole.context)
          again.delete(PDFName.of('Annots'))
          whole.addPage(PDFPage.of(again, whole.context.register(again), whole))
        }
        return before.length
      }
      const source = await PDFDocument.load(content, { updateMetadata: false })
      const pages = await whole.copyPages(source, source.getPageIndices())
      for (const page of pages) whole.addPage(page)
      if (key !== undefined) known.set(key, pages)
      return pages.length
    },
    async picture(content, kind) {
      const picture = kind === 'png' ? await whole.embedPng(content) : await whole.embedJpg(content)
      const [width, height] = size
      const fitting = picture.scaleToFit(width - 2 * margin, height - 2 * margin)
      whole.addPage(size).drawImage(picture, {
        x: (width - fitting.width) / 2,
        y: height - margin - fitting.height,
        ...fitting,
      })
      return 1
    },
    newSheet() {
      if (whole.getPageCount() % 2 === 1) whole.addPage(size)
    },
    write: () => whole.save(),
  }
}
