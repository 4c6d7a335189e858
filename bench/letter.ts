import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { routes } from '@hand-post/contract'
import {
  type Block,
  type Column,
  compileLetter,
  type Letter,
  noMatching,
  nothingAround,
  plainField,
  type Row,
  readingSetOf,
} from '@hand-post/core'
import { chromium, type Page } from '@playwright/test'
import Handlebars from 'handlebars'
import { chromiumOptions } from '../scripts/chromium.mjs'
import { pause, print, quickest, sized } from './measure.ts'
import { startProgram } from './program.ts'

// A letter with ten passages and twenty fields for 10,000 people.
const count = sized(10_000)
const columns: Column[] = Array.from({ length: 30 }, (_, i) => ({ id: `c${i}`, name: `Column ${i}`, kind: 'text' }))
const words = 'The harbour office asks all holders to look over their lines before the winter gales set in. '
const field = (i: number) => ({ type: 'field' as const, attrs: plainField(`Column ${i}`) })
const text = (words: string) => ({ type: 'text' as const, text: words })
const passages = Array.from({ length: 10 }, (_, n): Block[] => [
  {
    type: 'paragraph',
    content: [text(`${words} Part ${n}: `), field(2 * n), text(' and '), field(2 * n + 1), text('.')],
  },
  {
    type: 'passage',
    attrs: { selection: { match: 'all', rules: [{ column: `Column ${20 + n}`, comparison: 'is', value: 'yes' }] } },
    content: [
      { type: 'paragraph', content: [text(`Passage ${n} is in. ${words}`)] },
      { type: 'otherwise', content: [{ type: 'paragraph', content: [text(`Passage ${n} is out.`)] }] },
    ],
  },
])
const letter: Letter = {
  subject: 'For {{Column 0}}',
  body: { type: 'doc', content: [...passages.flat(), { type: 'paragraph', content: [text('End.')] }] },
}
const rows: Row[] = Array.from({ length: count }, (_, i) => ({
  id: i,
  position: '',
  number: i + 1,
  cells: Object.fromEntries(columns.map((c, n) => [c.id, n < 20 ? `${c.name} & co ${i}` : (i + n) % 3 ? 'yes' : 'no'])),
}))

const compiled = compileLetter(letter, columns)
// The same texts as templates of a general-purpose library, which is told who sees which passage by a plain comparison.
const marks = Object.fromEntries(columns.map((c, n) => [c.id, n < 20 ? `@${c.id}@` : 'yes']))
const marked = compiled.merge({ id: 0, position: '', number: 1, cells: marks })
const template = (made: string, noEscape: boolean) =>
  Handlebars.compile(
    made
      .replace(/@(c\d+)@/g, '{{$1}}')
      .replace(/(<p[^>]*>)?Passage (\d) is in\. [^<\n]*(<\/p>|\n\n)/g, (whole, open = '', n, close) => {
        return `{{#if p${n}}}${whole}{{else}}${open}Passage ${n} is out.${close}{{/if}}`
      }),
    { noEscape },
  )
const [subject, html, plain] = [
  template(marked.subject, true),
  template(marked.html, false),
  template(marked.text, true),
]
const filled = ({ cells }: Row) => {
  const values: Record<string, unknown> = { ...cells }
  for (let n = 0; n < 10; n++) values[`p${n}`] = cells[`c${20 + n}`] === 'yes'
  return values
}
for (const row of rows.slice(0, 50))
  if (html(filled(row)) !== compiled.merge(row).html || plain(filled(row)) !== compiled.merge(row).text)
    throw new Error('The two do not make the same text.')
let sink = 0
const [ours, baseline] = await quickest(
  7,
  () => {
    for (const row of rows) sink += compiled.merge(row).html.length
  },
  () => {
    for (const row of rows) {
      const values = filled(row)
      sink += subject(values).length + html(values).length + plain(values).length
    }
  },
)
const perSecond = (count / ours) * 1000
print({
  name: `Merge of a letter with ten passages and twenty fields for 10,000 people (${Math.round(perSecond).toLocaleString('en-GB')} a second), against handlebars`,
  ours,
  baseline,
  unit: 'ms',
  asked: '5,000 a second and more, and not slower',
  kept: perSecond >= 5000 && ours <= baseline && sink > 0,
})

