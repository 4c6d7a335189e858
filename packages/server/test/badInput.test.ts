import { execFileSync, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import * as XLSX from '@e965/xlsx'
import { mailboxSettingsSchema, ProblemError, routes } from '@hand-post/contract'
import spectrum from 'csv-spectrum'
import pino from 'pino'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { openDatabase } from '../src/db/open.ts'
import { type Settings, startHandPost } from '../src/index.ts'
import { readTableFile } from './sheets.ts'
import { settingsFor, World } from './world.ts'

let world: World
beforeAll(async () => {
  world = await World.open()
})
afterAll(() => world.close())

const read = (name: string, file: Uint8Array | string) =>
  world.call(routes.readFile, { query: { name }, file: typeof file === 'string' ? Buffer.from(file) : file })
const refused = async (work: Promise<unknown>) => {
  const error = await work.then(
    () => null,
    (e) => e,
  )
  expect(error).toBeInstanceOf(ProblemError)
  return (error as ProblemError).problem
}
const workbook = (sheets: Record<string, unknown[][]>, compression = false) => {
  const book = XLSX.utils.book_new()
  for (const [name, rows] of Object.entries(sheets))
    XLSX.utils.book_append_sheet(book, XLSX.utils.aoa_to_sheet(rows), name)
  return XLSX.write(book, { type: 'buffer', bookType: 'xlsx', compression }) as Buffer
}

describe('files that are no table say so, and leave everything as it was', () => {
  const locked = Buffer.concat([
    Buffer.from([0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1]),
    Buffer.alloc(600),
    Buffer.from('EncryptedPackage', 'utf16le'),
    Buffer.alloc(600),
  ])
  const bomb = () => {
    // A workbook whose central directory (APPNOTE 4.3.12) says that a part unpacks to 4 GB.
    const bytes = workbook({ A: [['Name'], ['Ada']] }, true)
    bytes.writeUInt32LE(0xfffffff0, bytes.indexOf('PK\x01\x02', 0, 'latin1') + 24)
    return bytes
  }
  test.each([
    ['empty.csv', () => Buffer.alloc(0), /is empty/],
    ['blank.csv', () => Buffer.from(' \r\n \n'), /no filled cells/],
    ['photo.csv', () => Buffer.from([0x89, 0x50, 0x4e, 0x47, 0, 0, 0, 1]), /neither a workbook nor text/],
    ['locked.xlsx', () => locked, /locked with a password/],
    ['letter.xlsx', () => Buffer.from('PK\x03\x04 word/document.xml'), /not a workbook/],
    ['cut.xlsx', () => workbook({ A: [['Name'], ['Ada']] }).subarray(0, -900), /damaged|not a workbook/],
    ['bomb.xlsx', bomb, /unpack/],
    ['long.csv', () => Buffer.alloc(3_300_000, '\n\nx'), /more than 2,000,000 rows.*Part it/],
    ['wide.csv', () => Buffer.from(`${'x,'.repeat(5000)}x\n1\n`), /5,001 columns/],
  ])('%s', async (name, file, words) => {
    const problem = await refused(read(name, file()))
    expect(problem.status).toBe(422)
    expect(problem.detail).toMatch(words)
    expect(problem.detail).toContain(name)
    expect(await world.call(routes.lists)).toEqual([])
  })
  test('a file over 250 MB is refused while it comes in, and nothing of it stays', async () => {
    const problem = await refused(read('huge.csv', Buffer.alloc(251_000_000, 'a,b\n')))
    expect(problem.status).toBe(413)
    expect(problem.detail).toMatch(/larger than 250 MB/)
    expect(readdirSync(join(world.folder, 'data/readings')).filter((n) => n.includes('huge'))).toEqual([])
  })
  test('a list without a column of addresses is brought in, says so, and cannot be posted', async () => {
    const { id } = await read('names.csv', 'Name,Berth\nAda,A1\n')
    const list = await world.call(routes.makeList, { body: { reading: id } })
    expect(list.source.said.join()).toMatch(/No column looks like addresses/)
    const round = await world.call(routes.startRound, { body: { title: 'No addresses' } })
    const params = { round: round.id }
    await world.call(routes.changeRound, {
      params,
      body: { listId: list.id, letterHtml: { subject: 'S', html: '<p>Hi</p>' } },
    })
    expect((await world.call(routes.proof, { params })).findings.map((f) => f.check)).toEqual(['noAddressColumn'])
    expect((await refused(world.call(routes.post, { params, body: { messages: 1 } }))).status).toBe(409)
  })
})

describe('files that are tables are read as they stand', () => {
  // The csv-spectrum set: files and what a right reader makes of them, as objects by heading.
  test('csv-spectrum', async () => {
    const cases = await new Promise<{ name: string; csv: Buffer; json: Buffer }[]>((resolve, reject) =>
      spectrum((error, data) => (error ? reject(error) : resolve(data))),
    )
    expect(cases.length).toBeGreaterThan(8)
    for (const { name, csv, json } of cases) {
      // The set's answer for this one has another telephone number than its file.
      if (name === 'location_coordinates') continue
      const [headings, ...rows] = (await readTableFile(csv, `${name}.csv`)).sheets[0].rows
      const objects = rows
        .filter((r) => r.some((cell) => cell !== ''))
        .map((r) => Object.fromEntries(headings.map((h, i) => [h, r[i]])))
      expect(objects, name).toEqual([JSON.parse(json.toString())].flat())
    }
  })
  test.each([
    ['utf-8', Buffer.from('Name;Ort\nZoë;Hafen\n')],
    ['utf-16le', Buffer.from('\ufeffName;Ort\nZoë;Hafen\n', 'utf16le')],
    ['windows-1252', Buffer.from('Name;Ort\nZoë;Hafen\n', 'latin1')],
  ])('%s is told from its bytes, and the semicolon from the lines', async (encoding, bytes) => {
    const found = await readTableFile(bytes, 'x.csv')
    expect([found.encoding, found.delimiter]).toEqual([encoding, ';'])
    expect(found.sheets[0].rows[1]).toEqual(['Zoë', 'Hafen'])
  })
  test('a workbook keeps what it showed beside what it kept: dates, amounts, leading zeros', async () => {
    const rows = [
      ['Berth holders'],
      ['Name', 'Email', 'Due', 'Fee', 'Permit'],
      // ECMA-376, part 1, 18.17.4.1: serial 61 is 1 March 1900 in the 1900 system; 46115 is 3 April 2026.
      [
        'Ada',
        'ada@quay.example',
        { t: 'n', v: 46115, z: 'd mmmm yyyy' },
        { t: 'n', v: 1234.5, z: '"£"#,##0.00' },
        '0071',
      ],
      ['Bram', 'bram@quay.example', { t: 'n', v: 61, z: 'dd/mm/yyyy' }, { t: 'n', v: 20, z: '"£"#,##0.00' }, '0072'],
    ]
    const { id, sheets } = await read('book.xlsx', workbook({ Hints: [['read me']], People: rows }))
    expect(sheets.map((s) => s.name)).toEqual(['Hints', 'People'])
    const list = await world.call(routes.makeList, { body: { reading: id, sheet: 1, name: 'Book' } })
    expect(list.columns.map((c) => c.kind)).toEqual(['text', 'address', 'date', 'amount', 'text'])
    const { rows: stored } = await world.call(routes.rows, { params: { list: list.id } })
    expect(stored[0].cells).toMatchObject({
      c3: { shown: '3 April 2026', value: '2026-04-03' },
      c4: { shown: '£1,234.50', value: 1234.5 },
      c5: '0071',
    })
    expect(stored[1].cells.c3).toEqual({ shown: '01/03/1900', value: '1900-03-01' })
  })
  test('the heading row found can be overruled, and a cell edited becomes what was typed', async () => {
    const { id } = await read('title.csv', 'Winter lift-out\nName,Email\nAda,ada@quay.example\n')
    const table = await world.call(routes.readTable, { params: { reading: id } })
    expect(table.headingsRow).toBe(1)
    const other = await world.call(routes.readTable, { params: { reading: id }, query: { headingsRow: 0 } })
    expect(other.rowCount).toBe(2)
    const list = await world.call(routes.makeList, { body: { reading: id } })
    const typeIn = (column: string, text: string) =>
      world.edit(list.id, { do: 'cells', cells: [[1, column, text]] }).then(() => world.rows(list.id))
    expect((await typeIn('c1', ' Adah '))[0].cells.c1).toBe('Adah')
    expect((await typeIn('c1', ''))[0].cells.c1).toBeUndefined()
    expect((await refused(typeIn('c9', 'x'))).status).toBe(404)
  })
  test('renaming a column renames its fields in letters not yet posted', async () => {
    const { id } = await read('rename.csv', 'Name,Email\nAda,ada@quay.example\n')
    const list = await world.call(routes.makeList, { body: { reading: id } })
    const round = await world.call(routes.startRound, { body: { title: 'Rename' } })
    const params = { round: round.id }
    await world.call(routes.changeRound, {
      params,
      body: { listId: list.id, letterHtml: { subject: '{{name, or "x"}}', html: '<p>{{Name}}</p>' } },
    })
    const rename = (name: string) => world.edit(list.id, { do: 'changeColumn', column: 'c1', changes: { name } })
    await rename('Holder')
    const { letter } = await world.call(routes.round, { params })
    expect(letter.subject).toBe('{{Holder, or "x"}}')
    expect(JSON.stringify(letter.body)).toContain('"column":"Holder"')
    expect((await refused(rename('EMAIL'))).status).toBe(409)
  })
  test('bringing in can be cancelled, and then nothing is there', async () => {
    const rows = Array.from({ length: 60_000 }, (_, i) => `Person ${i},person${i}@quay.example`)
    const { id } = await read('many.csv', `Name,Email\n${rows.join('\n')}\n`)
    const before = await world.call(routes.lists)
    const stop = new AbortController()
    const making = world.call(routes.makeList, { body: { reading: id }, signal: stop.signal })
    setTimeout(() => stop.abort(), 150)
    await expect(making).rejects.toThrow()
    // The next job waits for the one that is being stopped.
    await world.call(routes.readTable, { params: { reading: id } })
    expect(await world.call(routes.lists)).toEqual(before)
  })
  test('who has gone before the job began has nothing stored', async () => {
    const { id } = await read('gone.csv', 'Name,Email\nAda,ada@quay.example\n')
    const before = await world.call(routes.lists)
    const { compute, readingsFolder } = world.handPost.parts
    const file = { path: join(readingsFolder, id), name: 'gone.csv', pasted: false }
    const made = compute.run('makeList', { file, options: {}, now: 0 } as never, { signal: AbortSignal.abort() })
    await expect(made).rejects.toMatchObject({ status: 499 })
    expect(await world.call(routes.lists)).toEqual(before)
  })
})

describe('the machine', () => {
  test('a second start on the same data folder says so and stops', async () => {
    const started = startHandPost({
      settings: settingsFor(world.folder, world.practice),
      log: pino({ level: 'silent' }),
    })
    await expect(started).rejects.toThrow(/in use by another Hand Post|is in use/)
    expect((await world.call(routes.health)).ready).toBe(true)
  })

  // A small file system of its own stands for a full disk; where none may be mounted there is nothing to try.
  const folder = mkdtempSync(join(tmpdir(), 'hand-post-full-'))
  const mounted = (() => {
    try {
      execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=1m', 'tmpfs', folder], { stdio: 'ignore' })
      return true
    } catch {
      return false
    }
  })()
  test.skipIf(!mounted)(
    'a full disk is said, nothing half is kept, and it works again when there is room',
    async () => {
      const filesFolder = join(world.folder, 'data/files')
      const round = await world.call(routes.startRound, { body: { title: 'Full' } })
      const add = (size: number) =>
        world.call(routes.addFile, {
          params: { round: round.id },
          query: { name: `f${size}.txt`, role: 'common' },
          file: Buffer.alloc(size, 'x'),
        })
      mkdirSync(filesFolder, { recursive: true })
      execFileSync('mount', ['--bind', folder, filesFolder])
      try {
        writeFileSync(join(folder, 'fills'), Buffer.alloc(900_000))
        const problem = await refused(add(500_000))
        expect(problem).toMatchObject({ status: 507, title: 'Disk full' })
        expect((await world.call(routes.round, { params: { round: round.id } })).files).toEqual([])
        expect(readdirSync(folder)).toEqual(['fills'])
        writeFileSync(join(folder, 'fills'), '')
        expect((await add(500_000)).size).toBe(500_000)
      } finally {
        // What is added is examined by a thread, which may still have it open.
        execFileSync('umount', ['--lazy', filesFolder])
        execFileSync('umount', [folder])
      }
    },
  )

  describe('the start', () => {
    let other: World
    const start = (more: Record<string, string> = {}) =>
      startHandPost({
        settings: { ...settingsFor(other.folder, other.practice), ...more } as Settings,
        log: pino({ level: 'silent' }),
      })
    const data = () => join(other.folder, 'data')
    beforeAll(async () => {
      other = await World.open({ embedded: true })
      const [mailbox] = await other.call(routes.mailboxes)
      const settings = { ...mailboxSettingsSchema.parse(mailbox), name: 'Own', password: 'anchor-and-chain' }
      await other.call(routes.addMailbox, { body: settings })
      await other.handPost.close()
    })
    afterAll(() => other.close())
    /** Ends whatever was started, and gives the key back. */
    const withKey = async (bytes: Buffer | null, work: () => Promise<void>) => {
      const key = join(data(), 'key')
      const whole = readFileSync(key)
      rmSync(key)
      if (bytes) writeFileSync(key, bytes)
      try {
        await work()
        expect(existsSync(join(data(), 'in-use.json'))).toBe(false)
      } finally {
        writeFileSync(key, whole)
      }
    }
    test.each<[string, Buffer | null, RegExp]>([
      [
        'cut short',
        Buffer.alloc(10),
        /key file .* is damaged: it must have 64 bytes, and has 10\. Put it back from a copy/,
      ],
      [
        'missing',
        null,
        /key file .* is missing, and the database holds 2 passwords that were sealed with it\. Put it back/,
      ],
      ['another one', Buffer.alloc(64, 7), /key file .* is not the one that the database’s passwords were sealed with/],
    ])('a key file that is %s is said, and nothing is made anew in silence', async (_, bytes, words) => {
      await withKey(bytes, async () => {
        await expect(start()).rejects.toThrow(words)
        expect(existsSync(join(data(), 'key'))).toBe(bytes !== null)
      })
    })
    test('only at the writer’s word a new key is made; then mailboxes wait for their passwords', async () => {
      await withKey(null, async () => {
        other.handPost = await start({ HAND_POST_NEW_KEY: 'yes' })
        const [practice, own] = await other.call(routes.mailboxes)
        expect([practice.stopped, own.stopped, own.pauseReason]).toEqual([
          false,
          true,
          expect.stringMatching(/Type it again/),
        ])
        const params = { mailbox: own.id }
        const kept = mailboxSettingsSchema.parse(own)
        expect((await refused(other.call(routes.changeMailbox, { params, body: kept }))).detail).toMatch(
          /Type it again/,
        )
        await other.call(routes.changeMailbox, { params, body: { ...kept, password: 'anchor-and-chain' } })
        expect((await other.call(routes.mailboxes))[1].stopped).toBe(false)
        await other.handPost.close()
      })
    })
    test('a folder of a newer Hand Post is left as it is', async () => {
      const db = await openDatabase(join(data(), 'database'))
      await db.query("INSERT INTO migrations VALUES ('099_later.sql')")
      await db.close()
      const key = readFileSync(join(data(), 'key'))
      await expect(start()).rejects.toThrow(/last used by a newer Hand Post \(it knows of 099_later\.sql/)
      expect(readFileSync(join(data(), 'key'))).toEqual(key)
      expect(existsSync(join(data(), 'in-use.json'))).toBe(false)
    })
    test('a folder that is a file, or lies below one, is said', async () => {
      const file = join(other.folder, 'file')
      writeFileSync(file, '')
      await expect(start({ HAND_POST_DATA: file })).rejects.toThrow(
        /data folder .*file cannot be used: there is a file of that name/,
      )
      await expect(start({ HAND_POST_DATA: join(file, 'data') })).rejects.toThrow(
        /something on the way to it is a file/,
      )
    })
    test.skipIf(!mounted)(
      'a disk without room, and one that can only be read, are said by the program, which ends with 1',
      () => {
        const small = mkdtempSync(join(tmpdir(), 'hand-post-small-'))
        const program = () =>
          spawnSync(process.execPath, [join(process.env.HAND_POST_BUILT!, 'main.mjs')], {
            encoding: 'utf8',
            env: {
              ...process.env,
              HAND_POST_DATA: join(small, 'data'),
              HAND_POST_PORT: '0',
              HAND_POST_PUBLIC_PORT: '0',
            },
          })
        execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=8m', 'tmpfs', small])
        try {
          const full = program()
          expect([full.status, full.stderr]).toEqual([
            1,
            expect.stringMatching(/did not start\. .*the disk has no room left/),
          ])
          execFileSync('mount', ['-o', 'remount,ro', small])
          const readOnly = program()
          expect([readOnly.status, readOnly.stderr]).toEqual([
            1,
            expect.stringMatching(/did not start\. .*it can only be read\. Make it writable/),
          ])
        } finally {
          execFileSync('umount', [small])
        }
      },
    )
  })
})
