import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { calendarWords } from './calendarReply.ts'
import { readIncoming } from './incoming.ts'

const lines = (...all: string[]) => all.join('\r\n')
const calendar = (method: string, ...event: string[]) =>
  lines(
    'BEGIN:VCALENDAR',
    'VERSION:2.0',
    'PRODID:-//Quay//EN',
    `METHOD:${method}`,
    'BEGIN:VEVENT',
    ...event,
    'END:VEVENT',
    'END:VCALENDAR',
  )

// The example of RFC 5546, section 4.2.2 (a reply to an invitation), as it is remembered.
const printed = lines(
  'BEGIN:VCALENDAR',
  'PRODID:-//Example/ExampleCalendarClient//EN',
  'METHOD:REPLY',
  'VERSION:2.0',
  'BEGIN:VEVENT',
  'ATTENDEE;PARTSTAT=ACCEPTED:mailto:b@example.com',
  'ORGANIZER:mailto:a@example.com',
  'UID:calsrv.example.com-873970198738777@example.com',
  'SEQUENCE:0',
  'REQUEST-STATUS:2.0;Success',
  'DTSTAMP:19970701T203000Z',
  'END:VEVENT',
  'END:VCALENDAR',
)

describe('what a calendar says', () => {
  test('the reply that RFC 5546 prints', () => expect(calendarWords(printed)).toBe('Accepts an appointment.'))
  test.each([
    [
      'REPLY',
      'ATTENDEE;PARTSTAT=DECLINED:mailto:b@quay.example',
      'Declines “Lift-out”, 12 December 2026, 14:00 (UTC).',
    ],
    [
      'REPLY',
      'ATTENDEE;PARTSTAT=tentative:mailto:b@quay.example',
      'May come to “Lift-out”, 12 December 2026, 14:00 (UTC).',
    ],
    [
      'REPLY',
      'ATTENDEE;PARTSTAT=DELEGATED:mailto:b@quay.example',
      'Sends somebody else to “Lift-out”, 12 December 2026, 14:00 (UTC).',
    ],
    [
      'COUNTER',
      'ATTENDEE:mailto:b@quay.example',
      'Proposes another time for “Lift-out”, 12 December 2026, 14:00 (UTC).',
    ],
    ['REQUEST', 'ATTENDEE:mailto:b@quay.example', 'Invites to “Lift-out”, 12 December 2026, 14:00 (UTC).'],
    ['CANCEL', 'ATTENDEE:mailto:b@quay.example', 'Cancels “Lift-out”, 12 December 2026, 14:00 (UTC).'],
  ])('by method %s and %s', (method, attendee, words) =>
    expect(calendarWords(calendar(method, attendee, 'SUMMARY:Lift-out', 'DTSTART:20261212T140000Z'))).toBe(words),
  )
  test('times as they stand there: of a day, of a zone, of none', () => {
    const at = (start: string) => calendarWords(calendar('REQUEST', 'SUMMARY:Lift-out', start))
    expect(at('DTSTART;VALUE=DATE:20261212')).toBe('Invites to “Lift-out”, 12 December 2026.')
    expect(at('DTSTART;TZID=Europe/London:20261212T140000')).toMatch(/^Invites to “Lift-out”, 12 December 2026, 14:00/)
    expect(at('DTSTART:20261212T140000')).toBe('Invites to “Lift-out”, 12 December 2026, 14:00.')
  })
  test('nothing of what is no calendar, says nothing, or is too long', () => {
    expect(calendarWords('')).toBe('')
    expect(calendarWords('BEGIN:VCALENDAR\r\nMETHOD:REPLY\r\nEND:VCALENDAR')).toBe('')
    expect(calendarWords('BEGIN:VCALENDAR')).toBe('')
    expect(calendarWords(calendar('REPLY', 'ATTENDEE;PARTSTAT=NEEDS-ACTION:mailto:b@quay.example'))).toBe('')
    expect(calendarWords(calendar('REQUEST', `SUMMARY:${'a'.repeat(100_000)}`))).toBe('')
  })
  test('whatever comes, it is read in one piece: no line of it makes another', () =>
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.constantFrom('REPLY', 'REQUEST', 'x'), (words, method) => {
        const said = calendarWords(
          calendar(method, `SUMMARY:${words}`, 'ATTENDEE;PARTSTAT=ACCEPTED:mailto:b@quay.example'),
        )
        expect(said.split('\n').length).toBe(1)
      }),
    ))
})

test('it stands above the words of an answer, and is all of one without words', async () => {
  const mail = (text: string) =>
    lines(
      'From: Bram <b@quay.example>',
      'Subject: Re: Lift-out',
      'MIME-Version: 1.0',
      'Content-Type: multipart/mixed; boundary=b',
      '',
      ...(text === '' ? [] : ['--b', 'Content-Type: text/plain', '', text]),
      '--b',
      'Content-Type: text/calendar; method=REPLY; charset=utf-8',
      '',
      calendar('REPLY', 'ATTENDEE;PARTSTAT=ACCEPTED:mailto:b@quay.example', 'SUMMARY:Lift-out'),
      '--b--',
    )
  const read = async (text: string) => {
    const { kind, newText, brings } = await readIncoming(mail(text))
    return { kind, newText, brings }
  }
  expect(await read('')).toEqual({ kind: 'reply', newText: 'Accepts “Lift-out”.', brings: false })
  expect(await read('Gladly.\r\n\r\nOn 2 Nov 2026, Office wrote:\r\n> Dear Bram')).toEqual({
    kind: 'reply',
    newText: 'Accepts “Lift-out”.\n\nGladly.',
    brings: false,
  })
})
