import { type Column, compileLetter, type Row, readHtml } from '@hand-post/core'
import Handlebars from 'handlebars'
import { print, quickest, sized } from './measure.ts'

// A letter of about 2 kB with eight fields, for 10,000 people, against a precompiled general-purpose template library
// (handlebars) that fills the same three texts: subject, html and plain text.
const names = ['First name', 'Last name', 'Boat', 'Berth', 'Permit no', 'Group', 'Fee', 'Due']
const columns: Column[] = names.map((name, i) => ({ id: `c${i + 1}`, name, kind: 'text' }))
const words = 'The harbour office asks all holders of berths to look over their lines before the winter gales set in. '
const html = `<p>Dear {{First name}} {{Last name}},</p><p>${words.repeat(6)}</p><p>Your boat <b>{{Boat}}</b> lies at {{Berth}} ({{Group}}), permit {{Permit no}}.</p><p>${words.repeat(5)}</p><p>The fee of {{Fee}} is due on {{Due}}.</p><ul><li>${words.repeat(3)}</li><li>${words.repeat(2)}</li></ul><p>With good wishes</p>`
const letter = { subject: 'Permit {{Permit no}} for {{Boat}}', body: readHtml(html).body }
const rows: Row[] = Array.from({ length: sized(10_000) }, (_, i) => ({
  id: i,
  position: '',
  number: i + 1,
  cells: Object.fromEntries(columns.map((c) => [c.id, `${c.name} & co ${i}`])),
}))

const compiled = compileLetter(letter, columns)
// The same texts as templates: each value is marked, then swapped for the template's own place.
const marked = compiled.merge({
  id: 0,
  position: '',
  number: 1,
  cells: Object.fromEntries(columns.map((c) => [c.id, `@${c.id}@`])),
})
const template = (text: string, noEscape: boolean) =>
  Handlebars.compile(text.replace(/@(c\d)@/g, '{{$1}}'), { noEscape })
const [subject, body, plain] = [
  template(marked.subject, true),
  template(marked.html, false),
  template(marked.text, true),
]
if (body(rows[7].cells) !== compiled.merge(rows[7]).html) throw new Error('The two do not make the same text.')

let sink = 0
const [ours, baseline] = await quickest(
  9,
  () => {
    for (const row of rows) sink += compiled.merge(row).html.length
  },
  () => {
    for (const row of rows) sink += subject(row.cells).length + body(row.cells).length + plain(row.cells).length
  },
)
print({
  name: `Merge of a ${(html.length / 1000).toFixed(1)} kB letter with 8 fields for 10,000 people, against handlebars`,
  ours,
  baseline,
  unit: 'ms',
  asked: 'not slower',
  kept: ours <= baseline && sink > 0,
})
