import { type Round, routes } from '@hand-post/contract'
import Other from 'exceljs'
import { strToU8, unzipSync, zipSync } from 'fflate'
import { simpleParser } from 'mailparser'
import mammoth from 'mammoth'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { z } from 'zod'
import { examine } from '../src/enclosures/examine.ts'
import { eachEntry } from '../src/files/zip.ts'
import { openImap } from '../src/mailboxes/imap.ts'
import { putDrafts } from '../src/proof/drafts.ts'
import { tinyPdf } from './tinyPdf.ts'
import { minute, office, peopleCsv, World } from './world.ts'

let world: World
beforeAll(async () => {
  world = await World.open()
}, 120_000)
afterAll(() => world?.close())

const paramsOf = ({ id }: Round) => ({ round: id })
const permit = (i: number) => tinyPdf(`Permit of Person ${i}`, `person${i}@village.example`)
const letter = (subject: string) => ({ subject, html: '<p>Dear {{Name}}</p>' })
const filesOf = async (round: Round) =>
  (await world.call(routes.enclosures, { params: paramsOf(round) })).people.map((p) => p.files.map((f) => f.sentAs))

describe('files find their people', () => {
  test('out of a zip: by pattern, by their words, and by hand; other names on the way out; nothing in silence', async () => {
    const csv = peopleCsv(4)
      .replace(/,permit-\d+\.pdf/g, '')
      .replace(',Permit', '')
    const round = await world.round(csv, letter('Zip'))
    const params = paramsOf(round)
    const zip = zipSync({
      'permits/berth-B000.pdf': permit(0),
      'permits/berth-B001.pdf': permit(1),
      'permits/berth-B002.pdf': permit(2),
      '../../up.pdf': permit(3),
      'permits/empty.pdf': new Uint8Array(),
      'permits/inner.zip': zipSync({ 'a.txt': strToU8('a') }),
      '__MACOSX/permits/._berth-B000.pdf': strToU8('x'),
    })
    const said = await world.call(routes.addPacked, { params, query: { name: 'all.zip', role: 'own' }, file: zip })
    expect(said).toMatchObject({ added: 4, replaced: 0 })
    expect(said.leftOut.map((one) => one.name)).toEqual(['permits/empty.pdf', 'permits/inner.zip'])
    await world.call(routes.proof, { params, query: { wait: 'yes' } })

    const before = await world.call(routes.enclosures, { params })
    expect(before.pattern).toEqual({ pattern: 'berth-{{Berth}}.pdf', files: 3 })
    // Nobody is given anything until the writer says so.
    expect(before.people.every((p) => p.files.length === 0)).toBe(true)
    expect(before.proposed.map((one) => one.rowId)).toEqual([1, 2, 3, 4])
    expect((await world.call(routes.round, { params })).files.map((f) => `${f.folder}/${f.name}`)).toEqual([
      'permits/berth-B000.pdf',
      'permits/berth-B001.pdf',
      'permits/berth-B002.pdf',
      '/up.pdf',
    ])

    await world.call(routes.changeRound, {
      params,
      body: { filePattern: before.pattern!.pattern, sentAs: 'Permit of {{Name}}' },
    })
    const lacking = await world.call(routes.enclosures, { params })
    expect(lacking.people.map((p) => p.missing.length)).toEqual([0, 0, 0, 1])
    const matches = lacking.proposed.map(({ rowId, fileId }) => ({ rowId, fileId }))
    expect(matches).toHaveLength(1)
    await world.call(routes.matchFiles, { params, body: { matches } })
    expect(await filesOf(round)).toEqual([0, 1, 2, 3].map((i) => [`Permit of Person ${i}.pdf`]))
    expect(await world.call(routes.proof, { params, query: { wait: 'yes' } })).toMatchObject({
      stops: 0,
      asks: 0,
      mayPost: true,
    })
    await world.call(routes.unmatchFiles, { params, body: { matches } })
    expect((await world.call(routes.proof, { params })).stops).toBe(1)
    await world.call(routes.matchFiles, { params, body: { matches } })

    // What is said of the size is what the host got, to the octet (RFC 4648, RFC 2045).
    const { people } = await world.call(routes.enclosures, { params })
    await world.call(routes.changeRound, { params, body: { dispatch: { perMinute: 60 } } })
    await world.call(routes.post, { params, body: { messages: 4 } })
    await world.pass(minute, 10)
    for (const [i, line] of people.entries()) {
      const [raw] = await world.inboxOf(`person${i}@village.example`)
      const mail = await simpleParser(raw)
      expect(mail.attachments.map((a) => [a.filename, a.content.equals(permit(i))])).toEqual([
        [`Permit of Person ${i}.pdf`, true],
      ])
      // The host puts its own lines on top of what it took.
      const taken = raw.subarray(raw.indexOf('From: '))
      expect([line.exact, taken.length]).toEqual([true, line.size])
    }
  })

  test('files exchanged under their names stop the round; a file changed on the disk is not posted', async () => {
    const round = await world.round(peopleCsv(3), letter('Swapped'))
    const params = paramsOf(round)
    const add = (i: number, content: Buffer) =>
      world.call(routes.addFile, { params, query: { name: `permit-${i}.pdf`, role: 'own' }, file: content })
    await add(0, permit(1))
    await add(1, permit(0))
    await add(2, permit(2))
    const proof = await world.call(routes.proof, { params, query: { wait: 'yes' } })
    expect(proof.findings.filter((f) => f.grade === 'stop').map((f) => [f.check, f.rowId])).toEqual([
      ['wrongFile', 1],
      ['wrongFile', 2],
    ])
    expect((await add(0, permit(0))).replaced).toBe(true)
    const { hash } = await add(1, permit(1))
    expect(await world.call(routes.proof, { params, query: { wait: 'yes' } })).toMatchObject({
      stops: 0,
      asks: 0,
      mayPost: true,
    })
    // Renewed at once, what is found of one person is what the whole proof says of them, but for the guard.
    const one = await world.call(routes.proofPeople, { params, body: { rowIds: [1] } })
    expect(one).toEqual({ findings: [], left: ['wrongFile', 'doubtfulFile'] })

    const { writeFile } = await import('node:fs/promises')
    await writeFile(world.handPost.parts.files.path(hash), 'changed')
    await expect(world.call(routes.post, { params, body: { messages: 3 } })).rejects.toThrow(
      /permit-1\.pdf.*not on the disk/,
    )
    expect((await world.call(routes.round, { params })).postedAt).toBeNull()
  })
})