const toProof = {
  letter,
  columns,
  people: rows,
  rowsOf: new Map(),
  leftOut: [],
  paper: null,
  madeFiles: null,
  addressColumn: null,
  nameColumns: [],
  matching: noMatching,
  fileFacts: new Map(),
  around: nothingAround,
  files: [],
  making: {},
  notes: new Map(),
  copies: { cc: [], bcc: [], replyTo: [] },
  pictureSizes: [],
  largestMessage: 1e9,
  sameAddress: null,
  anyDoubled: true,
}
const [choosing, merging] = await quickest(
  3,
  () => {
    sink += readingSetOf(toProof).length
  },
  () => {
    for (const row of rows) sink += compiled.merge(row).html.length
  },
)
print({
  name: 'The reading set of 10,000 people, against merging all of them once',
  ours: choosing,
  baseline: merging,
  unit: 'ms',
  asked: 'at most 1,000 ms',
  kept: choosing <= 1000,
})

// The same in the running program, in Chromium: from a key to the merged message, against a bare editable element that is
// copied into a frame.
const root = join(import.meta.dirname, '..')
const { address, ask, end } = await startProgram()
const csv = [
  ['Email', ...columns.map((c) => c.name)].join(','),
  ...rows.map((r) => [`p${r.id}@village.example`, ...columns.map((c) => r.cells[c.id])].join(',')),
].join('\n')
const { id } = await ask(routes.readFile, { query: { name: 'people.csv' }, file: Buffer.from(csv) })
const list = await ask(routes.makeList, { body: { reading: id } })
const round = await ask(routes.startRound, { body: { title: 'Bench' } })
await ask(routes.changeRound, { params: { round: round.id }, body: { listId: list.id, letter } })

const browser = await chromium.launch(chromiumOptions)
/** From each key to the frame in which the words it types are drawn: the median, in milliseconds. */
async function keyToFrame(page: Page, frame: string): Promise<number> {
  const times: number[] = []
  for (let i = 0; i < 25; i++) {
    await page.evaluate((frame) => {
      const body = document.querySelector<HTMLIFrameElement>(frame)!.contentDocument!.body
      const state = window as unknown as { pressed: number; took: Promise<number> }
      addEventListener('keydown', () => (state.pressed = performance.now()), { capture: true, once: true })
      state.took = new Promise((resolve) => {
        const watch = new MutationObserver(() => {
          watch.disconnect()
          requestAnimationFrame(() => resolve(performance.now() - state.pressed))
        })
        watch.observe(body, { childList: true, subtree: true, characterData: true })
      })
    }, frame)
    await page.keyboard.press('x')
    times.push(await page.evaluate(() => (window as unknown as { took: Promise<number> }).took))
    await page.waitForTimeout(60)
  }
  return times.sort((a, b) => a - b)[12]
}
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
const loaded: string[] = []
page.on('response', (r) => r.url().endsWith('.js') && loaded.push(new URL(r.url()).pathname))
await page.goto(`${address}/`)
await page.getByText('What is going out').waitFor()
await page.waitForLoadState('networkidle')
const first = [...loaded]
await page.goto(`${address}/rounds/${round.id}/letter`)
const body = page.getByRole('textbox', { name: 'Letter', exact: true })
await body.getByText('Part 4').click()
await page.waitForTimeout(pause(3000))
const typing = await keyToFrame(page, 'iframe[title="Message"]')
const bare = await browser.newPage({ viewport: { width: 1280, height: 800 } })
const whole = compiled.merge(rows[0]).html.replace(/"/g, '&quot;')
await bare.setContent(
  `<div id="e" contenteditable>${compiled.merge(rows[0]).html}</div><iframe srcdoc="${whole}"></iframe>`,
)
await bare.evaluate(() => {
  const editable = document.getElementById('e')!
  editable.addEventListener('input', () => {
    document.querySelector('iframe')!.contentDocument!.body.innerHTML = editable.innerHTML
  })
})
await bare.locator('#e').click()
const copying = await keyToFrame(bare, 'iframe')
print({
  name: 'From a key to the merged message, with 10,000 people, ten passages and twenty fields, against a bare copy into a frame',
  ours: typing,
  baseline: copying,
  unit: 'ms',
  asked: 'at most 50 ms',
  kept: typing <= 50,
})

const dist = join(root, 'packages/web/dist')
const zipped = (path: string) => gzipSync(readFileSync(join(dist, path))).length / 1000
const size = first.reduce((sum, path) => sum + zipped(path), 0)
const editor = first.some((path) => /Letter|Toolbar/.test(path))
console.log(
  `Script of the first view: ${size.toFixed(0)} kB gzipped, the editor ${editor ? 'in it' : 'not in it'}; asked: at most 250 kB, the editor only where it is used: ${size <= 250 && !editor ? 'kept' : 'NOT KEPT'}`,
)
await browser.close()
await end()
