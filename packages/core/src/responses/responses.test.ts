import { describe, expect, test } from 'vitest'
import { csvText } from './csv.ts'
import { readIncoming } from './incoming.ts'
import { automaticOnes, outcomeOf, outcomes, type Response, strongestOutcome } from './outcome.ts'
import { withoutQuotes } from './quotes.ts'

const crlf = (text: string) => text.trim().replace(/\n/g, '\r\n')

describe('delivery reports', () => {
  // RFC 3464, appendix E.1 ("Simple DSN"); typed from memory of the printed example.
  test('the simple report that RFC 3464 prints', async () => {
    const read = await readIncoming(
      crlf(`
Date: Thu, 7 Jul 1994 17:16:05 -0400
From: Mail Delivery Subsystem <MAILER-DAEMON@CS.UTK.EDU>
Message-Id: <199407072116.RAA14128@CS.UTK.EDU>
Subject: Returned mail: Cannot send message for 5 days
To: <owner-info-mime@cs.utk.edu>
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status;
      boundary="RAA14128.773615765/CS.UTK.EDU"

--RAA14128.773615765/CS.UTK.EDU

The original message was received at Sat, 2 Jul 1994 17:10:28 -0400
from root@localhost

   ----- The following addresses had delivery problems -----
<louisl@larry.slip.umd.edu>  (unrecoverable error)

--RAA14128.773615765/CS.UTK.EDU
content-type: message/delivery-status

Reporting-MTA: dns; cs.utk.edu

Original-Recipient: rfc822;louisl@larry.slip.umd.edu
Final-Recipient: rfc822;louisl@larry.slip.umd.edu
Action: failed
Status: 4.0.0
Diagnostic-Code: smtp; 426 connection timed out
Last-Attempt-Date: Thu, 7 Jul 1994 17:15:49 -0400

--RAA14128.773615765/CS.UTK.EDU
content-type: message/rfc822

Message-ID: <original@cs.utk.edu>
Subject: hello

[original message goes here]

--RAA14128.773615765/CS.UTK.EDU--`),
    )
    expect(read.kind).toBe('bounce')
    expect(read.report).toEqual([
      {
        recipient: 'louisl@larry.slip.umd.edu',
        original: 'louisl@larry.slip.umd.edu',
        action: 'failed',
        status: '4.0.0',
        words: expect.stringContaining('426 connection timed out'),
      },
    ])
    expect(read.answers[0]).toBe('<original@cs.utk.edu>')
  })

  // RFC 3464, appendix E.2 ("Multi-Recipient DSN"); typed from memory of the printed example.
  test('the report on several recipients that RFC 3464 prints', async () => {
    const read = await readIncoming(
      crlf(`
Date: Fri, 8 Jul 1994 09:21:47 -0400
From: Mail Delivery Subsystem <MAILER-DAEMON@CS.UTK.EDU>
Subject: Returned mail: User unknown
To: <owner-ups-mib@CS.UTK.EDU>
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status;
   boundary="JAA13167.773673707/CS.UTK.EDU"

--JAA13167.773673707/CS.UTK.EDU
content-type: text/plain; charset=us-ascii

   ----- The following addresses had delivery problems -----
<arathib@vnet.ibm.com>  (unrecoverable error)
<wsnell@sdcc13.ucsd.edu>  (unrecoverable error)

--JAA13167.773673707/CS.UTK.EDU
content-type: message/delivery-status

Reporting-MTA: dns; cs.utk.edu

Original-Recipient: rfc822;arathib@vnet.ibm.com
Final-Recipient: rfc822;arathib@vnet.ibm.com
Action: failed
Status: 5.0.0 (permanent failure)
Diagnostic-Code: smtp;
 550 'arathib@vnet.IBM.COM' is not a registered gateway user
Remote-MTA: dns; vnet.ibm.com

Original-Recipient: rfc822;johnh@hpnjld.njd.hp.com
Final-Recipient: rfc822;johnh@hpnjld.njd.hp.com
Action: delayed
Status: 4.0.0 (hpnjld.njd.jp.com: host name lookup failure)

Original-Recipient: rfc822;wsnell@sdcc13.ucsd.edu
Final-Recipient: rfc822;wsnell@sdcc13.ucsd.edu
Action: failed
Status: 5.0.0
Diagnostic-Code: smtp; 550 user unknown
Remote-MTA: dns; sdcc13.ucsd.edu

--JAA13167.773673707/CS.UTK.EDU
content-type: message/rfc822

[original message goes here]
--JAA13167.773673707/CS.UTK.EDU--`),
    )
    expect(read.kind).toBe('bounce')
    expect(read.report.map((r) => [r.recipient, r.action, r.status])).toEqual([
      ['arathib@vnet.ibm.com', 'failed', '5.0.0'],
      ['johnh@hpnjld.njd.hp.com', 'delayed', '4.0.0'],
      ['wsnell@sdcc13.ucsd.edu', 'failed', '5.0.0'],
    ])
    expect(read.report[0].words).toContain("550 'arathib@vnet.IBM.COM' is not a registered gateway user")
  })

  test('a report of delay alone is no bounce, and one of delivery is none either', async () => {
    const report = (action: string) =>
      crlf(`
From: postmaster@quay.example
Content-Type: multipart/report; report-type=delivery-status; boundary=b

--b
Content-Type: text/plain

words
--b
Content-Type: message/delivery-status

Reporting-MTA: dns; quay.example

Final-Recipient: rfc822; ada@quay.example
Action: ${action}
Status: 4.4.7
--b
Content-Type: text/rfc822-headers

Message-ID: <one@office.example>
--b--`)
    expect((await readIncoming(report('delayed'))).kind).toBe('delayed')
    expect((await readIncoming(report('delivered'))).kind).toBe('delivered')
    expect((await readIncoming(report('failed'))).answers).toEqual(['<one@office.example>'])
  })
})

