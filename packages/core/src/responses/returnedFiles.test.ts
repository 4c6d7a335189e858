import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { readIncoming } from './incoming.ts'
import { broughtFiles, keptNames, maxBrought } from './returnedFiles.ts'

/** A message of parts, as RFC 2046 lays them out (section 5.1.1), written by hand. */
function message(parts: { headers: string[]; body: string }[], kind = 'mixed'): Uint8Array {
  const lines = [
    'From: Ada <ada@village.example>',
    'Subject: Re: Permit',
    'MIME-Version: 1.0',
    `Content-Type: multipart/${kind}; boundary="b"`,
    '',
    ...parts.flatMap(({ headers, body }) => ['--b', ...headers, '', body]),
    '--b--',
    '',
  ]
  return new TextEncoder().encode(lines.join('\r\n'))
}
const words = { headers: ['Content-Type: text/plain'], body: 'Here it is.' }
const file = (type: string, name: string | null, body = 'aGVsbG8=', more: string[] = []) => ({
  headers: [
    `Content-Type: ${type}${name === null ? '' : `; name="${name}"`}`,
    'Content-Transfer-Encoding: base64',
    ...(name === null ? [] : [`Content-Disposition: attachment; filename="${name}"`]),
    ...more,
  ],
  body,
})
const names = async (...parts: ReturnType<typeof file>[]) =>
  (await broughtFiles(message([words, ...parts]))).files.map((f) => f.name)

describe('the files that an answer brings', () => {
  test('with their contents, in their order', async () => {
    const { files, more } = await broughtFiles(
      message([words, file('application/pdf', 'form.pdf', 'JVBERi0='), file('image/jpeg', 'photo.jpg')]),
    )
    expect(files.map((f) => [f.name, f.type, Buffer.from(f.content).toString()])).toEqual([
      ['form.pdf', 'application/pdf', '%PDF-'],
      ['photo.jpg', 'image/jpeg', 'hello'],
    ])
    expect(more).toBe(0)
  })
  // What signs, reports, answers an invitation or wraps another message is no file of the person's: RFC 3156, 8551, 5545, 6522.
  test.each([
    ['a signature (RFC 3156)', file('application/pgp-signature', 'signature.asc')],
    ['a signature (RFC 8551)', file('application/pkcs7-signature', 'smime.p7s')],
    ['a signature under another type', file('application/octet-stream', 'smime.p7s')],
    ['an answer to an invitation (RFC 5545)', file('text/calendar', 'invite.ics')],
    ['a report (RFC 3464)', file('message/delivery-status', null)],
  ])('%s is none', async (_, part) => {
    expect(await names(part)).toEqual([])
  })
  test('a forwarded message is none', async () => {
    const inner = { headers: ['Content-Type: message/rfc822'], body: 'Subject: x\r\n\r\nHello' }
    expect((await broughtFiles(message([words, inner]))).files).toEqual([])
  })
  test('a small picture within the text is an ornament, a large one a photograph', async () => {
    const picture = (octets: number) =>
      file('image/png', 'image001.png', Buffer.alloc(octets).toString('base64'), ['Content-ID: <p1>'])
    const html = { headers: ['Content-Type: text/html'], body: '<p>Regards<img src="cid:p1"></p>' }
    const of = async (octets: number) => (await broughtFiles(message([html, picture(octets)], 'related'))).files.length
    expect([await of(5_000), await of(200_000)]).toEqual([0, 1])
    // Attached as a file it is one, however small.
    expect(await names(file('image/png', 'tick.png'))).toEqual(['tick.png'])
  })
  test('names are made safe; without one, a file is called by what it is', async () => {
    expect(await names(file('application/pdf', '../../etc/form.pdf'))).toEqual(['form.pdf'])
    expect(await names(file('application/pdf', null, 'JVBERi0=', ['Content-Disposition: attachment']))).toEqual([
      'file 1.pdf',
    ])
    expect(await names(file('application/pdf', '=?utf-8?q?Versicherung_M=C3=B6we.pdf?='))).toEqual([
      'Versicherung Möwe.pdf',
    ])
  })
  test('of very many the first are kept, and it is said how many more there were', async () => {
    const many = Array.from({ length: maxBrought + 7 }, (_, i) => file('text/plain', `note${i}.txt`))
    const { files, more } = await broughtFiles(message([words, ...many]))
    expect([files.length, files.at(-1)!.name, more]).toEqual([maxBrought, `note${maxBrought - 1}.txt`, 7])
  })
  test('what is broken off in the middle is kept as far as it goes', async () => {
    const whole = message([words, file('application/pdf', 'form.pdf', 'JVBERi0x'.repeat(100))])
    const { files } = await broughtFiles(whole.slice(0, whole.length - 300))
    expect(files).toHaveLength(1)
    expect(Buffer.from(files[0].content).toString().startsWith('%PDF-1')).toBe(true)
  })
  test('before the whole of it is fetched it is told whether there may be any', async () => {
    const brings = async (...parts: ReturnType<typeof file>[]) =>
      (await readIncoming(message([words, ...parts]))).brings
    expect(await brings()).toBe(false)
    expect(await brings(file('text/calendar', 'invite.ics'))).toBe(false)
    expect(await brings(file('application/pdf', 'form.pdf'))).toBe(true)
  })
})

describe('names by which they are kept together', () => {
  const one = fc.record({
    written: fc.option(fc.oneof(fc.constantFrom('Penrose-B12', 'a/b', 'CON', '', '..', 'x.pdf'), fc.string())),
    name: fc.oneof(fc.constantFrom('scan.PDF', 'scan.pdf', 'form.pdf', 'photo.jpg', 'noending'), fc.string()),
  })
  test('each is given once, whatever the capitals, and is safe as a name; the ending is the file’s own', () => {
    fc.assert(
      fc.property(fc.array(one, { maxLength: 20 }), (files) => {
        const names = keptNames(files)
        expect(new Set(names.map((n) => n.toLowerCase())).size).toBe(files.length)
        for (const [i, name] of names.entries()) {
          expect(name).not.toMatch(/[/\\<>:"|?*]/)
          expect(name).not.toBe('')
          if (/^[a-z]+\.pdf$/i.test(files[i].name)) expect(name).toMatch(/\.pdf$/i)
        }
      }),
    )
  })
  test('by the pattern of their person, numbered where there are several; as they came where that is blank', () => {
    expect(
      keptNames([
        { written: 'Penrose-B12', name: 'scan.PDF' },
        { written: 'Penrose-B12', name: 'photo.jpg' },
        { written: 'Penrose-B12', name: 'more.pdf' },
        { written: null, name: 'form.pdf' },
        { written: 'Sloe.pdf', name: 'a.pdf' },
      ]),
    ).toEqual(['Penrose-B12.pdf', 'Penrose-B12.jpg', 'Penrose-B12 (2).pdf', 'form.pdf', 'Sloe.pdf'])
  })
})
