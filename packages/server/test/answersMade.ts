// Answers as the mail programs of ten languages write them, made up for tests: what the person says, and how the program puts it.

/** What one language's answer is made of. */
interface Tongue {
  thanks: string
  question: string
  answer: string
  /** The line that announces a quotation. */
  wrote: (office: string) => string
  /** From, Sent, To, Subject, as they stand over a message before. */
  headings: [string, string, string, string]
  forwarded: string
  re: string
  away: (day: string) => string
  awaySubject: string
}
const english = { awaySubject: 'Automatic reply', re: 'Re' }
/** The ten languages, by their codes. */
export const tongues: Record<string, Tongue> = {
  en: {
    ...english,
    thanks: 'Thank you very much.',
    question: 'May I bring the dinghy as well?',
    answer: 'I shall be at the quay with the boat.',
    wrote: (o) => `On Tue, 3 Nov 2026 at 10:14, Office <${o}> wrote:`,
    headings: ['From', 'Sent', 'To', 'Subject'],
    forwarded: 'Forwarded message',
    away: (day) => `I am out of the office until ${day}.`,
  },
  de: {
    re: 'AW',
    awaySubject: 'Automatische Antwort',
    thanks: 'Vielen Dank für alles.',
    question: 'Darf ich auch das Beiboot mitbringen?',
    answer: 'Ich bin mit dem Boot am Steg.',
    wrote: (o) => `Am Di., 3. Nov. 2026 um 10:14 Uhr schrieb Büro <${o}>:`,
    headings: ['Von', 'Gesendet', 'An', 'Betreff'],
    forwarded: 'Weitergeleitete Nachricht',
    away: () => 'Ich bin nicht im Büro und ab dem 14. Dezember wieder da.',
  },
  fr: {
    re: 'RE',
    awaySubject: 'Réponse automatique',
    thanks: 'Merci beaucoup.',
    question: 'Puis-je aussi venir avec l’annexe ?',
    answer: 'Je serai au quai avec le bateau.',
    wrote: (o) => `Le mar. 3 nov. 2026 à 10:14, Bureau <${o}> a écrit :`,
    headings: ['De', 'Envoyé', 'À', 'Objet'],
    forwarded: 'Message transféré',
    away: () => 'Je suis absent jusqu’au 14 décembre et ne lis pas les messages.',
  },
  es: {
    re: 'RE',
    awaySubject: 'Respuesta automática',
    thanks: 'Muchas gracias.',
    question: '¿Puedo llevar también el bote?',
    answer: 'Estaré en el muelle con la barca.',
    wrote: (o) => `El mar, 3 nov 2026 a las 10:14, Oficina (<${o}>) escribió:`,
    headings: ['De', 'Enviado', 'Para', 'Asunto'],
    forwarded: 'Mensaje reenviado',
    away: () => 'No estoy en la oficina hasta el 14 de diciembre.',
  },
  it: {
    re: 'R',
    awaySubject: 'Risposta automatica',
    thanks: 'Grazie mille.',
    question: 'Posso portare anche il tender?',
    answer: 'Sarò al molo con la barca.',
    wrote: (o) => `Il giorno mar 3 nov 2026 alle ore 10:14 Ufficio <${o}> ha scritto:`,
    headings: ['Da', 'Inviato', 'A', 'Oggetto'],
    forwarded: 'Messaggio inoltrato',
    away: () => 'Non sono in ufficio fino al 14 dicembre.',
  },
  nl: {
    re: 'Antw',
    awaySubject: 'Automatisch antwoord',
    thanks: 'Hartelijk dank.',
    question: 'Mag ik ook de bijboot meenemen?',
    answer: 'Ik ben met de boot aan de steiger.',
    wrote: (o) => `Op di 3 nov 2026 om 10:14 schreef Kantoor <${o}>:`,
    headings: ['Van', 'Verzonden', 'Aan', 'Onderwerp'],
    forwarded: 'Doorgestuurd bericht',
    away: () => 'Ik ben niet op kantoor tot 14 december.',
  },
  pt: {
    re: 'RES',
    awaySubject: 'Resposta automática',
    thanks: 'Muito obrigado.',
    question: 'Posso levar também o bote?',
    answer: 'Estarei no cais com o barco.',
    wrote: (o) => `Em ter., 3 de nov. de 2026 às 10:14, Escritório <${o}> escreveu:`,
    headings: ['De', 'Enviado', 'Para', 'Assunto'],
    forwarded: 'Mensagem encaminhada',
    away: () => 'Não estou no escritório até 14 de dezembro.',
  },
  sv: {
    re: 'SV',
    awaySubject: 'Automatiskt svar',
    thanks: 'Tack så mycket.',
    question: 'Kan jag ta med jollen också?',
    answer: 'Jag är vid bryggan med båten.',
    wrote: (o) => `Den tis 3 nov. 2026 kl 10:14 skrev Kontoret <${o}>:`,
    headings: ['Från', 'Skickat', 'Till', 'Ämne'],
    forwarded: 'Vidarebefordrat meddelande',
    away: () => 'Jag är inte på kontoret och är tillbaka den 14 december.',
  },
  da: {
    re: 'SV',
    awaySubject: 'Automatisk svar',
    thanks: 'Mange tak.',
    question: 'Må jeg tage jollen med?',
    answer: 'Jeg er ved broen med båden.',
    wrote: (o) => `Den tirs. 3. nov. 2026 kl. 10.14 skrev Kontoret <${o}>:`,
    headings: ['Fra', 'Sendt', 'Til', 'Emne'],
    forwarded: 'Videresendt meddelelse',
    away: () => 'Jeg er ikke på kontoret indtil videre.',
  },
  pl: {
    re: 'Odp',
    awaySubject: 'Automatyczna odpowiedź',
    thanks: 'Dziękuję bardzo.',
    question: 'Czy mogę przypłynąć też pontonem?',
    answer: 'Będę na nabrzeżu z łodzią.',
    wrote: (o) => `W dniu wt., 3 lis 2026 o 10:14 Biuro <${o}> napisał(a):`,
    headings: ['Od', 'Wysłano', 'Do', 'Temat'],
    forwarded: 'Przekazana wiadomość',
    away: () => 'Nie ma mnie w biurze.',
  },
}