describe('files made for each person', () => {
  // A document of ECMA-376's least parts, its field split over two runs as word processors do.
  const w = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"'
  const model = (words: string) =>
    Buffer.from(
      zipSync({
        '[Content_Types].xml': strToU8(
          '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/word/document.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"/></Types>',
        ),
        '_rels/.rels': strToU8(
          '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="word/document.xml"/></Relationships>',
        ),
        'word/document.xml': strToU8(
          `<?xml version="1.0"?><w:document ${w}><w:body><w:p><w:r><w:t>For {{Na</w:t></w:r><w:r><w:t>me}} at ${words}</w:t></w:r></w:p></w:body></w:document>`,
        ),
      }),
    )
  const plain = (n: number) =>
    peopleCsv(n)
      .replace(/,permit-\d+\.pdf/g, '')
      .replace(',Permit', '')

  test('the letter as PDF: named by pattern, made anew for what changed, kept as a zip, sent to each their own', async () => {
    const round = await world.round(plain(3), {
      subject: 'Made',
      html: '<h2>Berth {{Berth}}</h2><p>Dear {{Name}}, Łódź, Ωmega</p>',
    })
    const params = paramsOf(round)
    await world.call(routes.changeRound, {
      params,
      body: { made: { of: 'letter', name: 'Notice for {{Name}}' }, dispatch: { perMinute: 60 } },
    })
    const before = await world.call(routes.proof, { params })
    expect(before.findings.filter((f) => f.grade === 'stop').map((f) => [f.check, f.rowId])).toEqual([
      ['madeFile', null],
    ])
    expect(await world.call(routes.makeFiles, { params })).toEqual({ made: 3 })
    expect(await filesOf(round)).toEqual([0, 1, 2].map((i) => [`Notice for Person ${i}.pdf`]))
    expect(await world.call(routes.proof, { params, query: { wait: 'yes' } })).toMatchObject({
      stops: 0,
      asks: 0,
      mayPost: true,
    })

    await world.call(routes.editList, {
      params: { list: round.list!.id },
      body: { words: 'Change', wishes: [{ do: 'cells', cells: [[2, 'c3', 'Z99']] }] },
    })
    const stale = await world.call(routes.proof, { params })
    expect(stale.findings.filter((f) => f.grade === 'stop').map((f) => [f.check, f.rowId])).toEqual([['madeFile', 2]])
    expect(await world.call(routes.makeFiles, { params })).toEqual({ made: 1 })
    expect((await world.call(routes.enclosures, { params })).toMake).toBe(0)
    await world.call(routes.post, { params, body: { messages: 3 } })
    await world.pass(minute, 10)
    // Who comes late to the posted round gets a file made too, and nobody else's is touched.
    await world.call(routes.editList, {
      params: { list: round.list!.id },
      body: {
        words: 'Add',
        wishes: [
          { do: 'addRows', rows: [{ c1: 'Person 9', c2: 'person9@village.example', c3: 'B009' }] },
          { do: 'cells', cells: [[1, 'c3', 'changed']] },
        ],
      },
    })
    expect(await world.call(routes.makeFiles, { params })).toEqual({ made: 1 })
    await world.call(routes.proof, { params, query: { wait: 'yes' } })
    expect(await world.call(routes.lateProof, { params })).toMatchObject({ people: 1, stops: 0, mayPost: true })
    for (const [i, berth] of ['B000', 'Z99', 'B002'].entries()) {
      const mails = await Promise.all(
        (await world.inboxOf(`person${i}@village.example`)).map((raw) => simpleParser(raw)),
      )
      const [file] = mails.find((mail) => mail.subject === 'Made')!.attachments
      expect(file.filename).toBe(`Notice for Person ${i}.pdf`)
      const { text } = await examine(file.content)
      expect(text?.replace(/\s+/g, ' ')).toContain(`Berth ${berth} Dear Person ${i}, Łódź, Ωmega`)
      // Its fonts are embedded (ISO 32000-1, 9.9): a FontFile2 stream stands in it.
      expect(file.content.includes('/FontFile2')).toBe(true)
    }
  })

  test('made files stay good from day to day, unless the letter has a rule that reckons from the day', async () => {
    const passage = (comparison: string, value: string): z.input<typeof routes.changeRound.body> => ({
      letter: {
        subject: 'Due',
        body: {
          type: 'doc',
          content: [
            {
              type: 'passage',
              attrs: { selection: { match: 'all', rules: [{ column: 'Due', comparison, value } as never] } },
              content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Soon.' }] }],
            },
            { type: 'paragraph', content: [{ type: 'text', text: 'Words' }] },
          ],
        },
      },
      made: { of: 'letter', name: 'Notice {{Name}}' },
    })
    const csv = 'Name,Email,Due\r\nPerson 0,p0@village.example,20/12/2026\r\nPerson 1,p1@village.example,21/12/2026'
    const round = await world.round(csv, letter('Due'))
    const params = paramsOf(round)
    const stale = async () =>
      (await world.call(routes.proof, { params })).findings.filter((f) => f.check === 'madeFile').map((f) => f.rowId)
    await world.call(routes.changeRound, { params, body: passage('after', '01/12/2026') })
    expect(await world.call(routes.makeFiles, { params })).toEqual({ made: 2 })
    world.clock.move(24 * 60 * minute)
    expect(await stale()).toEqual([])
    for (const comparison of ['inNextDays', 'inLastDays']) {
      await world.call(routes.changeRound, { params, body: passage(comparison, '60') })
      expect(await world.call(routes.makeFiles, { params })).toEqual({ made: 2 })
      expect(await stale()).toEqual([])
      world.clock.move(24 * 60 * minute)
      expect(await stale()).toEqual([1, 2])
    }
  })

  test('a model filled in for many at once, each with their own; a field without a column is said, and nothing is made', async () => {
    const many = 47
    const round = await world.round(plain(many), letter('Model'))
    const params = paramsOf(round)
    const bring = (file: Buffer) => world.call(routes.addModel, { params, query: { name: 'Permit.docx' }, file })
    await expect(bring(Buffer.from('no document'))).rejects.toThrow(/cannot be used as a model: it is not a \.docx/)
    await expect(bring(model('{{Berth'))).rejects.toThrow(/cannot be used as a model/)
    const wrong = await bring(model('{{Brth}}'))
    expect(wrong.unknown).toEqual(['Brth'])
    const made = (read: { hash: string; name: string }) => ({
      of: 'model' as const,
      name: '{{Berth}}',
      model: { hash: read.hash, name: read.name },
    })
    await world.call(routes.changeRound, { params, body: { made: made(wrong) } })
    await expect(world.call(routes.makeFiles, { params })).rejects.toThrow(/“Brth”.*Nothing was made/)
    const right = await bring(model('{{Berth, in small letters}} & co'.replace('&', '&amp;')))
    expect(right.unknown).toEqual([])
    await world.call(routes.changeRound, { params, body: { made: made(right) } })
    // Stopped half way, what was made stays made, and the next time makes the rest.
    const stop = new AbortController()
    const ended = world.handPost.parts.subscribe(({ topic }) => topic === 'progress' && stop.abort())
    await expect(world.call(routes.makeFiles, { params, signal: stop.signal })).rejects.toThrow()
    ended()
    const { made: rest } = await world.call(routes.makeFiles, { params })
    expect(rest).toBeGreaterThan(0)
    /** The words of every made file by its name, in the order of their people. */
    const wordsOf = async () => {
      const response = await fetch(`${world.handPost.address}/api/rounds/${round.id}/made-files`)
      const zip = unzipSync(new Uint8Array(await response.arrayBuffer()))
      const owned = await filesOf(round)
      expect(Object.keys(zip).sort()).toEqual(owned.flat().sort())
      return Promise.all(
        owned.map(async ([name]) => [
          name,
          (await mammoth.extractRawText({ buffer: Buffer.from(zip[name]) })).value.trim(),
        ]),
      )
    }
    const berth = (i: number) => `0${String(i).padStart(2, '0')}`
    const own = (i: number) => `For Person ${i} at b${berth(i)} & co`
    expect(await wordsOf()).toEqual(Array.from({ length: many }, (_, i) => [`B${berth(i)}.docx`, own(i)]))
    // A cell changed while they are made: each file is known by what it was really made of, also when the cell is put back.
    const cell = (text: string) => world.edit(round.list!.id, { do: 'cells', cells: [[many, 'c1', text]] })
    await cell('Somebody')
    let meanwhile: Promise<unknown> | null = null
    const heard = world.handPost.parts.subscribe(({ topic }) => {
      if (topic === 'progress') meanwhile ??= cell('Somebody else')
    })
    await world.call(routes.changeRound, { params, body: { made: { ...made(right), name: 'Pass {{Berth}}' } } })
    await world.call(routes.makeFiles, { params })
    heard()
    await meanwhile
    for (const name of ['Somebody', 'Somebody else', `Person ${many - 1}`]) {
      await cell(name)
      await world.call(routes.makeFiles, { params })
      expect((await wordsOf()).at(-1)).toEqual([
        `Pass B${berth(many - 1)}.docx`,
        own(many - 1).replace(/Person \d+/, name),
      ])
    }
    // All called the same, none takes the place of another.
    await world.call(routes.changeRound, { params, body: { made: { ...made(right), name: 'Permit' } } })
    expect(await world.call(routes.makeFiles, { params })).toEqual({ made: many })
    expect(await wordsOf()).toEqual(
      Array.from({ length: many }, (_, i) => [i === 0 ? 'Permit.docx' : `Permit (${i + 1}).docx`, own(i)]),
    )
    // Without what is made, its files are gone.
    await world.call(routes.changeRound, { params, body: { made: null } })
    expect((await world.call(routes.round, { params })).files).toEqual([])
  })
})