// RFC 8098, section 9 ("Example"); typed from memory of the printed example.
test('the read receipt that RFC 8098 prints', async () => {
  const read = await readIncoming(
    crlf(`
Date: Wed, 20 Sep 1995 00:19:00 (EDT) -0400
From: Joe Recipient <Joe_Recipient@example.com>
Message-Id: <199509200019.12345@example.com>
Subject: Re: First draft of report
To: Jane Sender <Jane_Sender@example.org>
MIME-Version: 1.0
Content-Type: multipart/report;
   report-type=disposition-notification;
   boundary="RAA14128.773615765/example.com"

--RAA14128.773615765/example.com
Content-type: text/plain

The message sent on 1995 Sep 19 at 13:30:00 (EDT) -0400 to Joe
Recipient <Joe_Recipient@example.com> with subject "First draft of
report" has been displayed.

This is no guarantee that the message has been read or understood.

--RAA14128.773615765/example.com
content-type: message/disposition-notification

Reporting-UA: joes-pc.cs.example.com; Foomail 97.1
Original-Recipient: rfc822;Joe_Recipient@example.com
Final-Recipient: rfc822;Joe_Recipient@example.com
Original-Message-ID: <199509192301.23456@example.org>
Disposition: manual-action/MDN-sent-manually; displayed

--RAA14128.773615765/example.com
Content-type: message/rfc822

[original message optionally goes here]

--RAA14128.773615765/example.com--`),
  )
  expect(read).toMatchObject({ kind: 'receipt', disposition: 'displayed' })
  expect(read.answers[0]).toBe('<199509192301.23456@example.org>')
  expect(read.report[0].recipient).toBe('Joe_Recipient@example.com')
})

