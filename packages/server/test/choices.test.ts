import { routes } from '@hand-post/contract'
import { emptyLetter, type Letter } from '@hand-post/core'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { bare } from './http.ts'
import { refusal } from './lived.ts'
import { hour, minute, office, World } from './world.ts'

// Choices of a letter: as prepared answers (RFC 6068), and on their page; each read out of the messages as they arrived.

const names = ['Ada', 'Bram', 'Cy', 'Dot', 'Eve', 'Fay', 'Gus', 'Hal']
const addressOf = (name: string) => `${name.toLowerCase()}@village.example`
const choices = ['I shall come', 'I cannot', 'Perhaps; I’ll say by “Friday” & so on']
const letter: Letter = {
  ...emptyLetter,
  subject: 'Harbour day, {{Name}}',
  body: {
    type: 'doc',
    content: [
      { type: 'paragraph', content: [{ type: 'text', text: 'Will you come to the harbour day?' }] },
      { type: 'choices', attrs: { choices } },
    ],
  },
}
const csv = ['Name,Email', ...names.map((name) => `${name},${addressOf(name)}`)].join('\n')
const options = {
  manners: Object.fromEntries([...names.map(addressOf), 'copy@village.example'].map((one) => [one, {}])),
  limits: { perDay: 10_000, perMinute: 10_000 },
}

let world: World
let round: number
async function post(changes: object = {}): Promise<void> {
  round = (await world.round(csv, { subject: 'x', html: '<p>x</p>' }, { dispatch: { perMinute: 60, brake: null } })).id
  const params = { round }
  await world.call(routes.changeRound, { params, body: { letter, ...changes } })
  const { findings } = await world.call(routes.proof, { params, query: { wait: 'yes' } })
  expect(findings.filter((f) => f.grade === 'stop')).toEqual([])
  const asks = findings.filter((f) => f.grade === 'ask').map((f) => f.key)
  if (asks.length > 0) await world.call(routes.accept, { params, body: { keys: asks, reason: 'made up' } })
  await world.call(routes.post, { params, body: { messages: names.length } })
  await world.pass(minute, 10)
}
const letterTo = async (address: string) => simpleParser((await world.inboxOf(address)).at(-1)!)
/** The addresses that the choices of somebody's letter lead to. */
const linksOf = async (name: string) => {
  const { html } = await letterTo(addressOf(name))
  return [...String(html).matchAll(/<a class="choice" href="([^"]*)"/g)].map(([, href]) =>
    href.replaceAll('&amp;', '&'),
  )
}
const choiceOn = async (name: string) => (await world.board(round)).people.find((p) => p.person === name)!
const trayOf = async (name: string, show: 'open' | 'done' = 'open') =>
  (await world.call(routes.inTray, { query: { show } })).lines.filter((l) => l.person === name && l.roundId === round)