/** How a mail program puts an answer together with what it answers. */
const habits = ['quotedBelow', 'quotedAbove', 'headed', 'htmlOnly', 'sentOn', 'elsewhere', 'calendar', 'plain'] as const
export type Habit = (typeof habits)[number]
/** What an answer is. */
export type Meant = 'question' | 'answer' | 'thanks' | 'automatic' | 'returned' | 'perhaps'

/** A piece of mail to the office, with whose it is and the pile that it must come to. */
export interface MadeAnswer {
  person: number
  meant: Meant
  habit: Habit | 'report' | 'words' | 'stray'
  /** What the person says in it, and nothing of what was quoted. */
  words: string
  raw: Buffer
}

const quotedLetter = ['Dear holder,', '', 'Will you come on the day that suits you best?', '', 'The Harbour Office']
const escaped = (text: string) => text.replace(/&/g, '&amp;').replace(/</g, '&lt;')

/** The text of an answer as a program with a habit puts it. */
function bodyOf(
  own: string,
  tongue: Tongue,
  habit: Habit,
  office: string,
  subject: string,
): { type: string; body: string } {
  const quote = quotedLetter.map((line) => `> ${line}`.trimEnd())
  const [from, sent, to, about] = tongue.headings
  const headed = [
    `${from}: Office <${office}>`,
    `${sent}: 3.11.2026 10:14`,
    `${to}: me`,
    `${about}: ${subject}`,
    '',
    ...quotedLetter,
  ]
  const plain = 'text/plain; charset=utf-8'
  if (habit === 'quotedAbove') return { type: plain, body: [tongue.wrote(office), ...quote, '', own].join('\r\n') }
  if (habit === 'headed') return { type: plain, body: [own, '', '_'.repeat(32), ...headed].join('\r\n') }
  if (habit === 'sentOn')
    return { type: plain, body: [own, '', `---------- ${tongue.forwarded} ---------`, ...headed].join('\r\n') }
  if (habit === 'htmlOnly')
    return {
      type: 'text/html; charset=utf-8',
      body: `<html><body><p>${escaped(own)}</p><div>${escaped(tongue.wrote(office))}</div><blockquote>${quotedLetter.map((line) => `<p>${escaped(line)}</p>`).join('')}</blockquote></body></html>`,
    }
  if (habit === 'calendar')
    return {
      type: 'multipart/mixed; boundary=cal',
      body: `--cal\r\nContent-Type: ${plain}\r\nContent-Transfer-Encoding: 8bit\r\n\r\n${own}\r\n--cal\r\nContent-Type: text/calendar; method=REPLY; charset=utf-8\r\n\r\nBEGIN:VCALENDAR\r\nMETHOD:REPLY\r\nEND:VCALENDAR\r\n--cal--\r\n`,
    }
  if (habit === 'plain') return { type: plain, body: own }
  return { type: plain, body: [own, '', tongue.wrote(office), ...quote].join('\r\n') }
}

