/**
 * A PDF (ISO 32000-1, 7.5) of pages of plain text, written by hand: what the reader of files has to read did not come from our
 * own library.
 * @param pages the words of each page, in ASCII.
 */
export function tinyPdf(...pages: string[]): Buffer {
  const stream = (text: string) => `BT /F1 12 Tf 72 720 Td (${text.replace(/[()\\]/g, '\\$&')}) Tj ET`
  const kids = pages.map((_, i) => `${4 + 2 * i} 0 R`).join(' ')
  const objects = [
    '<< /Type /Catalog /Pages 2 0 R >>',
    `<< /Type /Pages /Kids [${kids}] /Count ${pages.length} >>`,
    '<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>',
    ...pages.flatMap((text, i) => [
      `<< /Type /Page /Parent 2 0 R /MediaBox [0 0 612 792] /Contents ${5 + 2 * i} 0 R /Resources << /Font << /F1 3 0 R >> >> >>`,
      `<< /Length ${stream(text).length} >>\nstream\n${stream(text)}\nendstream`,
    ]),
  ]
  return pdfOf(objects)
}

/** A PDF of its objects, the first of which is its catalogue (ISO 32000-1, 7.5). */
export function pdfOf(objects: string[]): Buffer {
  let body = '%PDF-1.4\n'
  const places = objects.map((object, i) => {
    const at = body.length
    body += `${i + 1} 0 obj\n${object}\nendobj\n`
    return at
  })
  const lines = places.map((at) => `${String(at).padStart(10, '0')} 00000 n \n`).join('')
  const size = objects.length + 1
  return Buffer.from(
    `${body}xref\n0 ${size}\n0000000000 65535 f \n${lines}trailer\n<< /Size ${size} /Root 1 0 R >>\nstartxref\n${body.length}\n%%EOF\n`,
    'latin1',
  )
}