describe('as prepared answers, where no page can be reached', () => {
  beforeAll(async () => {
    world = await World.open(options)
    await post({ cc: ['copy@village.example'] })
  }, 60_000)
  afterAll(() => world.close())

  /** The message that a mail program makes of a prepared answer: read by the URL standard, as RFC 6068 has it. */
  const prepared = (href: string) => {
    const url = new URL(href)
    return {
      to: decodeURIComponent(url.pathname),
      // RFC 6068, section 2: a plus sign is one, and not a space.
      ...Object.fromEntries(
        url.search
          .slice(1)
          .split('&')
          .map((part) => part.split('=').map(decodeURIComponent)),
      ),
    } as { to: string; subject: string; body: string }
  }
  const send = async (name: string, n: number, more: { from?: string; subject?: string; text?: string } = {}) => {
    const { to, subject, body } = prepared((await linksOf(name))[n])
    expect(to).toBe(office)
    await world.arrive({ from: addressOf(name), to, subject, text: body, ...more })
  }

  test('the proof says so beforehand', async () => {
    const { findings } = await world
      .call(routes.proof, { params: { round }, query: { wait: 'yes' } })
      .catch(() => ({ findings: [] }))
    if (findings.length > 0) expect(findings.map((f) => f.check)).toContain('choicesByMail')
    const { id } = await world.round(csv, { subject: 'x', html: '<p>x</p>' })
    await world.call(routes.changeRound, { params: { round: id }, body: { letter } })
    const before = await world.call(routes.proof, { params: { round: id }, query: { wait: 'yes' } })
    expect(before.findings.map((f) => f.check)).toContain('choicesByMail')
  })
  test('each choice is a message that is written already: to whoever wrote, with the choice in subject and text', async () => {
    const links = await linksOf('Ada')
    expect(links).toHaveLength(3)
    for (const [n, link] of links.entries()) {
      const { to, subject, body } = prepared(link)
      expect(to).toBe(office)
      expect(subject).toMatch(/^Re: Harbour day, Ada: /)
      expect(subject).toContain(choices[n])
      expect(body).toBe(`${choices[n]}\r\n`)
      // RFC 6068, section 2: nothing stands in it that must be encoded.
      expect(link).toMatch(/^mailto:[\w.@-]+\?subject=[\w.!~*'()%-]+&body=[\w.!~*'()%-]+$/)
    }
    const { text } = await letterTo(addressOf('Ada'))
    expect(text).toContain(`I shall come:\n${links[0]}`)
  })
  test('sent, it is known who chose what, from any mail program; with no words besides it is done with', async () => {
    await send('Ada', 0)
    expect(await choiceOn('Ada')).toMatchObject({ outcome: 'replied', choice: 'I shall come' })
    expect(await trayOf('Ada')).toEqual([])
    expect(await trayOf('Ada', 'done')).toMatchObject([{ pile: 'choice', foundBy: 'token', choice: 'I shall come' }])
  })
  test('a word besides is for the writer to read', async () => {
    await send('Bram', 1, { text: 'I cannot\r\n\r\nMay my sister come instead?' })
    expect(await trayOf('Bram')).toMatchObject([{ pile: 'question', choice: 'I cannot' }])
    expect(await choiceOn('Bram')).toMatchObject({ choice: 'I cannot' })
  })
  test('a change of mind is kept, and the last counts', async () => {
    await send('Cy', 0)
    world.clock.move(hour)
    await send('Cy', 2)
    const cy = await choiceOn('Cy')
    expect(cy.choice).toBe(choices[2])
    expect(cy.responses).toHaveLength(2)
  })
  test('from another address it counts once the writer has taken it', async () => {
    await send('Dot', 0, { from: 'dot.at.home@elsewhere.example' })
    expect(await choiceOn('Dot')).toMatchObject({ choice: null })
    const [line] = await trayOf('Dot')
    expect(line).toMatchObject({ of: 'other', choice: 'I shall come' })
    await world.call(routes.whose, { params: { response: line.id }, body: { of: 'person' } })
    expect(await choiceOn('Dot')).toMatchObject({ choice: 'I shall come' })
  })
  test('an answer that quotes the letter with all its choices chooses none', async () => {
    const { text, messageId } = await letterTo(addressOf('Eve'))
    const quoted = text!.replace(/^/gm, '> ')
    await world.arrive({
      from: addressOf('Eve'),
      to: office,
      subject: 'Re: Harbour day, Eve',
      text: `Not sure yet.\n\n${quoted}`,
      inReplyTo: messageId,
    })
    expect(await choiceOn('Eve')).toMatchObject({ outcome: 'replied', choice: null })
    await world.arrive({ from: addressOf('Eve'), to: office, subject: 'Harbour day', text: quoted })
    expect(await choiceOn('Eve')).toMatchObject({ choice: null })
  })
  test('a token that came to harm is no choice: the answer is proposed by its sender and its subject', async () => {
    const { subject } = prepared((await linksOf('Fay'))[0])
    await send('Fay', 0, { subject: subject.replace(/.\]$/, ']') })
    expect(await choiceOn('Fay')).toMatchObject({ choice: null })
    expect(await trayOf('Fay')).toMatchObject([{ of: 'perhaps', foundBy: 'senderSubject' }])
  })
  test('one letter’s token makes no choice for another person’s', async () => {
    await send('Gus', 0, { from: addressOf('Hal') })
    expect((await choiceOn('Hal')).responses).toEqual([])
    expect((await choiceOn('Gus')).responses).toMatchObject([{ of: 'other' }])
  })
  test('whoever has a copy answers in their own name: nothing in it is counted for the person', async () => {
    const { html, text } = await letterTo('copy@village.example')
    const links = [...String(html).matchAll(/href="(mailto:[^"]*)"/g)].map(([, href]) => href)
    expect(links).toHaveLength(3)
    for (const link of links) expect(decodeURIComponent(link)).not.toMatch(/\[/)
    expect(text).not.toMatch(/choice\.invalid|\[[\w-]{22}\./)
  })
  test('the board counts them; they are filtered, sorted, handed back, and a list is made of some', async () => {
    const board = await world.board(round)
    expect(board.choices).toEqual([
      { choice: choices[0], people: 2 },
      { choice: choices[1], people: 1 },
      { choice: choices[2], people: 1 },
    ])
    const who = async (query: object) =>
      (await world.call(routes.boardLines, { params: { round }, query })).lines.map((l) => l.person)
    expect(await who({ pick: 'choice', word: choices[0] })).toEqual(['Ada', 'Dot'])
    expect(await who({ pick: 'noChoice' })).toEqual(['Eve', 'Fay', 'Gus', 'Hal'])
    expect((await who({ by: 'choice', way: 'up' })).slice(0, 4)).toEqual(['Bram', 'Ada', 'Dot', 'Cy'])
    const [head, ...rows] = (await world.call(routes.outcomeSheet, { query: { as: 'csv' }, params: { round } })).split(
      '\r\n',
    )
    expect(head).toContain(',Choice')
    expect(rows.find((row) => row.startsWith('Ada'))).toContain(choices[0])
    expect((await world.call(routes.rounds)).find((r) => r.id === round)?.choices).toEqual(choices)
    const list = await world.call(routes.listFromRound, {
      body: { name: 'Guests', round, outcomes: [], choices: [choices[0]] },
    })
    expect((await world.rows(list.id)).length).toBe(2)
  })
  test('the letter once more is another letter, with choices of its own; the person’s last choice counts', async () => {
    const before = await linksOf('Hal')
    await world.call(routes.sendOnceMore, {
      params: { round },
      body: { rows: [{ row: (await choiceOn('Hal')).rowId, hadTimes: 1 }] },
    })
    await world.pass(minute, 3)
    const after = await linksOf('Hal')
    expect(after).toHaveLength(3)
    expect(after[0]).not.toBe(before[0])
    await send('Hal', 1)
    const both = (await world.board(round)).people.filter((p) => p.person === 'Hal')
    expect(both.map((p) => p.choice)).toEqual([null, 'I cannot'])
    // They have chosen, though not by the first letter.
    const { choseNothing } = await world.call(routes.board, { params: { round } })
    const without = await world.call(routes.boardLines, { params: { round }, query: { pick: 'noChoice' } })
    expect([without.people, without.lines.map((l) => l.person)]).toEqual([choseNothing, ['Eve', 'Fay', 'Gus']])
  })
  test('a copy to oneself and drafts: nothing in them counts, or it is said that it would not', async () => {
    const { id } = await world.round(csv, { subject: 'x', html: '<p>x</p>' })
    await world.call(routes.changeRound, { params: { round: id }, body: { letter } })
    const rows = await world.rows((await world.call(routes.round, { params: { round: id } })).list!.id)
    await world.call(routes.sendCopies, { params: { round: id }, body: { rowIds: [rows[0].id] } })
    const own = await world.inboxOf(office)
    const copy = await simpleParser(own.at(-1)!)
    expect(copy.subject).toBe('[Copy] Harbour day, Ada')
    expect(String(copy.html)).not.toMatch(/choice\.invalid/)
    expect(decodeURIComponent(String(copy.html))).not.toMatch(/\[[\w-]{22}\.c/)
    expect(await refusal(world.call(routes.putDrafts, { params: { round: id } }))).toContain('The letter has choices')
  })
})

describe('on their page, where there is one that can be reached', () => {
  const publicUrl = 'https://letters.brindlequay.example/post'
  beforeAll(async () => {
    world = await World.open({ ...options, publicUrl })
    await post()
  }, 60_000)
  afterAll(() => world.close())

  const pathOf = async (name: string, n: number) => {
    const link = (await linksOf(name))[n]
    expect(link.startsWith(`${publicUrl}/c/`)).toBe(true)
    return link.slice(publicUrl.length)
  }
  const look = async (path: string) => {
    const { status, body, headers } = await bare(world.publicAt, path)
    const nonce = /name="nonce" value="([\w-]*)"/.exec(body)?.[1] ?? ''
    return { status, body, headers, nonce }
  }
  const answer = async (path: string, form: Record<string, string>) => {
    const answer = await fetch(`${world.publicAt}${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/x-www-form-urlencoded' },
      body: new URLSearchParams(form),
    })
    return { status: answer.status, body: await answer.text() }
  }

  test('the proof has nothing to say of it', async () => {
    const { id } = await world.round(csv, { subject: 'x', html: '<p>x</p>' })
    await world.call(routes.changeRound, { params: { round: id }, body: { letter } })
    const { findings } = await world.call(routes.proof, { params: { round: id }, query: { wait: 'yes' } })
    expect(findings.map((f) => f.check)).not.toContain('choicesByMail')
  })
  test('looking at it answers nothing, however often a scanner fetches it, with whatever method', async () => {
    const path = await pathOf('Ada', 0)
    for (let i = 0; i < 30; i++) await look(path)
    for (const method of ['HEAD', 'OPTIONS', 'PUT', 'DELETE']) await bare(world.publicAt, path, {}, method)
    const { status, body, headers } = await look(path)
    expect(status).toBe(200)
    expect(body).toContain('To “Harbour day, Ada” from')
    expect(body).toMatch(/value="0" required checked/)
    expect(body).toContain('Perhaps; I’ll say by “Friday” &amp; so on')
    // It runs nothing and loads nothing; its style is let through by its digest alone.
    expect(headers['content-security-policy']).toMatch(/default-src 'none'.*style-src 'sha256-/)
    expect((await choiceOn('Ada')).responses).toEqual([])
  })
  test('sent by its form it counts, with the word besides; sent twice it is one answer', async () => {
    const path = await pathOf('Ada', 0)
    const { nonce } = await look(path)
    const form = { choice: '0', words: 'With my sister, if I may?', nonce }
    const first = await answer(path, form)
    expect([first.status, first.body]).toEqual([
      200,
      expect.stringContaining('Your answer “I shall come” has come in.'),
    ])
    await answer(path, form)
    const ada = await choiceOn('Ada')
    expect(ada).toMatchObject({ outcome: 'replied', choice: 'I shall come', said: 'With my sister, if I may?' })
    expect(ada.responses).toHaveLength(1)
    expect(await trayOf('Ada')).toMatchObject([{ pile: 'question', foundBy: 'page', choice: 'I shall come' }])
  })
  test('another may be chosen on the page; a change of mind says what it takes the place of', async () => {
    const path = await pathOf('Bram', 0)
    await answer(path, { choice: '1', words: '', nonce: (await look(path)).nonce })
    expect(await choiceOn('Bram')).toMatchObject({ choice: 'I cannot' })
    expect(await trayOf('Bram')).toEqual([])
    const again = await look(path)
    expect(again.body).toContain('is “I cannot”. A new one takes its place.')
    world.clock.move(minute)
    await answer(path, { choice: '0', words: '', nonce: again.nonce })
    expect(await choiceOn('Bram')).toMatchObject({ choice: 'I shall come' })
    expect((await choiceOn('Bram')).responses).toHaveLength(2)
  })
  test('what is not whole is refused in words, and keeps what was typed', async () => {
    const path = await pathOf('Cy', 0)
    const { nonce } = await look(path)
    const none = await answer(path, { choice: '7', words: 'kept <b>', nonce })
    expect([none.status, none.body]).toEqual([422, expect.stringContaining('Please choose one of the answers')])
    expect(none.body).toContain('kept &lt;b&gt;</textarea>')
    expect((await answer(path, { choice: '0', words: '' })).status).toBe(422)
    const long = await answer(path, { choice: '0', words: 'x'.repeat(2001), nonce })
    expect([long.status, long.body]).toEqual([
      422,
      expect.stringContaining('Please write 2,000 characters at most; these are 2,001.'),
    ])
    // What was typed is all there, to be shortened.
    expect(long.body).toContain(`>${'x'.repeat(2001)}</textarea>`)
    expect((await answer(path, { choice: '0', words: 'x'.repeat(60_000), nonce })).status).toBe(413)
    expect((await choiceOn('Cy')).responses).toEqual([])
  })
  test('an address that was changed, cut or made up is unknown; so is one of a picture', async () => {
    const path = await pathOf('Dot', 0)
    for (const wrong of [
      path.slice(0, -1),
      `${path}x`,
      path.replace('.c0.', '.c1.'),
      '/c/x',
      path.replace('.c0.', '.p.'),
    ]) {
      const { status, body } = await look(wrong)
      expect([status, body]).toEqual([404, expect.stringContaining('not known here, or is not whole')])
      expect((await answer(wrong, { choice: '0', words: '', nonce: 'a'.repeat(22) })).status).toBe(404)
    }
    expect((await choiceOn('Dot')).responses).toEqual([])
  })
  test('it can be changed so often, and no more; what was said last stays', async () => {
    const path = await pathOf('Eve', 0)
    const answers: number[] = []
    for (let i = 0; i < 22; i++) {
      const { nonce } = await look(path)
      answers.push((await answer(path, { choice: String(i % 2), words: '', nonce })).status)
      world.clock.move(minute)
    }
    expect(answers.filter((status) => status === 200)).toHaveLength(20)
    expect(answers.slice(-2)).toEqual([429, 429])
    expect(await choiceOn('Eve')).toMatchObject({ choice: 'I cannot' })
  })
})