describe('all messages as one file', () => {
  test('a PDF with a person a page, and a mailbox file that another parser reads', async () => {
    const round = await world.round(
      peopleCsv(3)
        .replace(/,permit-\d+\.pdf/g, '')
        .replace(',Permit', ''),
      {
        subject: 'All of {{Name}}',
        html: '<p>Dear {{Name}}</p><p>From here on</p>',
      },
    )
    const get = async (as: string) =>
      Buffer.from(
        await (await fetch(`${world.handPost.address}/api/rounds/${round.id}/all-messages?as=${as}`)).arrayBuffer(),
      )
    const { text } = await examine(await get('pdf'))
    expect([...text!.matchAll(/All of Person \d/g)].map((m) => m[0])).toEqual(
      [0, 1, 2].map((i) => `All of Person ${i}`),
    )
    expect(text).toContain('page 3 of 3')
    const entries = (await get('mbox'))
      .toString('latin1')
      .split(/^From (?=\S+@)/m)
      .slice(1)
    expect(entries).toHaveLength(3)
    for (const [i, entry] of entries.entries()) {
      const [separator, ...lines] = entry.split('\n')
      expect(separator).toMatch(
        /^office@brindlequay\.example [A-Z][a-z]{2} [A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d \d{4}$/,
      )
      const mail = await simpleParser(lines.join('\n').replace(/^>(>*From )/gm, '$1'))
      expect([mail.subject, mail.text?.trim()]).toEqual([`All of Person ${i}`, `Dear Person ${i}\n\nFrom here on`])
    }
  })
})

test('drafts lie in the mailbox, each with its file and unseen copies, and are known again when sent from there', async () => {
  const round = await world.round(peopleCsv(3), letter('Draft for {{Name}}'))
  const params = paramsOf(round)
  await expect(world.call(routes.putDrafts, { params })).rejects.toThrow(/something to settle. No draft was made/)
  for (let i = 0; i < 3; i++)
    await world.call(routes.addFile, { params, query: { name: `permit-${i}.pdf`, role: 'own' }, file: permit(i) })
  await world.call(routes.changeRound, {
    params,
    body: { bcc: ['archive@quay.example'], tracking: { opens: true, clicks: true } },
  })
  const inboxes = (await world.inboxOf('person0@village.example')).length
  expect(await world.call(routes.putDrafts, { params })).toEqual({ put: 3 })
  const box = await world.practice.store.box(office, 'Drafts')
  expect(box.messages.map((m) => m.flags.has('\\Draft'))).toEqual([true, true, true])
  const raws = await Promise.all(box.messages.map((m) => world.practice.store.read(m)))
  for (const [i, raw] of raws.entries()) {
    const mail = await simpleParser(raw)
    expect([mail.subject, mail.attachments[0].content.equals(permit(i))]).toEqual([`Draft for Person ${i}`, true])
    expect([mail.bcc].flat().flatMap((b) => b!.value.map((v) => v.address))).toEqual(['archive@quay.example'])
    expect(raw.toString()).not.toContain(world.handPost.publicUrl)
  }
  expect((await world.inboxOf('person0@village.example')).length).toBe(inboxes)
  const proof = await world.call(routes.proof, { params })
  expect(proof.findings.filter((f) => f.grade !== 'note').map((f) => f.check)).toEqual(['draftLies'])

  // A mail program sends the second: under another Message-ID, its own fields first, without Bcc.
  const sent = raws[1]
    .toString('latin1')
    .replace(/^Bcc: .*\r\n/, '')
    .replace(/^Message-ID: .*$/m, 'Message-ID: <new@elsewhere.example>')
  const byHand = async (work: (imap: Awaited<ReturnType<typeof openImap>>) => Promise<unknown>) => {
    const imap = await openImap({
      imap: { host: '127.0.0.1', port: world.practice.imapPort, security: 'none', allowSelfSigned: false },
      user: office,
      password: 'practice',
    })
    await work(imap)
    await imap.logout()
  }
  await byHand((imap) => imap.append('Sent', Buffer.from(sent, 'latin1'), ['\\Seen'], new Date(world.clock.now())))
  const drafts = await world.call(routes.drafts, { params, query: { look: 'yes' } })
  expect(drafts.map((d) => d.sentAt !== null)).toEqual([false, true, false])
  const after = await world.call(routes.proof, { params })
  expect(after.findings.filter((f) => f.grade === 'stop').map((f) => [f.check, f.rowId])).toEqual([['draftSent', 2]])

  // Who was sent it by hand is known by the rows of this list: it stays.
  const others = await world.round(peopleCsv(3), letter('Others'), { filesColumn: null })
  await expect(world.call(routes.changeRound, { params, body: { listId: others.list!.id } })).rejects.toThrow(
    /One letter of this round has been sent by hand.*Nothing was changed/,
  )
  expect(await world.call(routes.drafts, { params })).toEqual(drafts)
  // Where none was sent, drafts for people of the list before are not those of the new one, and are said to lie there still.
  const other = paramsOf(others)
  expect(await world.call(routes.putDrafts, { params: other })).toEqual({ put: 3 })
  const changed = await world.call(routes.changeRound, { params: other, body: { listId: round.list!.id } })
  expect(changed.said.join()).toContain('3 drafts for people of the list before lie in the mailbox still')
  expect(await world.call(routes.drafts, { params: other })).toEqual([])
  const found = (await world.call(routes.proof, { params: other })).findings.map((f) => f.check)
  expect(found.filter((check) => check.startsWith('draft'))).toEqual([])

  // Taken away again: those of this round that still lie there, and none of another round or of the writer's own.
  const own = Buffer.from('Subject: My own\r\n\r\nwords')
  await byHand((imap) => imap.append('Drafts', own, ['\\Draft'], new Date(world.clock.now())))
  // One of them is not there any more: nobody can tell whether it was sent from there, so it stays noted.
  await byHand(async (imap) => {
    const lock = await imap.getMailboxLock('Drafts')
    await imap.messageDelete({ header: { subject: 'Draft for Person 2' } })
    lock.release()
  })
  const before = (await world.practice.store.box(office, 'Drafts')).messages.length
  expect(await world.call(routes.takeDraftsAway, { params })).toEqual({ taken: 1, sent: 1, missing: 1 })
  const left = await Promise.all(
    (await world.practice.store.box(office, 'Drafts')).messages.map((m) => world.practice.store.read(m)),
  )
  expect(left.length).toBe(before - 1)
  const subjects = (await Promise.all(left.map((raw) => simpleParser(raw)))).map((m) => m.subject)
  expect(subjects).toContain('My own')
  expect(subjects.filter((s) => s?.startsWith('Others'))).toHaveLength(3)
  // Who was sent it by hand stays known, and so does the one that was not found.
  expect((await world.call(routes.drafts, { params })).map((d) => [d.rowId, d.sentAt !== null])).toEqual([
    [2, true],
    [3, false],
  ])
  expect(
    (await world.call(routes.proof, { params })).findings.map((f) => f.check).filter((c) => c.startsWith('draft')),
  ).toEqual(['draftSent', 'draftLies'])
  expect(await world.call(routes.takeDraftsAway, { params })).toEqual({ taken: 0, sent: 1, missing: 1 })
})

test('stopped while drafts are put, it says how many lie there, and puts the rest when it is asked for again', async () => {
  const { id } = await world.round(peopleCsv(3), letter('Put by halves for {{Name}}'), { filesColumn: null })
  const stop = new AbortController()
  const onProgress = ({ done }: { done: number }) => {
    if (done === 2) stop.abort()
  }
  await expect(putDrafts(world.handPost.parts, id, { signal: stop.signal, onProgress })).rejects.toMatchObject({
    status: 499,
    message: '2 of 3 drafts lie there now; try again for the rest.',
  })
  const there = async () => (await world.practice.store.box(office, 'Drafts')).messages.length
  const before = await there()
  expect(await world.call(routes.putDrafts, { params: { round: id } })).toEqual({ put: 1 })
  expect((await there()) - before).toBe(1)
})

describe('what is wrong with a file is found in its content', () => {
  const named = (entries: Record<string, string>) =>
    Buffer.from(zipSync(Object.fromEntries(Object.entries(entries).map(([n, t]) => [n, strToU8(t)]))))
  const cases: [string, Buffer, Partial<Awaited<ReturnType<typeof examine>>>][] = [
    [
      'a PDF of two pages',
      tinyPdf('one (1)', 'two'),
      { kind: 'pdf', fault: null, text: expect.stringMatching(/one \(1\)\s+two/) as never },
    ],
    ['a PDF without words', tinyPdf(''), { kind: 'pdf', fault: null, text: null }],
    ['half a PDF', tinyPdf('x').subarray(0, 200), { kind: 'pdf', fault: 'broken' }],
    // PDF 1.7 (ISO 32000-1, 7.6): a dictionary for encryption with a password to open.
    [
      'a locked PDF',
      Buffer.from(
        tinyPdf('x')
          .toString('latin1')
          .replace(
            '/Root 1 0 R',
            `/Root 1 0 R /ID [<00> <00>] /Encrypt << /Filter /Standard /V 1 /R 2 /P -44 /O <${'41'.repeat(32)}> /U <${'42'.repeat(32)}> >>`,
          ),
        'latin1',
      ),
      { kind: 'pdf', fault: 'locked' },
    ],
    ['a program', Buffer.concat([Buffer.from('MZ'), Buffer.alloc(100)]), { fault: 'executable' }],
    ['a script', Buffer.from('#!/bin/sh\nrm'), { fault: 'executable' }],
    [
      'a document with macros',
      named({ '[Content_Types].xml': '<Types/>', 'word/document.xml': '<x/>', 'word/vbaProject.bin': 'x' }),
      { fault: 'macros' },
    ],
    [
      'a zip with a program in it',
      named({ 'a/setup.exe': 'x' }),
      { fault: 'executable', detail: 'it holds “a/setup.exe”' },
    ],
    ['half a zip', named({ 'a.txt': 'x' }).subarray(0, 40), { fault: 'broken' }],
    ['a zip bomb', Buffer.from(zipSync({ 'a.txt': new Uint8Array(300_000_000) })), { fault: 'swells' }],
    [
      'a locked document',
      Buffer.concat([
        Buffer.from('d0cf11e0a1b11ae1', 'hex'),
        Buffer.alloc(600),
        Buffer.from('EncryptedPackage', 'utf16le'),
      ]),
      { kind: 'cfb', fault: 'locked' },
    ],
    [
      'a page',
      Buffer.from('<html><style>p{}</style><p>Dear <b>Ada</b></p>'),
      { kind: null, fault: null, text: expect.stringMatching(/Dear\s+Ada/) as never },
    ],
    ['text in an old encoding', Buffer.from('Zo\xeb', 'latin1'), { fault: null, text: 'Zoë' }],
    ['nothing', Buffer.alloc(0), { kind: null, fault: null, text: null }],
  ]
  test.each(cases)('%s', async (_, bytes, expected) => expect(await examine(bytes)).toMatchObject(expected))

  test('a workbook written by another library gives its words', async () => {
    const book = new Other.Workbook()
    book.addWorksheet('Sheet').addRow(['Ada Penrose', 'BQ-2041'])
    const found = await examine(Buffer.from(await book.xlsx.writeBuffer()))
    expect(found).toMatchObject({ kind: 'xlsx', fault: null, text: expect.stringContaining('BQ-2041') })
  })
  test('a zip is gone through without being unpacked, locked entries included', async () => {
    const zip = named({ 'a.txt': 'x' })
    // General purpose bit 0 in both headers (APPNOTE 6.3, 4.4.4).
    zip[6] |= 1
    zip[zip.indexOf('PK\u0001\u0002', 0, 'latin1') + 8] |= 1
    const seen: [string, boolean][] = []
    await eachEntry(zip, ({ path, locked }) => void seen.push([path, locked]))
    expect(seen).toEqual([['a.txt', true]])
    expect(await examine(zip)).toMatchObject({ fault: 'locked' })
  })
})

test('messages are marked as read as they stand: a change of one takes its mark back, and no other', async () => {
  const round = await world.round(peopleCsv(5), letter('Read'), { filesColumn: null })
  const params = paramsOf(round)
  const read = async () => (await world.call(routes.readingSet, { params })).read
  for (const row of [1, 3, 4]) await world.call(routes.markRead, { params: { ...params, row } })
  expect(await read()).toEqual([1, 3, 4])
  await world.call(routes.unmarkRead, { params: { ...params, row: 4 } })
  await world.edit(round.list!.id, { do: 'cells', cells: [[3, 'c1', 'Somebody else']] })
  expect(await read()).toEqual([1])
  // Put back as it was, it is what was read.
  await world.edit(round.list!.id, { do: 'cells', cells: [[3, 'c1', 'Person 2']] })
  expect(await read()).toEqual([1, 3])
  await world.call(routes.setAside, { params: { ...params, row: 1 }, body: { reason: 'ill' } })
  expect(await read()).toEqual([3])
  await world.call(routes.changeRound, {
    params,
    body: { letterHtml: { subject: 'Read', html: '<p>Dear {{Name}}!</p>' } },
  })
  expect(await read()).toEqual([])
})
