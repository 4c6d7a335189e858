import fc from 'fast-check'
import Papa from 'papaparse'
import { describe, expect, test } from 'vitest'
import { statusInWords } from '../dispatch/smtpAnswer.ts'
import { parseTemplate } from '../letter/field.ts'
import { htmlToText } from '../letter/htmlText.ts'
import { headerLine, oneLine } from '../mailboxes/mail.ts'
import { newPlaces } from '../mailboxes/settings.ts'
import { inThousands, onOneLine, withoutEnd, withoutStart } from '../people/plainText.ts'
import { asBeforeDefusing, csvField } from './csv.ts'
import { type Fetched, fetchedAsResponses, fetchedOnce, firstKept, latestKept, sumFetched } from './fetches.ts'
import { readIncoming, saidOf } from './incoming.ts'
import { automaticOnes, type Response } from './outcome.ts'

describe('what was fetched of a letter', () => {
  const times = fc.array(fc.integer({ min: 0, max: 200_000 }), { minLength: 1, maxLength: 60, size: 'max' })
  const of = (all: number[]) => all.map((at) => fetchedOnce({ at, agent: 'a' })).reduce(sumFetched)
  test('is counted exactly, with its first and last, and kept in bounded room, the earliest first', () => {
    fc.assert(
      fc.property(times, (all) => {
        const fetched = of(all)
        expect([fetched.times, fetched.first, fetched.last]).toEqual([all.length, Math.min(...all), Math.max(...all)])
        expect(fetched.sample.length).toBeLessThanOrEqual(firstKept + latestKept)
        const at = fetched.sample.map((s) => s.at)
        expect(at).toEqual([...at].sort((a, b) => a - b))
        expect(at[0]).toBe(fetched.first)
        for (const [i, one] of at.entries()) if (i > 0) expect(one - at[i - 1]).toBeGreaterThanOrEqual(1000)
      }),
    )
  })
  test('sums are the same whichever comes first, as far as they are counts', () => {
    fc.assert(
      fc.property(times, times, (a, b) => {
        const [ab, ba] = [sumFetched(of(a), of(b)), sumFetched(of(b), of(a))]
        expect(ab).toEqual(ba)
      }),
    )
  })
  test('a person who comes after a machine’s flood is seen', () => {
    let fetched: Fetched = fetchedOnce({ at: 1, agent: 'scanner' })
    for (let i = 0; i < 15_900; i++)
      fetched = sumFetched(fetched, fetchedOnce({ at: 2 + (i % 4000), agent: 'scanner' }))
    fetched = sumFetched(fetched, fetchedOnce({ at: 3_600_000, agent: 'person' }))
    const responses = fetchedAsResponses('picture', fetched)
    expect(responses.at(-1)).toEqual({ kind: 'open', at: 3_600_000, agent: 'person' })
    expect(automaticOnes(0, responses).has(responses.at(-1)!)).toBe(false)
    expect(automaticOnes(0, responses).has(responses[0])).toBe(true)
  })
  // The definition, word for word, in the time that it takes; the one that is used goes through them once.
  const bySquare = (sentAt: number, responses: Response[]): Set<Response> => {
    const fetched = responses.filter((r) => r.kind === 'open' || r.kind === 'click').sort((a, b) => a.at - b.at)
    const machine = new Set(fetched.filter((r) => r.at - sentAt < 10_000))
    for (const start of fetched) {
      const burst = fetched.filter((r) => r.at >= start.at && r.at - start.at < 5000)
      const after = burst.filter((r) => fetched.indexOf(r) >= fetched.indexOf(start))
      if (new Set(after.filter((r) => r.kind === 'click').map((r) => r.link)).size >= 2)
        for (const r of after) machine.add(r)
    }
    return machine
  }
  test('machines are told from people as the definition has it, and 100,000 fetches take no square of that', () => {
    const response = fc.record({
      kind: fc.constantFrom('open' as const, 'click' as const, 'reply' as const),
      at: fc.integer({ min: 0, max: 40_000 }),
      link: fc.nat(2),
    })
    fc.assert(
      fc.property(fc.array(response, { maxLength: 40 }), (all) => {
        expect(new Set(automaticOnes(0, all).keys())).toEqual(bySquare(0, all))
      }),
    )
    const many = Array.from(
      { length: 100_000 },
      (_, i): Response => ({ kind: 'click', at: 20_000 + (i % 9000), link: i % 3 }),
    )
    expect(automaticOnes(0, many).size).toBe(100_000)
  })
})

