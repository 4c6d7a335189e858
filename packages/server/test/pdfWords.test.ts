import { expect, test } from 'vitest'
import { pdfWords } from '../src/enclosures/pdfWords.ts'
import { pdfOf, tinyPdf } from './tinyPdf.ts'

// Written by hand from ISO 32000-1: 12.7.4 (fields of a form), 12.5.6.6 (words put on top of a page).
const form = pdfOf([
  '<< /Type /Catalog /Pages 2 0 R /AcroForm << /Fields [6 0 R 7 0 R 9 0 R] /DA (/F1 12 Tf) /DR << /Font << /F1 3 0 R >> >> >> >>',
  '<< /Type /Pages /Kids [4 0 R] /Count 1 >>',
  '<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>',
  '<< /Type /Page /Parent 2 0 R /MediaBox [0 0 612 792] /Contents 5 0 R /Resources << /Font << /F1 3 0 R >> >> /Annots [6 0 R 7 0 R 8 0 R 9 0 R] >>',
  '<< /Length 43 >>\nstream\nBT /F1 12 Tf 72 720 Td (Permit form) Tj ET \nendstream',
  '<< /Type /Annot /Subtype /Widget /FT /Tx /T (name) /V (Ada Penrose) /Rect [72 600 300 620] /DA (/F1 12 Tf) >>',
  '<< /Type /Annot /Subtype /Widget /FT /Ch /T (berth) /Opt [(A12) (B07)] /V (B07) /Rect [72 560 300 580] /DA (/F1 12 Tf) >>',
  '<< /Type /Annot /Subtype /FreeText /Contents (for Bram Tolland) /Rect [72 500 300 520] /DA (/F1 12 Tf) >>',
  '<< /Type /Annot /Subtype /Widget /FT /Tx /T (empty) /Rect [72 460 300 480] /DA (/F1 12 Tf) >>',
])

test('what is filled into a form, and put on top of a page, is among the words', async () => {
  const words = (await pdfWords(form, 10_000)).split('\n').filter(Boolean)
  expect(words.sort()).toEqual(['Ada Penrose', 'B07', 'Permit form', 'for Bram Tolland'])
})

test('no more is read than is wanted', async () => {
  expect(await pdfWords(form, 5)).toBe('Permit form\n')
  expect(await pdfWords(tinyPdf('one', 'two', 'three'), 4)).toBe('one\n')
})
