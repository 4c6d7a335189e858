import { createRequire } from 'node:module'
import { type Holder, trust } from './world.ts'

interface PdfMaker {
  addFonts(fonts: Record<string, Record<string, string>>): void
  createPdf(definition: object): { getBuffer(): Promise<Buffer> }
  setUrlAccessPolicy(allowed: () => boolean): void
  setLocalAccessPolicy(allowed: (path: string) => boolean): void
}
const pdf = createRequire(import.meta.url)('pdfmake') as PdfMaker
// Times is one of the fonts that every reader of PDF has (ISO 32000, 9.6.2.2): nothing is fetched or embedded.
pdf.addFonts({
  Times: { normal: 'Times-Roman', bold: 'Times-Bold', italics: 'Times-Italic', bolditalics: 'Times-BoldItalic' },
})
pdf.setUrlAccessPolicy(() => false)
// The names of the standard fonts pass for paths here; no other file is read. The library has one policy for whoever uses it.
pdf.setLocalAccessPolicy((path) => /^(Courier|Helvetica|Times)(-\w+)?$/.test(path))

// The standard fonts have the letters of Windows-1252; the few beyond are written without their strokes.
const within = (text: string) => text.replace(/Ł/g, 'L').replace(/ł/g, 'l')

function made(title: string, content: object[]): Promise<Buffer> {
  return pdf
    .createPdf({
      info: { title, author: trust },
      defaultStyle: { font: 'Times', fontSize: 12, lineHeight: 1.25 },
      pageMargins: [64, 64, 64, 64],
      content: [
        { text: trust, fontSize: 11, color: '#4a5a61' },
        { text: title, fontSize: 22, bold: true, margin: [0, 6, 0, 18] },
        ...content,
      ],
    })
    .getBuffer()
}

const facts = (rows: [string, string][]) => ({
  table: {
    widths: [130, '*'],
    body: rows.map(([name, value]) => [{ text: name, color: '#4a5a61' }, within(value)]),
  },
  layout: 'lightHorizontalLines',
  margin: [0, 0, 0, 18],
})

const pounds = (n: number) => `£${n.toLocaleString('en-GB', { minimumFractionDigits: 2 })}`

/** The season permit of one berth holder. */
export function permitPdf(h: Holder, season: number): Promise<Buffer> {
  return made(`Season permit ${season}`, [
    facts([
      ['Permit', h.permit],
      ['Holder', `${h.first} ${h.last}`],
      ['Boat', `${h.boat}, ${h.length.toFixed(1)} m`],
      ['Berth', `${h.berth}, ${h.group}`],
      ['Fee for the season', pounds(h.fee)],
    ]),
    { text: 'This permit is to be kept on board and shown to the harbour master when asked for.' },
  ])
}

/** The inspection sheet of one mooring. */
export function inspectionPdf(h: Holder): Promise<Buffer> {
  return made('Mooring inspection', [
    facts([
      ['Mooring', h.berth],
      ['Holder', `${h.first} ${h.last}`],
      ['Ground chain', h.length > 9 ? 'worn, to be renewed before the winter' : 'sound'],
      ['Riser', 'sound'],
      ['Buoy', h.length > 11 ? 'number not readable' : 'sound'],
    ]),
  ])
}

/** The harbour rules, which go to all. */
export function rulesPdf(): Promise<Buffer> {
  return made('Harbour rules', [
    {
      ol: [
        'The speed within the breakwater is four knots.',
        'Lines are doubled when a gale is forecast.',
        'The slipway is booked at the harbour office, by the hour.',
        'Fuel is taken at the fuel berth only.',
        'Whoever leaves a berth for more than two nights says so.',
      ],
    },
  ])
}