describe('HTML as text', () => {
  test.each([
    ['<p>One</p><p>two &amp; three&nbsp;four</p>', 'One\n\ntwo & three\u00a0four'],
    ['<div>a<br>b</div><ul><li>c</li><li>d</li></ul>', 'a\nb\n\nc\n\nd'],
    ['<style>p{}</style><script>x</script><title>t</title>words', 'words'],
    ['a<!-- b -->c', 'ac'],
    ['a < b and <constructor>c', 'a < b and c'],
    ['', ''],
  ])('%s', (html, text) => expect(htmlToText(html, 1000)).toBe(text))
  test('what is quoted is kept or marked; the rest goes on after it', () => {
    const html = 'Yes.<blockquote>Dear <blockquote>inner</blockquote> Ada</blockquote>Bo'
    expect(htmlToText(html, 1000)).toMatch(/inner/)
    expect(htmlToText(html, 1000, 'marked')).toBe('Yes.\n> Dear\n> inner\n> Ada\nBo')
  })
  test('is cut to what is wanted, and takes no square of what it is given', () => {
    for (const html of [
      '<'.repeat(1_000_000),
      '<a '.repeat(300_000),
      '<!--'.repeat(250_000),
      '<blockquote>'.repeat(80_000),
      '</p>'.repeat(250_000),
      '&'.repeat(1_000_000),
    ])
      expect(htmlToText(html, 5000).length).toBeLessThanOrEqual(5000)
  })
  test('nothing of a tag is left, and no word is lost, whatever stands between', () => {
    const piece = fc.constantFrom(
      '<p>',
      '</p>',
      '<b>',
      '</b>',
      '<br>',
      '<td>',
      '<a href="x">',
      'word',
      ' ',
      '\n',
      '<i',
      '>',
    )
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 30 }), (pieces) => {
        const html = pieces.join('')
        const text = htmlToText(html, 10_000)
        expect(text).not.toMatch(/<(p|br|td|\/b)>/)
        if (!html.includes('<i'))
          expect(text.match(/word/g)?.length ?? 0).toBe(pieces.filter((p) => p === 'word').length)
      }),
    )
  })
})

describe('what comes in', () => {
  test('of a report on hundreds of addresses, what is about the letter is kept, and few of the others, with their number', async () => {
    const recipients = [...Array.from({ length: 300 }, (_, i) => `p${i}@b.example`), 'cc@b.example', 'ada@b.example']
    const fields = recipients
      .map((one) => `Final-Recipient: rfc822; ${one}\nAction: failed\nStatus: 5.1.1`)
      .join('\n\n')
    const incoming = await readIncoming(
      `From: host@b.example\nContent-Type: multipart/report; report-type=delivery-status; boundary=b\n\n--b\nContent-Type: message/delivery-status\n\nReporting-MTA: dns; b.example\n\n${fields}\n\n--b--\n`.replaceAll(
        '\n',
        '\r\n',
      ),
    )
    const said = saidOf(incoming, { address: 'Ada@b.example', copies: ['cc@b.example'] })
    expect(said.map((s) => [s.of, s.address]).slice(0, 3)).toEqual([
      ['copy', 'cc@b.example'],
      ['person', 'ada@b.example'],
      ['other', 'p0@b.example'],
    ])
    expect(said.filter((s) => s.of === 'other')).toHaveLength(20)
    expect(said.at(-1)!.words).toContain('names 280 more addresses')
    expect(said.slice(0, -1).some((s) => s.words.includes('more addresses'))).toBe(false)
  })

  const mail = (headers: string, body = 'x') => readIncoming(`From: Ada <ada@quay.example>\r\n${headers}\r\n${body}`)
  test('a header is one line, whatever was folded or encoded into it', async () => {
    const read = await mail('Subject: =?utf-8?Q?one=0D=0ABcc:_spy@evil.example?=\r\n')
    expect(read.subject).toBe('one Bcc: spy@evil.example')
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (text) => {
        expect(oneLine(text)).not.toMatch(/[\r\n\0\u2028]/)
      }),
    )
    expect(oneLine('a'.repeat(1_000_000)).length).toBe(998)
  })
  test('a line of a raw head is found by its name, unfolded and decoded', () => {
    const head = 'X-From: no\r\nFROM: =?utf-8?Q?Zo=C3=AB?=\r\n <zoe@quay.example>\r\nSubject: x\r\n'
    expect(headerLine(head, 'from')).toBe('Zoë <zoe@quay.example>')
    expect(headerLine(head, 'to')).toBe('')
  })
  test('fields of a report that bear the names of an object’s own parts are fields; codes that are none say nothing', async () => {
    const body =
      '--b\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: x\r\n\r\n__proto__: y\r\nFinal-Recipient: rfc822; ada@quay.example\r\nAction: failed\r\nStatus: constructor\r\n\r\n--b--'
    const read = await mail('Content-Type: multipart/report; boundary=b\r\n', body)
    expect(read).toMatchObject({
      kind: 'bounce',
      report: [{ recipient: 'ada@quay.example', status: 'constructor', words: '' }],
    })
    expect(statusInWords('5.constructor')).toBeNull()
    expect(statusInWords('5.1.1')).toBe('There is no such mailbox at that address.')
  })
  test('parts that stand too deep in one another are refused, and no text is longer than what is kept', async () => {
    let deep = 'Content-Type: multipart/mixed; boundary=b0\r\n\r\n'
    for (let i = 1; i < 80; i++) deep += `--b${i - 1}\r\nContent-Type: multipart/mixed; boundary=b${i}\r\n\r\n`
    await expect(readIncoming(`From: a@b.example\r\n${deep}`)).rejects.toThrow(/nesting/)
    expect((await mail('', 'word '.repeat(300_000))).text.length).toBe(200_000)
    expect((await mail(`References: ${'<a@b.example> '.repeat(5000)}\r\n`)).answers.length).toBeLessThanOrEqual(200)
  })
})

