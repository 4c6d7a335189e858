import { getDocument, VerbosityLevel } from 'pdfjs-dist/legacy/build/pdf.mjs'

/** What the reader tells of a field of a form, or of words put on top of a page. */
interface Annotation {
  subtype?: string
  fieldValue?: unknown
  contentsObj?: { str?: string }
}

/**
 * The words of a PDF, page after page, with what is filled into its forms.
 * @param most how many characters are wanted; pages after that are not read.
 * @throws the reader's PasswordException when it is locked, another error when it is damaged.
 */
export async function pdfWords(bytes: Uint8Array, most: number): Promise<string> {
  const task = getDocument({
    // The reader takes the memory over.
    data: new Uint8Array(bytes),
    verbosity: VerbosityLevel.ERRORS,
    // Only words are wanted: no fonts are made, nothing is drawn, nothing is fetched or run.
    disableFontFace: true,
    useSystemFonts: false,
    isEvalSupported: false,
    stopAtErrors: true,
  })
  try {
    const document = await task.promise
    let words = ''
    for (let n = 1; n <= document.numPages && words.length < most; n++) {
      const page = await document.getPage(n)
      const { items } = await page.getTextContent()
      for (const item of items) if ('str' in item) words += item.hasEOL ? `${item.str}\n` : item.str
      words += '\n'
      // What was filled into a form is no part of the page's text (ISO 32000-1, 12.7.4), nor are words that were put on top of it.
      for (const one of (await page.getAnnotations()) as Annotation[]) {
        if (words.length >= most) break
        const filled =
          one.subtype === 'Widget' ? one.fieldValue : one.subtype === 'FreeText' ? one.contentsObj?.str : null
        for (const value of [filled].flat()) if (typeof value === 'string' && value !== '') words += `${value}\n`
      }
    }
    return words
  } finally {
    await task.destroy()
  }
}
