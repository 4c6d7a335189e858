import { routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { examine } from '../src/enclosures/examine.ts'
import { minute, World } from './world.ts'

/** A made-up name in each of twelve scripts, and one with emoji. */
const names = [
  'Zoë Ødegård',
  'Αλεξάνδρα Παππά',
  'Надежда Ильина',
  'Անի Հակոբյան',
  'თამარ ბერიძე',
  'عادل الحسن',
  'שרה לוי',
  'अदिति शर्मा',
  'สมชาย ใจดี',
  '王小明',
  '佐藤さくら',
  '김민준',
  'Ada 🎉',
]
const address = (i: number) => `person${i}@village.example`
/** The letters of a text whatever their order: scripts from right to left are laid out by words. */
const lettersOf = (text: string) =>
  [...text.normalize('NFKC').replace(/[^\p{L}\p{M}\p{Emoji_Presentation}]/gu, '')].sort().join('')

let world: World
beforeAll(async () => {
  world = await World.open({ manners: Object.fromEntries(names.map((_, i) => [address(i), {}])) })
})
afterAll(() => world.close())

// mailparser reads what arrived, pdfjs the PDFs: neither wrote them.
test('a name in any script arrives right in To, subject, letter, plain text, made PDF and its name, all messages and the outcome list', async () => {
  const csv = ['Name,Email', ...names.map((name, i) => `${name},${address(i)}`)].join('\r\n')
  const round = await world.round(
    csv,
    { subject: 'Permit for {{Name}}', html: '<h2>{{Name}}</h2><p>Dear <b>{{Name}}</b>, welcome.</p>' },
    { made: { of: 'letter', name: 'Notice for {{Name}}' }, dispatch: { perMinute: 60 } },
  )
  const params = { round: round.id }
  expect(await world.call(routes.makeFiles, { params })).toEqual({ made: names.length })
  const proof = await world.call(routes.proof, { params, query: { wait: 'yes' } })
  expect(proof.findings.filter((f) => f.grade !== 'note')).toEqual([])

  const paper = await fetch(`${world.handPost.address}/api/rounds/${round.id}/all-messages?as=pdf`)
  expect(paper.status).toBe(200)
  const all = await examine(Buffer.from(await paper.arrayBuffer()))
  for (const name of names) for (const sign of lettersOf(name)) expect(lettersOf(all.text ?? ''), name).toContain(sign)
  expect(all.text).not.toContain('U+')

  await world.call(routes.post, { params, body: { messages: names.length } })
  await world.pass(minute, 20)
  const board = await world.board(params.round)
  expect(board.people.map((p) => p.outcome)).toEqual(names.map(() => 'sent'))
  for (const [i, name] of names.entries()) {
    const [raw, ...more] = await world.inboxOf(address(i))
    expect(more).toEqual([])
    // Headers are ASCII (RFC 2047), whatever they say.
    expect(/[^\0-\x7f]/.test(raw.toString('latin1').split('\r\n\r\n')[0]), name).toBe(false)
    const mail = await simpleParser(raw)
    expect([mail.to].flat()[0]?.value).toEqual([{ name, address: address(i) }])
    expect(mail.subject).toBe(`Permit for ${name}`)
    expect(mail.text).toContain(`Dear ${name}, welcome.`)
    expect(mail.html).toContain(`Dear <strong>${name}</strong>, welcome.`)
    const [file] = mail.attachments
    expect(file.filename).toBe(`Notice for ${name}.pdf`)
    expect(lettersOf((await examine(file.content)).text ?? ''), name).toBe(lettersOf(`${name} Dear ${name}, welcome.`))
  }
  const outcome = await (await fetch(`${world.handPost.address}/api/rounds/${round.id}/outcome-sheet?as=csv`)).text()
  for (const name of names) expect(outcome).toContain(name)
})

test('a character that no typeface has is a stop, named with whom it is of, and no file is made of it', async () => {
  const round = await world.round(
    `Name,Email,Glyph\r\nAda,${address(0)},a\r\nBram,${address(1)},𓀀`,
    { subject: 'Permit', html: '<p>Dear {{Name}}: {{Glyph}}</p>' },
    { made: { of: 'letter', name: 'Notice for {{Name}}' } },
  )
  const params = { round: round.id }
  await expect(world.call(routes.makeFiles, { params })).rejects.toThrow(
    /“𓀀” \(U\+13000\) stands in “Glyph” of Bram.*Nothing was made/,
  )
  const { findings } = await world.call(routes.proof, { params, query: { wait: 'yes' } })
  expect(findings.filter((f) => f.check === 'withoutForm').map((f) => [f.grade, f.person])).toEqual([['stop', 'Bram']])
  await world.call(routes.editList, {
    params: { list: round.list!.id },
    body: { words: 'Mend', wishes: [{ do: 'cells', cells: [[2, 'c3', 'b']] }] },
  })
  expect(await world.call(routes.makeFiles, { params })).toEqual({ made: 2 })
})
