import EmailReplyParser from 'email-reply-parser'
import { describe, expect, test } from 'vitest'
import { languageOf } from './habits.ts'
import { readIncoming } from './incoming.ts'
import { withoutQuotes } from './quotes.ts'

// Answers as mail programs write them in ten languages, made up for this. Beside our own rules stands email-reply-parser, a general
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
  [
    'Portuguese',
    'Sim, quinta-feira serve-me bem.',
    'Em ter., 3 de nov. de 2026 às 10:14, Capitania <office@quay.example> escreveu:',
    'Vem na quinta-feira?',
  ],
  [
    'Swedish',
    'Ja, torsdag passar bra.',
    'Den tis 3 nov. 2026 kl 10:14 skrev Hamnkontoret <office@quay.example>:',
    'Kommer du på torsdag?',
  ],
  [
    'Danish',
    'Ja, torsdag passer mig fint.',
    'Den tirs. 3. nov. 2026 kl. 10.14 skrev Havnekontoret <office@quay.example>:',
    'Kommer du på torsdag?',
  ],
  [
    'Polish',
    'Tak, czwartek mi odpowiada.',
    'W dniu wt., 3 lis 2026 o 10:14 Kapitanat <office@quay.example> napisał(a):',
    'Czy przyjedzie Pan w czwartek?',
  ],
]

/** The headings of a message before, as mail programs of offices set them over it with no mark before its lines. */
const headings: Record<string, [from: string, sent: string, to: string, subject: string, mark: string]> = {
  English: ['From', 'Sent', 'To', 'Subject', 'Original Message'],
  German: ['Von', 'Gesendet', 'An', 'Betreff', 'Ursprüngliche Nachricht'],
  French: ['De', 'Envoyé', 'À', 'Objet', "Message d'origine"],
  Spanish: ['De', 'Enviado', 'Para', 'Asunto', 'Mensaje original'],
  Dutch: ['Van', 'Verzonden', 'Aan', 'Onderwerp', 'Oorspronkelijk bericht'],
  Italian: ['Da', 'Inviato', 'A', 'Oggetto', 'Messaggio originale'],
  Portuguese: ['De', 'Enviado', 'Para', 'Assunto', 'Mensagem original'],
  Swedish: ['Från', 'Skickat', 'Till', 'Ämne', 'Ursprungligt meddelande'],
  Danish: ['Fra', 'Sendt', 'Til', 'Emne', 'Oprindelig meddelelse'],
  Polish: ['Od', 'Wysłano', 'Do', 'Temat', 'Wiadomość oryginalna'],
}
/** A sentence or two of each language. */
const texts: Record<string, string> = {
  English: 'We have had your letter, and will be at the quay with the boat on Thursday.',
  German: 'Wir haben Ihren Brief erhalten und sind am Donnerstag mit dem Boot am Steg, wenn es nicht regnet.',
  French: 'Nous avons reçu votre lettre et nous serons au quai avec le bateau jeudi.',
  Spanish: 'Hemos recibido su carta y el jueves estaremos en el muelle con la barca.',
  Dutch: 'Wij hebben uw brief ontvangen en zijn donderdag met de boot aan de steiger.',
  Italian: 'Abbiamo ricevuto la lettera e giovedì saremo al molo con la barca, se non piove.',
  Portuguese: 'Recebemos a sua carta e na quinta-feira estamos no cais com o barco, se não chover.',
  Swedish: 'Vi har fått ert brev och är vid bryggan med båten på torsdag, om det inte regnar.',
  Danish: 'Vi har fået jeres brev og er ved broen med båden på torsdag, hvis det ikke regner.',
  Polish: 'Dostałem list i będę na nabrzeżu z łodzią w czwartek, o ile nie pada.',
}
const parser = new EmailReplyParser()
const words = (text: string) => text.trim().split(/\s+/)

describe.each(samples)('an answer in %s', (language, own, announcement, quoted) => {
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
  const [from, sent, to, subject, mark] = headings[language]
  const before = `${from}: Office <office@quay.example>\n${sent}: 3.11.2026 10:14\n${to}: Bram\n${subject}: Thursday\n\n${quoted}\n\nAda Penrose`
  test.each([
    ['headings alone', `${own}\n\n${before}`],
    ['headings under a line', `${own}\n\n________________________________\n${before}`],
    ['headings in bold', `${own}\n\n${before.replace(/^([^\n:]+):/gm, '*$1:*')}`],
    ['a mark', `${own}\n\n-----${mark}-----\n${before}`],
    ['an announcement alone', `${own}\n\n${announcement}\n\n${quoted}\n\nAda Penrose`],
    ['an announcement in two lines', `${own}\n\n${announcement.replace(' <', '\n<')}\n\n${quoted}\n`],
  ])('over %s', (_habit, text) => {
    expect(withoutQuotes(text)).toBe(own)
  })
  test('a line that only has the form of a heading is the person’s own', () => {
    const text = `${own}\n${from}: the harbour\n${own}`
    expect(withoutQuotes(text)).toBe(text)
  })
  test('as HTML alone', async () => {
    const html = `<p>${own}</p><div>${announcement.replace(/</g, '&lt;')}</div><blockquote><p>${quoted}</p></blockquote>`
    const raw = `From: b@quay.example\r\nContent-Type: text/html; charset=utf-8\r\n\r\n${html}`
    expect((await readIncoming(new TextEncoder().encode(raw))).newText).toBe(own)
  })
  test('the language is known by its small words', () => {
    const code = {
      English: 'en',
      German: 'de',
      French: 'fr',
      Spanish: 'es',
      Dutch: 'nl',
      Italian: 'it',
      Portuguese: 'pt',
      Swedish: 'sv',
      Danish: 'da',
      Polish: 'pl',
    }[language]
    expect(languageOf(texts[language])).toBe(code)
  })
  test('below what was asked', () => {
    const ours = withoutQuotes(`${announcement}\n${quote}\n\n${own}\n`)
    expect(ours).toBe(own)
  })
})