// OWASP's page on CSV injection names = + - @, tab and CR; blanks before them, and their full-width forms, are from memory.
test('cells that a spreadsheet would run are defused, also behind blanks and in full width', () => {
  for (const cell of [
    '=1+1',
    '+1+1',
    '-1+1',
    '@x',
    '\tx',
    '\rx',
    ' =1',
    '\u00a0=1',
    '\u3000@x',
    '\ufeff=1',
    '\uff1d1+1',
    '\uff0b1',
    '\uff0d1+1',
    '\uff20x',
    '\n=1',
  ])
    expect(csvField(cell).replace(/^"/, ''), JSON.stringify(cell)).toMatch(/^'/)
  for (const cell of ['a=1', '-5', '+44', '12 - 3', '', ' words', '-1,234.50', '-5%'])
    expect(csvField(cell)).not.toMatch(/^"?'/)
})

test('whatever is written as CSV comes back as it was, also what was defused', () => {
  const sharp = fc.array(fc.constantFrom("'", '=', '+', '-', '@', ' ', '\t', '5', ',', '"', '\r\n', 'a', '\uff1d'), {
    maxLength: 8,
  })
  fc.assert(
    fc.property(
      fc.oneof(
        fc.string(),
        sharp.map((characters) => characters.join('')),
      ),
      (value) => {
        const [[read]] = Papa.parse<string[]>(`${csvField(value)},end`, { delimiter: ',', newline: '\r\n' }).data
        expect(asBeforeDefusing(read)).toBe(value)
      },
    ),
    { numRuns: 2000 },
  )
  expect(csvField('+44 7700 900121')).toBe("'+44 7700 900121")
})

describe('where a password goes', () => {
  const host = { host: 'mail.quay.example', port: 587, security: 'starttls' as const, allowSelfSigned: false }
  const before = { user: 'office', smtp: host, imap: { ...host, port: 993 } }
  test('the same places are no new ones, nor is less', () => {
    expect(newPlaces(before, structuredClone(before))).toEqual([])
    expect(newPlaces(before, { ...before, imap: null })).toEqual([])
    expect(newPlaces({ ...before, smtp: { ...host, allowSelfSigned: true } }, before)).toEqual([])
  })
  test('whatever is changed of them is named', () => {
    const changes = { host: 'evil.example', port: 1, security: 'none' as const, allowSelfSigned: true }
    for (const [name, value] of Object.entries(changes))
      for (const which of ['smtp', 'imap'] as const)
        expect(newPlaces(before, { ...before, [which]: { ...before[which], [name]: value } })).toHaveLength(1)
    expect(newPlaces(before, { ...before, user: 'x' })).toEqual(['the user name'])
    expect(newPlaces({ ...before, imap: null }, before)).toEqual(['the reading host'])
  })
})

describe('small things done to texts', () => {
  const text = fc.string({ unit: fc.constantFrom('a', ' ', '\n', '\t', '.', ',', '\u00a0'), maxLength: 30 })
  test('are what the expressions say that come to mind for them', () => {
    fc.assert(
      fc.property(text, (t) => {
        expect(withoutEnd(t, '. ')).toBe(t.replace(/[. ]+$/, ''))
        expect(withoutStart(t, '\n')).toBe(t.replace(/^\n+/, ''))
        expect(onOneLine(t.trim(), ' ')).toBe(t.trim().replace(/\s*\n\s*/g, ' '))
      }),
    )
    fc.assert(
      fc.property(fc.bigInt({ min: 0n, max: 10n ** 30n }), (n) => {
        expect(inThousands(String(n))).toBe(n.toLocaleString('en-GB'))
      }),
    )
  })
  test('and take no square of a text that is made so', () => {
    const long = ' '.repeat(1_000_000)
    expect(withoutEnd(`${long}x`, ' ').length).toBe(1_000_001)
    expect(onOneLine(`${long}x${long}\n`, ' ').length).toBeGreaterThan(0)
    expect(inThousands('9'.repeat(300_000)).length).toBe(399_999)
    expect(parseTemplate('{{'.repeat(500_000))).toEqual(['{{'.repeat(500_000)])
    expect(parseTemplate('{{{Name}}')).toEqual(['{', expect.objectContaining({ column: 'Name' })])
    expect(parseTemplate('{{“a, or “'.repeat(50_000)).join('').length).toBeGreaterThan(0)
  })
})
