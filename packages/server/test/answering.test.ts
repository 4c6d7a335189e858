import { mailboxSettingsSchema, routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { refusal } from './lived.ts'
import { minute, office, World } from './world.ts'

// An answer that is put as a draft into the mailbox, read there by a library that is not ours (mailparser).

const names = ['Ada', 'Bram', 'Cy']
const addressOf = (name: string) => `${name.toLowerCase()}@village.example`
let world: World
let round: number
const letters = new Map<string, string>()
beforeAll(async () => {
  world = await World.open({ manners: Object.fromEntries(names.map((name) => [addressOf(name), {}])) })
  const csv = ['Name,Email,Berth', ...names.map((name, i) => `${name},${addressOf(name)},${i === 1 ? '' : `B${i}`}`)]
  const letter = { subject: 'Your berth, {{Name}}', html: '<p>Dear {{Name}}</p>' }
  round = (await world.round(csv.join('\n'), letter, { dispatch: { perMinute: 60 } })).id
  await world.call(routes.post, { params: { round }, body: { messages: names.length } })
  await world.pass(minute, 5)
  for (const name of names)
    letters.set(name, (await simpleParser((await world.inboxOf(addressOf(name))).at(-1)!)).messageId!)
}, 60_000)
afterAll(() => world.close())

const settings = async (changes: object) => {
  const [mailbox] = await world.call(routes.mailboxes)
  await world.call(routes.changeMailbox, {
    params: { mailbox: mailbox.id },
    body: { ...mailboxSettingsSchema.parse(mailbox), ...changes },
  })
}
const answers = async (name: string, more: object = {}) => {
  await world.arrive({
    from: `${name} Penrose <${addressOf(name)}>`,
    to: office,
    subject: `Re: Your berth, ${name}`,
    text: 'May I have another?\n\nRegards',
    inReplyTo: letters.get(name),
    ...more,
  })
  const { lines } = await world.call(routes.inTray)
  return lines.find((line) => line.person === name)!
}
const drafts = async () => {
  const box = await world.practice.store.box(office, 'Drafts')
  return Promise.all(
    box.messages.map(async (m) => ({ m, mail: await simpleParser(await world.practice.store.read(m)) })),
  )
}
const draft = (response: number, words: string, quote = true) =>
  world.call(routes.draftAnswer, { params: { response }, body: { words, quote } })

test('what an answer begins with', async () => {
  await settings({ signature: 'The Harbour Office\nBrindle Quay' })
  const { id } = await answers('Ada')
  const begun = await world.call(routes.beginAnswer, { params: { response: id } })
  expect(begun).toMatchObject({
    to: addressOf('Ada'),
    subject: 'Re: Your berth, Ada',
    signature: 'The Harbour Office\nBrindle Quay',
  })
  expect(begun.quoted).toContain('> May I have another?')
  expect(begun.from).toContain(office)
})
test('the draft lies in the folder of drafts, in the thread, to be sent as it is; what they answer to it finds the letter', async () => {
  const { lines } = await world.call(routes.inTray)
  const entry = lines.find((line) => line.person === 'Ada')!
  expect(await draft(entry.id, 'Yes, B7 is free.')).toEqual({ folder: 'Drafts' })
  const [{ mail, m }] = await drafts()
  expect([...m.flags]).toContain('\\Draft')
  expect(mail.to && !Array.isArray(mail.to) && mail.to.value[0].address).toBe(addressOf('Ada'))
  expect(mail.subject).toBe('Re: Your berth, Ada')
  const theirs = mail.inReplyTo!
  expect(theirs).not.toBe(letters.get('Ada'))
  expect(mail.references).toEqual([letters.get('Ada'), theirs])
  expect(mail.text).toMatch(
    /^Yes, B7 is free\.\n\n-- \nThe Harbour Office\nBrindle Quay\n\nOn .* Ada Penrose <ada@village\.example> wrote:\n> May I have another\?\n/,
  )

  await world.arrive({
    from: addressOf('Ada'),
    to: office,
    subject: mail.subject,
    text: 'Splendid.',
    inReplyTo: mail.messageId,
    references: [letters.get('Ada')!, theirs, mail.messageId!],
  })
  const after = (await world.call(routes.inTray)).lines.filter((line) => line.person === 'Ada')
  expect(after.map((line) => [line.words, line.foundBy])).toContainEqual(['Splendid.', 'header'])
})
test('without what it quotes, where that is not wanted', async () => {
  const { id } = await answers('Bram')
  await draft(id, 'No.', false)
  const { mail } = (await drafts()).at(-1)!
  expect(mail.text!.trimEnd()).toBe('No.\n\n-- \nThe Harbour Office\nBrindle Quay')
})
test('headers of a hostile answer stay one line each, and an address that is none is refused in words', async () => {
  const { id } = await answers('Cy', { subject: 'Re: Your berth, Cy =?utf-8?q?x=0D=0ABcc:_spy@far.example?=' })
  await draft(id, 'Yes.')
  const { mail, m } = (await drafts()).at(-1)!
  expect(mail.bcc).toBeUndefined()
  expect((await world.practice.store.read(m)).toString().match(/^Bcc:/gim)).toBeNull()
  const { db } = world.handPost.parts
  await db.query(`UPDATE responses SET details = details || '{"from": "not an address"}' WHERE id = $1`, [id])
  expect(await refusal(draft(id, 'Yes.'))).toMatch(/is no address that an answer can go to .* No draft was made\./)
})
describe('what keeps a draft from being put there is said', () => {
  test('an entry that is none, and one that a machine wrote of itself', async () => {
    expect(await refusal(draft(99_999, 'Yes.'))).toContain('answer')
  })
  test('words that are none', async () => {
    const { id } = (await world.call(routes.inTray)).lines[0]
    expect(await refusal(draft(id, '  '))).toContain('Write a word at least.')
  })
  test('a mailbox without an IMAP host', async () => {
    const { id } = (await world.call(routes.inTray)).lines.find((line) => line.person === 'Bram')!
    const [mailbox] = await world.call(routes.mailboxes)
    await settings({ imap: null })
    expect(await refusal(draft(id, 'Yes.'))).toContain('no IMAP host')
    await world.call(routes.changeMailbox, {
      params: { mailbox: mailbox.id },
      body: { ...mailboxSettingsSchema.parse(mailbox), password: 'practice' },
    })
    await draft(id, 'Yes.')
  })
})
describe('saved answers', () => {
  const saved = async (name: string) => {
    const { id } = (await world.call(routes.inTray)).lines.find((line) => line.person === name)!
    return (await world.call(routes.beginAnswer, { params: { response: id } })).saved
  }
  test('read for the row that is answered; what is blank there or of no column is named', async () => {
    await world.call(routes.saveAnswer, { body: { name: 'Berth', text: 'Dear {{Name}}, {{Berth}} stays yours.' } })
    await world.call(routes.saveAnswer, { body: { name: 'away', text: 'Back on {{Day}}.' } })
    expect(await saved('Ada')).toMatchObject([
      { name: 'away', filled: 'Back on .', unknown: ['Day'] },
      { name: 'Berth', filled: 'Dear Ada, B0 stays yours.', blank: [], unknown: [] },
    ])
    expect((await saved('Bram'))[1]).toMatchObject({ filled: 'Dear Bram,  stays yours.', blank: ['Berth'] })
  })
  test('columns that are worked out are known to saved answers, and stand beside what is answered', async () => {
    const { list } = await world.call(routes.round, {
      params: { round: (await world.call(routes.inTray)).lines[0].roundId },
    })
    await world.edit(list!.id, {
      do: 'addColumn',
      column: {
        name: 'Full',
        kind: 'text',
        recipe: { do: 'joined', parts: [{ column: 'c1' }, { column: 'c3' }], between: ' at ' },
      },
    })
    const { id } = await world.call(routes.saveAnswer, { body: { name: 'Full', text: 'For {{Full}}.' } })
    expect((await saved('Ada')).find((one) => one.name === 'Full')).toMatchObject({
      filled: 'For Ada at B0.',
      unknown: [],
    })
    const { id: entry } = (await world.call(routes.inTray)).lines.find((line) => line.person === 'Ada')!
    const { row } = await world.call(routes.trayEntry, { params: { response: entry } })
    expect(row).toContainEqual({ column: 'Full', shown: 'Ada at B0' })
    await world.call(routes.forgetAnswer, { params: { answer: id } })
    const { columns } = await world.call(routes.list, { params: { list: list!.id } })
    await world.edit(list!.id, { do: 'deleteColumn', column: columns.at(-1)!.id })
  })
  test('one of a name is there once, and is forgotten once', async () => {
    const { id } = await world.call(routes.saveAnswer, { body: { name: 'BERTH', text: 'Another.' } })
    expect((await saved('Ada')).map((one) => [one.name, one.text])).toEqual([
      ['away', 'Back on {{Day}}.'],
      ['BERTH', 'Another.'],
    ])
    await world.call(routes.forgetAnswer, { params: { answer: id } })
    expect((await saved('Ada')).map((one) => one.name)).toEqual(['away'])
    expect(await refusal(world.call(routes.forgetAnswer, { params: { answer: id } }))).toContain('saved answer')
  })
})