describe('replies and automatic replies', () => {
  test('a subject makes an automatic reply where it begins so; in an answer to a letter of such a subject it does not', async () => {
    const kind = async (subject: string) =>
      (await readIncoming(new TextEncoder().encode(`From: ada@quay.example\r\nSubject: ${subject}\r\n\r\nYes.\r\n`)))
        .kind
    for (const subject of [
      'Automatic reply: Your berth',
      'Out of office: Re: Your berth',
      'Afwezig: uw ligplaats',
      'Autosvar: Bryggan',
    ])
      expect([subject, await kind(subject)]).toEqual([subject, 'automatic'])
    for (const subject of ['Re: Out of office hours at the quay', 'AW: Automatische Antwort gewünscht?', 'Re: Afwezig'])
      expect([subject, await kind(subject)]).toEqual([subject, 'reply'])
  })

  const mail = (headers: string, text = 'Yes') =>
    readIncoming(crlf(`From: Ada <ada@quay.example>\nIn-Reply-To: <one@office.example>\n${headers}\n\n${text}`))
  // RFC 3834, section 5: the values of Auto-Submitted.
  test.each([
    ['Auto-Submitted: auto-replied', 'automatic'],
    ['Auto-Submitted: auto-generated; owner-email="x@y.example"', 'automatic'],
    ['Auto-Submitted: no', 'reply'],
    ['Subject: Re: Permit', 'reply'],
    ['Precedence: bulk', 'automatic'],
  ])('%s → %s', async (headers, kind) => expect((await mail(headers)).kind).toBe(kind))
  test('the nearest message answered comes first, then the thread backwards', async () => {
    expect((await mail('References: <root@office.example> <one@office.example>')).answers).toEqual([
      '<one@office.example>',
      '<one@office.example>',
      '<root@office.example>',
    ])
  })
  test('what an answer quotes is left out, what it says is kept', () => {
    const text = 'Yes, Thursday.\n\nAda\n\nOn Tue, 3 Nov 2026, Office wrote:\n> Dear Ada\n> come on Monday\n'
    expect(withoutQuotes(text)).toBe('Yes, Thursday.\n\nAda')
    expect(withoutQuotes('> asked\nanswered\n> asked\nalso\n-- \nAda')).toBe('answered\nalso')
    // Nothing that stands between two quotations, or after them, is lost; nor what only looks like an announcement.
    expect(
      withoutQuotes('On Tue, 3 Nov 2026, Office wrote:\n\n> Come on Monday\nCannot.\n> or Tuesday\nYes.\nAda'),
    ).toBe('Cannot.\nYes.\nAda')
    expect(withoutQuotes('On Tue, 3 Nov 2026, the harbour office of\nBrindle Quay wrote:\n> Come\nYes.')).toBe('Yes.')
    expect(withoutQuotes('On Monday I need this:\n\na berth')).toBe('On Monday I need this:\n\na berth')
    expect(withoutQuotes('Yes.\n----- Original Message -----\nFrom: Office\nCome')).toBe('Yes.')
  })
  test('of an answer in HTML too: text between two quotations is kept, and what is quoted is not taken for it', async () => {
    const html =
      '<div>Before.</div><div>On Monday, Office wrote:<br><blockquote>first <b>quoted</b><p>more</p></blockquote>Between.<blockquote>second</blockquote></div><div>After.</div>'
    const read = await readIncoming(
      `From: a@b.example\r\nSubject: x\r\nMIME-Version: 1.0\r\nContent-Type: text/html; charset=utf-8\r\n\r\n${html}\r\n`,
    )
    expect(read.newText.split(/\n+/)).toEqual(['Before.', 'Between.', 'After.'])
    expect(read.text).toMatch(/^> first quoted$/m)
  })
})

describe('outcomes', () => {
  test('of several letters to somebody the strongest counts, whichever was the last', () => {
    expect(strongestOutcome(['replied', 'sent'])).toBe('replied')
    expect(strongestOutcome(['refused', 'sent'])).toBe('sent')
    expect(strongestOutcome(['bounced', 'opened', 'waiting'])).toBe('opened')
    expect(strongestOutcome([])).toBeNull()
    // Every outcome has its place: none is lost on the way.
    for (const outcome of outcomes) expect(strongestOutcome([outcome])).toBe(outcome)
  })

  const minute = 60_000
  const one = (kind: Response['kind'], at: number, link?: number): Response => ({ kind, at, link })
  test('a scanner that fetches everything at once is told from a person', () => {
    const scanner = [one('open', 800), one('click', 900, 0), one('click', 950, 1)]
    expect(automaticOnes(0, scanner).size).toBe(3)
    const late = [one('click', 9 * minute, 0), one('click', 9 * minute + 200, 1), one('open', 30 * minute)]
    expect([...automaticOnes(0, late).keys()]).toEqual(late.slice(0, 2))
    const person = [one('open', 5 * minute), one('click', 5 * minute + 8000, 0)]
    expect(automaticOnes(0, person).size).toBe(0)
    expect(outcomeOf({ state: 'sent', sentAt: 0, responses: scanner })).toBe('sent')
    expect(outcomeOf({ state: 'sent', sentAt: 0, responses: person })).toBe('clicked')
  })
})

// RFC 4180, section 2: fields with commas, quotes and line ends are quoted, quotes doubled, lines end with CRLF.
test('CSV is written by RFC 4180, and cells that a spreadsheet would run are defused', () => {
  expect(
    csvText([
      ['a', 'b,c', 'd"e', 'f\r\ng'],
      ['=1+1', '-5', '@x', '+44 20'],
    ]),
  ).toBe('\ufeffa,"b,c","d""e","f\r\ng"\r\n\'=1+1,-5,\'@x,\'+44 20\r\n')
})
