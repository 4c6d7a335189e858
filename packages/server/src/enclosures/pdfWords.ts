import { getDocument, VerbosityLevel } from 'pdfjs-dist/legacy/build/pdf.mjs'

/**
 * The words of a PDF, page after page.
 * @param most how many signs are wanted; pages after that are not read.
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
    }
    return words
  } finally {
    await task.destroy()
  }
}
