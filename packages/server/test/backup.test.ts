import { spawnSync } from 'node:child_process'
import { readdirSync } from 'node:fs'
import { copyFile, mkdtemp, readFile, rm, stat, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { addressOf, type CallInput, call, type Route, routes } from '@hand-post/contract'
import { unzipSync, zipSync } from 'fflate'
import { simpleParser } from 'mailparser'
import pino from 'pino'
import { afterEach, expect, test } from 'vitest'
import { shortLived } from '../../../scripts/shortLived.mjs'
import { restore } from '../src/backup/restore.ts'
import { openKey, sealKey } from '../src/backup/sealedKey.ts'
import { type HandPost, startHandPost } from '../src/index.ts'
import { closeWorld, csv, hour, letter, minute, moveTo, open, refusal, world } from './lived.ts'
import { composed, office, settingsFor } from './world.ts'

let second: HandPost | null = null
let elsewhere = ''
afterEach(async () => {
  await second?.close()
  second = null
  if (elsewhere) await rm(elsewhere, { recursive: true, force: true })
  elsewhere = ''
  await closeWorld()
})
const passphrase = 'seven grey gulls on the mole'
const migrations = readdirSync(join(import.meta.dirname, '../src/db/migrations'))

/** Copies are those of the embedded database: on a server they are made by its own tools. */
const openEmbedded = (n: number) => open(n, '2026-11-12T09:00:00Z', {}, { embedded: true })

/** Makes a copy, and gives it as a file beside the data. */
async function copied(sealed: string | null = passphrase): Promise<string> {
  const { backup } = await world.call(routes.makeBackup, { body: { passphrase: sealed } })
  const whole = await fetch(`${world.handPost.address}${addressOf(routes.backup, { params: { backup } })}`)
  const file = join(world.folder, `${backup}.zip`)
  await writeFile(file, Buffer.from(await whole.arrayBuffer()))
  return file
}
/** Puts a copy back into a folder of its own. */
async function putBack(file: string, sealed: string | null = passphrase) {
  elsewhere = await mkdtemp(join(tmpdir(), 'hand-post-'))
  return restore(file, join(elsewhere, 'data'), { passphrase: sealed, migrations })
}
/** Starts what was put back, with the same clock and the same mail host as the first. */
async function startSecond(): Promise<HandPost> {
  second = await startHandPost({
    settings: settingsFor(elsewhere, world.practice),
    clock: world.clock,
    lanes: world.lanes,
    log: pino({ level: 'silent' }),
  })
  return second
}
const there = <R extends Route>(route: R, input: CallInput<R> = {}) => call(second!.address, route, input)
const due = async () => {
  await second!.parts.dispatcher.wakeAll()
  await second!.parts.dispatcher.settled()
}
const post = async (round: number) => {
  const word = await world.call(routes.lastWord, { params: { round } })
  await world.call(routes.post, {
    params: { round },
    body: { messages: word.letters, paper: word.paper.letters, print: word.print },
  })
}
/** How many letters each person has had, by what lies in their inboxes. */
async function had(n: number): Promise<number[]> {
  const all = []
  for (let i = 0; i < n; i++) all.push((await world.inboxOf(`person${i}@village.example`)).length)
  return all
}

test('a copy made while letters leave, put back elsewhere after the first was killed: nobody has two, nobody has none', async () => {
  const n = 24
  await openEmbedded(n)
  const round = await world.round(csv(n), letter, { dispatch: { perMinute: 6 } })
  await world.call(routes.addChaser, { params: { round: round.id } })
  await post(round.id)
  await moveTo(world.clock.now() + minute)
  // Letters leave while the copy is made.
  const [file] = await Promise.all([copied(), moveTo(world.clock.now() + minute)])
  await moveTo(world.clock.now() + minute)
  const before = await had(n)
  expect(before.filter((times) => times === 1).length).toBeGreaterThan(12)
  // The first goes on for a while, and is killed.
  await world.handPost.parts.db.thread.terminate()
  await world.handPost.close().catch(() => {})

  await putBack(file)
  const handPost = await startSecond()
  expect(handPost.warnings[0]).toMatch(
    /^This is the copy of .*, put back\. \d+ letters that waited then are not sent: /,
  )
  // The clock goes on for a week, and nothing leaves by itself.
  for (let i = 0; i < 8; i++) {
    world.clock.move(24 * hour)
    await due()
  }
  expect(await had(n)).toEqual(before)
  const states = (await there(routes.round, { params: { round: round.id } })).states
  // What had gone was found in Sent, and what was not is asked about.
  expect(states.waiting + states.sending + states.retrying).toBe(0)
  expect(states.sent + states.inDoubt).toBe(n)
  expect(states.sent).toBe(before.filter((times) => times === 1).length)
  const held = await there(routes.round, { params: { round: round.id } })
  expect(held).toMatchObject({ held: true, heldWhy: expect.stringContaining('It was put back from the copy of') })
  const lines = await there(routes.messages, { params: { round: round.id } })
  for (const one of lines.filter(({ state }) => state === 'inDoubt')) {
    expect(one.reason).toMatch(/^This waited when the copy of .* It is not in Sent\. Ask the person, then say here/)
    expect(before[Number(/\d+/.exec(one.address)![0])]).toBe(0)
  }
  // A letter that was found bears the Date with which it went, to the second, and so the record of it has the bytes that arrived.
  const found = lines.find(({ state, reason }) => state === 'sent' && reason?.includes('Found in Sent'))!
  const theirs = await simpleParser((await world.inboxOf(found.address))[0])
  expect(Math.floor(found.sentAt! / 1000)).toBe(theirs.date!.getTime() / 1000)

  // The writer's word, and carrying on: then the rest go, once.
  await there(routes.settleDoubts, { params: { round: round.id }, body: { went: false } })
  await due()
  expect(await had(n)).toEqual(before)
  await there(routes.carryOn, { params: { round: round.id } })
  for (let i = 0; i < 10; i++) {
    world.clock.move(minute)
    await due()
  }
  expect(await had(n)).toEqual(Array.from({ length: n }, () => 1))
  // Its chasers were in doubt too; said not to have gone, they wait again behind their letters.
  const [{ id: chaser }] = held.chasers
  expect((await there(routes.round, { params: { round: chaser } })).states.inDoubt).toBe(n)
  await there(routes.settleDoubts, { params: { round: chaser }, body: { went: false } })
  expect((await there(routes.round, { params: { round: chaser } })).states).toMatchObject({ inDoubt: 0, sent: 0 })
})

test('what the writer says has gone is not sent, and copies go with their letter or not at all', async () => {
  await openEmbedded(3)
  const round = await world.round(csv(3), letter, {
    dispatch: { perMinute: 1000, startAt: world.clock.now() + hour },
    cc: ['chair@village.example'],
  })
  await world.call(routes.post, { params: { round: round.id }, body: { messages: 3 } })
  const file = await copied()
  await world.handPost.close()
  await putBack(file)
  await startSecond()
  await due()
  const lines = await there(routes.messages, { params: { round: round.id } })
  expect(lines.map(({ state }) => state)).toEqual(['inDoubt', 'inDoubt', 'inDoubt'])
  expect(lines.flatMap(({ copies }) => copies.map((c) => c.state))).toEqual(['inDoubt', 'inDoubt', 'inDoubt'])
  await there(routes.settleDoubt, { params: { message: lines[0].id }, body: { went: true } })
  await there(routes.settleDoubt, { params: { message: lines[1].id }, body: { went: false } })
  const after = await there(routes.messages, { params: { round: round.id } })
  expect(after.map(({ state, copies }) => [state, copies[0].state])).toEqual([
    ['sent', 'inDoubt'],
    ['waiting', 'waiting'],
    ['inDoubt', 'inDoubt'],
  ])
  // The third turns up in Sent: its copy may have gone with it, and stays in doubt whatever was said of all.
  const [{ messageId }] = await second!.parts.db.query<{ messageId: string }>(
    'SELECT message_id AS "messageId" FROM messages WHERE id = $1',
    [lines[2].id],
  )
  const late = await composed({ from: office, to: lines[2].address, subject: 'To Person 2', text: 'Dear', messageId })
  await world.practice.store.add(office, 'Sent', late, new Date(world.clock.now()))
  expect(await there(routes.settleDoubts, { params: { round: round.id }, body: { went: false } })).toEqual({
    settled: 1,
    found: 1,
  })
  const last = await there(routes.messages, { params: { round: round.id } })
  expect(last.map(({ state, copies }) => [state, copies[0].state])).toEqual([
    ['sent', 'waiting'],
    ['waiting', 'waiting'],
    ['sent', 'inDoubt'],
  ])
  await there(routes.carryOn, { params: { round: round.id } })
  for (let i = 0; i < 4; i++) {
    world.clock.move(hour)
    await due()
  }
  expect(await had(3)).toEqual([0, 1, 0])
  expect(await world.inboxOf('chair@village.example')).toHaveLength(2)
})

test('it has everything: lists, letters, files, responses, the key; and what waited is settled once', async () => {
  await openEmbedded(2)
  const round = await world.round(csv(2), letter, { dispatch: { perMinute: 1000 } })
  await world.call(routes.addFile, {
    params: { round: round.id },
    query: { name: 'map.txt', role: 'common' },
    file: Buffer.from('Where the berths are.'),
  })
  await post(round.id)
  await moveTo(world.clock.now() + minute)
  const { messageId } = await simpleParser((await world.inboxOf('person0@village.example'))[0])
  await world.arrive({ from: 'person0@village.example', subject: 'Re: x', inReplyTo: messageId, text: 'I come.' })
  const board = await world.board(round.id)
  const record = await world.call(routes.makePostingRecord, { params: { round: round.id } })
  expect((await world.call(routes.backups)).last).toBe(null)
  const file = await copied()
  expect((await world.call(routes.backups)).last).toEqual({
    madeAt: world.clock.now(),
    size: (await stat(file)).size,
    withKey: true,
  })
  await world.handPost.close()

  expect((await putBack(file)).damaged).toEqual([])
  await startSecond()
  expect(second!.warnings).toEqual([])
  expect(await there(routes.board, { params: { round: round.id } })).toMatchObject({ counts: board.counts })
  const again = await fetch(
    `${second!.address}${addressOf(routes.postingRecordSeal, { params: { record: record.id } })}`,
  )
  expect(((await again.json()) as { end: string }).end).toBe(record.end)
  expect(
    await second!.parts.files.read(
      (await second!.parts.db.query<{ hash: string }>(`SELECT hash FROM round_files`))[0].hash,
    ),
  ).toEqual(Buffer.from('Where the berths are.'))
  // Its passwords can be read, and so it goes on by itself: mail is read, letters leave.
  expect(await there(routes.readNow, { params: { mailbox: (await there(routes.mailboxes))[0].id } })).toEqual({
    found: 0,
  })
  expect((await there(routes.backups)).restored).toMatchObject({ letters: 0, copies: 0 })

  // What is posted here leaves at the next start as ever: the copy is settled.
  const later = await there(routes.startRound, { body: { title: 'Later' } })
  const [{ id: listId }] = await there(routes.lists)
  await there(routes.changeRound, {
    params: { round: later.id },
    body: { listId, letterHtml: { subject: 'Later, {{Name}}', html: letter.html } },
  })
  await there(routes.post, { params: { round: later.id }, body: { messages: 2 } })
  await second!.close()
  await startSecond()
  for (let i = 0; i < 5; i++) {
    world.clock.move(minute)
    await due()
  }
  expect((await there(routes.round, { params: { round: later.id } })).states).toMatchObject({ sent: 2, inDoubt: 0 })
})

test('the key: sealed by a passphrase and by no other, or kept apart', async () => {
  await openEmbedded(1)
  const key = await readFile(join(world.folder, 'data', 'key'))
  const sealed = await copied()
  expect(unzipSync(await readFile(sealed))['key.sealed'].length).toBe(16 + 12 + 16 + key.length)
  await expect(putBack(sealed, 'another passphrase')).rejects.toThrow('That is not the passphrase')
  await expect(putBack(sealed, null)).rejects.toThrow('Give it as HAND_POST_PASSPHRASE')
  expect(await refusal(world.call(routes.makeBackup, { body: { passphrase: 'short' } }))).toMatch(
    /at least 12 characters/,
  )
  const apart = await copied(null)
  expect(Object.keys(unzipSync(await readFile(apart))).filter((name) => name.includes('key'))).toEqual([])
  await world.handPost.close()
  await putBack(apart, null)
  // Without the key it does not start, and says so; with it, it does.
  await expect(startSecond()).rejects.toThrow(/The key file .* is missing/)
  await writeFile(join(elsewhere, 'data', 'key'), key)
  await startSecond()
  expect((await there(routes.mailboxes))[0].address).toBe(office)
})

test('a sealed key opens by its passphrase only, and not when a byte of it was changed', async () => {
  const key = Buffer.from('a key of sixty-four bytes, which is what Hand Post seals with it')
  const sealed = await sealKey(key, passphrase)
  expect(await openKey(sealed, passphrase)).toEqual(key)
  // However a keyboard composes it (Unicode normalization form C).
  expect(await openKey(await sealKey(key, 'de\u0301ja\u0300 vu, toujours'), 'd\u00e9j\u00e0 vu, toujours')).toEqual(key)
  expect(await openKey(sealed, `${passphrase}.`)).toBe(null)
  expect(await openKey(Buffer.alloc(3), passphrase)).toBe(null)
  // One in each of its parts: salt, initialisation vector, tag, the key itself. Each trial costs what a guess shall cost.
  for (const at of [0, 16, 28, sealed.length - 1]) {
    const changed = Buffer.from(sealed)
    changed[at] ^= 1
    expect(await openKey(changed, passphrase)).toBe(null)
  }
})

test('a copy that is cut off, changed, made up or of a newer version is not put back, and nothing is left of it', async () => {
  await openEmbedded(1)
  const file = await copied()
  const whole = await readFile(file)
  const target = join(world.folder, 'put-back')
  const refusedWith = async (bytes: Uint8Array, folder = target) => {
    const bad = join(world.folder, 'bad.zip')
    await writeFile(bad, bytes)
    const why = await restore(bad, folder, { passphrase, migrations }).then(
      () => 'was put back',
      (error: Error) => error.message,
    )
    expect(readdirSync(world.folder).filter((name) => name.startsWith('put-back'))).toEqual([])
    return why
  }
  expect(await refusedWith(whole.subarray(0, whole.length / 2))).toMatch(
    /is damaged or not whole .* Nothing was changed\./,
  )
  expect(await refusedWith(Buffer.from('no zip'))).toMatch(/is damaged or not whole/)
  expect(await refusedWith(Buffer.alloc(0))).toMatch(/is damaged or not whole/)
  const parts = unzipSync(whole)
  const manifest = JSON.parse(Buffer.from(parts['backup.json']).toString())
  const packed = (changes: Record<string, Uint8Array>) => zipSync({ ...parts, ...changes }, { level: 0 })
  const told = (changes: object) => packed({ 'backup.json': Buffer.from(JSON.stringify({ ...manifest, ...changes })) })
  const name = Object.keys(parts).find((path) => path.startsWith('database/base/') && parts[path].length > 0)!
  const other = parts[name].map((octet, i) => (i === 7 ? octet ^ 1 : octet))
  expect(await refusedWith(packed({ [name]: other }))).toMatch(/is not what was copied/)
  expect(await refusedWith(packed({ [name]: new Uint8Array([...parts[name], 0]) }))).toMatch(/is larger than it was/)
  expect(await refusedWith(packed({ 'database/more': other }))).toMatch(/“database\/more” is not of it/)
  expect(await refusedWith(told({ version: 2 }))).toMatch(/made by a newer Hand Post, which packs copies otherwise/)
  expect(await refusedWith(told({ migrations: [...manifest.migrations, '999_later.sql'] }))).toMatch(
    /made by a newer Hand Post \(it knows of 999_later\.sql, this one does not\)/,
  )
  for (const path of ['../outside', 'database/../../outside', '/etc/outside', 'database/..', 'files/aa/short', 'key'])
    expect(await refusedWith(told({ parts: [...manifest.parts, { ...manifest.parts[0], path }] }))).toMatch(
      /is no part of a copy/,
    )
  expect(await refusedWith(told({ folders: ['database/../../outside'] }))).toMatch(/is no part of a copy/)
  const without = { ...parts }
  delete without[name]
  expect(await refusedWith(zipSync(without, { level: 0 }))).toMatch(/1 part missing/)
  const { 'backup.json': _, ...unsaid } = parts
  expect(await refusedWith(zipSync(unsaid, { level: 0 }))).toMatch(/is no copy made by Hand Post/)
  // Over a folder in which there is something, living or not, nothing is put.
  const living = join(world.folder, 'data')
  const before = readdirSync(living).sort()
  await expect(restore(file, living, { passphrase, migrations })).rejects.toThrow(/There is something in .* already/)
  expect(readdirSync(living).sort()).toEqual(before)
  await expect(restore(join(world.folder, 'none.zip'), target, { passphrase, migrations })).rejects.toThrow(
    /There is no file/,
  )
})

test('what is damaged on the disk is named, and the rest is copied', async () => {
  await openEmbedded(1)
  const round = await world.round(csv(1), letter)
  for (const name of ['map.txt', 'rules.txt'])
    await world.call(routes.addFile, {
      params: { round: round.id },
      query: { name, role: 'common' },
      file: Buffer.from(name),
    })
  const { files, db } = world.handPost.parts
  const [{ hash }] = await db.query<{ hash: string }>(`SELECT hash FROM round_files WHERE name = 'map.txt'`)
  await writeFile(files.path(hash), 'changed')
  const { damaged, backup } = await world.call(routes.makeBackup, { body: { passphrase: null } })
  expect(damaged).toEqual(['map.txt'])
  const left = readdirSync(join(world.folder, 'data', 'readings')).filter((name) => name.startsWith('copy-'))
  expect(left).toEqual([])
  await world.handPost.parts.db.query('SELECT 1')
  expect(await refusal(world.call(routes.backup, { params: { backup: backup.replace(/./g, 'a') } }))).toMatch(
    /not kept any more/,
  )
})

test('by command: of a folder that is used and of one that is not, and back', async () => {
  await openEmbedded(1)
  await world.round(csv(1), letter)
  const { port } = new URL(world.handPost.address)
  const command = join(import.meta.dirname, '../../../scripts/command.mjs')
  const run = (script: string, args: string[], env: Record<string, string> = {}) =>
    spawnSync(process.execPath, [...shortLived, command, script, ...args], {
      encoding: 'utf8',
      env: { ...process.env, HAND_POST_DATA: join(world.folder, 'data'), HAND_POST_PORT: port, ...env },
    })
  const file = (name: string) => join(world.folder, name)
  // It runs in this very process, which must answer meanwhile.
  const { spawn } = await import('node:child_process')
  const running = spawn(process.execPath, [...shortLived, command, 'backup', file('used.zip')], {
    env: { ...process.env, HAND_POST_DATA: join(world.folder, 'data'), HAND_POST_PORT: port },
  })
  let said = ''
  running.stdout.on('data', (chunk) => (said += chunk))
  running.stderr.on('data', (chunk) => (said += chunk))
  expect(await new Promise((done) => running.on('exit', done)), said).toBe(0)
  expect(said).toContain('The key is not in it')
  await world.handPost.close()
  const made = run('backup', [file('unused.zip')], { HAND_POST_PASSPHRASE: passphrase })
  expect(made, made.stderr).toMatchObject({ status: 0 })
  for (const name of ['used.zip', 'unused.zip']) {
    const back = run('restore', [file(name)], {
      HAND_POST_DATA: file(`${name}-back/data`),
      HAND_POST_PASSPHRASE: passphrase,
    })
    expect(back, back.stderr).toMatchObject({ status: 0, stdout: expect.stringContaining('Then start Hand Post') })
  }
  await copyFile(join(world.folder, 'data', 'key'), file('used.zip-back/data/key'))
  for (const name of ['used.zip', 'unused.zip']) {
    elsewhere = file(`${name}-back`)
    await startSecond()
    expect((await there(routes.rounds)).map(({ title }) => title)).toEqual(['A round'])
    await second!.close()
    second = null
  }
  expect(run('restore', [file('used.zip')])).toMatchObject({
    status: 1,
    stderr: expect.stringContaining('There is something in'),
  })
  expect(run('backup', [file('x.zip')], { HAND_POST_PASSPHRASE: 'short' })).toMatchObject({ status: 1 })
})
