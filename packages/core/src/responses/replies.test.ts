import EmailReplyParser from 'email-reply-parser'
import { describe, expect, test } from 'vitest'
import { withoutQuotes } from './incoming.ts'

// Answers as mail programs write them in six languages, made up for this. Beside our own rules stands email-reply-parser, a general
// library that knows the announcements of many programs: what it takes for the person's own words must be in what we take, and neither
// may keep what was quoted. It is no part of the program: it goes by regular expressions that a text could be made for that holds them up.
const samples: [language: string, own: string, announcement: string, quoted: string][] = [
  [
    'English',
    'Yes, Thursday suits me.',
    'On Tue, 3 Nov 2026 at 10:14, Harbour Office <office@quay.example> wrote:',
    'Will you come on Thursday?',
  ],
  [
    'German',
    'Ja, am Donnerstag passt es mir.',
    'Am Di., 3. Nov. 2026 um 10:14 Uhr schrieb Hafenbüro <office@quay.example>:',
    'Kommen Sie am Donnerstag?',
  ],
  [
    'French',
    'Oui, jeudi me convient.',
    'Le mar. 3 nov. 2026 à 10:14, Capitainerie <office@quay.example> a écrit :',
    'Viendrez-vous jeudi ?',
  ],
  [
    'Spanish',
    'Sí, el jueves me va bien.',
    'El mar, 3 nov 2026 a las 10:14, Oficina (<office@quay.example>) escribió:',
    '¿Viene el jueves?',
  ],
  [
    'Dutch',
    'Ja, donderdag komt goed uit.',
    'Op di 3 nov 2026 om 10:14 schreef Havenkantoor <office@quay.example>:',
    'Komt u donderdag?',
  ],
  [
    'Italian',
    'Sì, giovedì va bene.',
    'Il giorno mar 3 nov 2026 alle ore 10:14 Ufficio <office@quay.example> ha scritto:',
    'Viene giovedì?',
  ],
]
const parser = new EmailReplyParser()
const words = (text: string) => text.trim().split(/\s+/)

describe.each(samples)('an answer in %s', (_, own, announcement, quoted) => {
  const quote = `> ${quoted}\n>\n> Ada Penrose\n> Harbour Office`
  test.each([
    ['above what was asked', `${own}\n\n${announcement}\n\n${quote}\n`],
    ['with no line between', `${own}\n${announcement}\n${quote}\n`],
    ['of two paragraphs', `${own}\n\nBram\n\n${announcement}\n\n${quote}\n`],
  ])('%s', (_place, text) => {
    const ours = withoutQuotes(text)
    const theirs = parser.read(text).getVisibleText()
    for (const word of words(own)) expect(ours).toContain(word)
    for (const said of [ours, theirs]) expect(said).not.toContain(quoted)
    expect(ours).not.toContain('office@quay.example')
    // Nothing that the other parser takes for the person's own is lost by us.
    for (const word of words(theirs)) if (!announcement.includes(word)) expect(ours).toContain(word)
  })
  test('below what was asked', () => {
    const ours = withoutQuotes(`${announcement}\n${quote}\n\n${own}\n`)
    expect(ours).toBe(own)
  })
})