/**
 * Mail to an office about letters that it has sent, of every kind that comes back.
 * @param n how many; each differs from the one before in language, habit and kind.
 * @param letters to whom they went, with the Message-ID and subject of each.
 */
export function madeAnswers(
  n: number,
  office: string,
  letters: { address: string; name: string; messageId: string; subject: string }[],
): MadeAnswer[] {
  const all = Object.values(tongues)
  return Array.from({ length: n }, (_, i) => {
    const person = i % letters.length
    const { address, name, messageId, subject } = letters[person]
    const tongue = all[i % all.length]
    const domain = address.slice(address.indexOf('@') + 1)
    const mail = (head: string[], type: string, body: string) =>
      Buffer.from(
        [
          `To: ${office}`,
          `Message-ID: <made-${i}@${domain}>`,
          'Date: Tue, 3 Nov 2026 12:00:00 +0000',
          'MIME-Version: 1.0',
          ...head,
          `Content-Type: ${type}`,
          ...(type.startsWith('multipart') ? [] : ['Content-Transfer-Encoding: 8bit']),
          '',
          body,
        ].join('\r\n'),
      )
    const thread = [`In-Reply-To: ${messageId}`, `References: ${messageId}`]
    const plain = 'text/plain; charset=utf-8'
    const kind = i % 20
    if (kind === 7)
      return {
        person,
        meant: 'automatic',
        habit: 'plain',
        words: tongue.away('14 December'),
        raw: mail(
          [`From: ${address}`, `Subject: ${tongue.awaySubject}: ${subject}`, 'Auto-Submitted: auto-replied', ...thread],
          plain,
          tongue.away('14 December'),
        ),
      }
    if (kind === 11)
      return {
        person,
        meant: 'returned',
        habit: 'report',
        words: 'no such mailbox',
        raw: mail(
          [`From: postmaster@${domain}`, 'Subject: Undelivered'],
          'multipart/report; report-type=delivery-status; boundary=rep',
          `--rep\r\nContent-Type: text/plain\r\n\r\nIt came back.\r\n--rep\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: dns; ${domain}\r\n\r\nFinal-Recipient: rfc822; ${address}\r\nAction: failed\r\nStatus: 5.1.1\r\n\r\n--rep\r\nContent-Type: text/rfc822-headers\r\n\r\nMessage-ID: ${messageId}\r\nSubject: ${subject}\r\n\r\n--rep--\r\n`,
        ),
      }
    if (kind === 13)
      return {
        person,
        meant: 'returned',
        habit: 'words',
        words: 'The mailbox is full.',
        raw: mail(
          [`From: Mail delivery <mailer-daemon@${domain}>`, 'Subject: Mail delivery failed'],
          plain,
          `Your message could not be delivered to ${address}.\r\nThe mailbox is full.\r\n\r\nMessage-ID: ${messageId}`,
        ),
      }
    if (kind === 17)
      return {
        person,
        meant: 'perhaps',
        habit: 'stray',
        words: tongue.answer,
        raw: mail([`From: ${name} <${address}>`, `Subject: ${tongue.re}: ${subject}`], plain, tongue.answer),
      }
    const habit = habits[Math.floor(i / all.length) % habits.length]
    const meant = (['question', 'thanks', 'answer'] as const)[i % 3]
    const own = tongue[meant]
    const { type, body } = bodyOf(own, tongue, habit, office, subject)
    const from = habit === 'elsewhere' ? `${name} <home-${person}@elsewhere.example>` : `${name} <${address}>`
    return {
      person,
      meant,
      habit,
      words: own,
      raw: mail([`From: ${from}`, `Subject: ${tongue.re}: ${subject}`, ...thread], type, body),
    }
  })
}
