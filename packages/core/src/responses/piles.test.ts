import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { dayOfReturn, namedDays } from './namedDays.ts'
import { pileOf, piles } from './piles.ts'

// A Monday.
const monday = Date.parse('2026-11-02T09:00:00Z')
const zone = 'Europe/London'
const pile = (newText: string, kind: Parameters<typeof pileOf>[0]['kind'] = 'reply', certain = true) =>
  pileOf({ kind, newText }, namedDays(newText, monday, zone), certain)!

describe('the pile that is proposed', () => {
  // Answers as people write them in ten languages, made up for this.
  const samples: [pile: string, language: string, text: string][] = [
    ['thanks', 'English', 'Thank you, that is all in order.\n\nRegards,\nAda Penrose'],
    ['thanks', 'German', 'Vielen Dank, alles erhalten.\n\nFreundliche Grüße\nAda'],
    ['thanks', 'French', 'Merci beaucoup, bien reçu.\nCordialement'],
    ['thanks', 'Spanish', 'Muchas gracias, un saludo'],
    ['thanks', 'Italian', 'Grazie mille!\nSaluti'],
    ['thanks', 'Dutch', 'Hartelijk dank, in goede orde ontvangen.'],
    ['thanks', 'Portuguese', 'Muito obrigado.\nCumprimentos'],
    ['thanks', 'Swedish', 'Tack så mycket!'],
    ['thanks', 'Danish', 'Mange tak for det.'],
    ['thanks', 'Polish', 'Dziękuję bardzo, pozdrawiam'],
    ['question', 'English', 'Thanks. May I bring the dinghy too?'],
    ['question', 'English', 'Please let me know whom I should pay.'],
    ['question', 'German', 'Könnten Sie mir die Rechnung noch einmal schicken'],
    ['question', 'French', 'Pourriez-vous me dire à quelle heure'],
    ['question', 'Spanish', '¿Puedo venir el jueves?'],
    ['question', 'Italian', 'Potrebbe mandarmi la fattura'],
    ['question', 'Dutch', 'Kunt u mij bellen'],
    ['question', 'Portuguese', 'Poderia enviar de novo'],
    ['question', 'Swedish', 'Kan ni skicka fakturan igen'],
    ['question', 'Danish', 'Giv mig besked om tiden'],
    ['question', 'Polish', 'Proszę o przesłanie faktury'],
    ['answer', 'English', 'Thanks. I shall come by the office on Thursday.'],
    ['answer', 'English', 'Thank you, but the berth number is wrong.'],
    ['answer', 'English', 'The boat has been sold. See https://quay.example/?boat=12 for the new owner.'],
    ['answer', 'German', 'Danke, aber ich habe kein Boot mehr.'],
    ['answer', 'Italian', 'Non posso venire, la barca è in cantiere.'],
    ['answer', 'Portuguese', 'Ele pode vir amanhã buscar o barco.'],
  ]
  test.each(samples)('%s, in %s: %s', (expected, _language, text) => {
    expect(pile(text)).toMatchObject({ pile: expected })
  })
  test('every one says why, with the words that decided it', () => {
    expect(pile('Fine.\nMay I bring the dinghy too? Ada').why).toContain('“May I bring the dinghy too?”')
    expect(pile('Please call me').why).toContain('“please call”')
    expect(pile('Thank you').why).toContain('2 words')
  })
  test('what no header vouches for is perhaps an answer, whatever it says', () => {
    fc.assert(fc.property(fc.string(), (text) => pile(text, 'reply', false).pile === 'perhaps'))
  })
  test('reports, receipts and automatic replies go by what they are', () => {
    expect(pile('?', 'bounce').pile).toBe('returned')
    expect([pile('?', 'delayed'), pile('?', 'delivered')]).toEqual([null, null])
    expect(pile('?', 'receipt').pile).toBe('receipt')
    expect(pile('Back on 12 December?', 'automatic')).toEqual({
      pile: 'automatic',
      why: expect.stringContaining('12 December'),
    })
  })
  test('whatever the words, there is one pile, and a reason that is short enough to be shown', () => {
    const words = fc.constantFrom(
      'thanks',
      'please',
      '?',
      'not',
      'on Friday',
      'https://a.example/?q=1',
      '\n',
      '. ',
      'x'.repeat(500),
      'möchte',
    )
    fc.assert(
      fc.property(fc.array(words, { maxLength: 80 }), (some) => {
        const { pile: name, why } = pile(some.join(' '))
        expect(piles).toContain(name)
        expect(why.length).toBeGreaterThan(5)
        expect(why.length).toBeLessThan(200)
      }),
    )
  })
})

describe('days that a text names', () => {
  // What a reader would understand on Monday 2 November 2026; common practice, no source.
  const samples: [text: string, days: string[]][] = [
    ['I shall let you know by 12 December.', ['2026-12-12']],
    ['Could we say next Tuesday?', ['2026-11-10']],
    ['I am back on Thursday, 5 November at 2 pm.', ['2026-11-05']],
    ['Am 3. März sind wir wieder da, und das Boot wird geliefert.', ['2027-03-03']],
    ['Je serai de retour le 12 décembre pour le bateau.', ['2026-12-12']],
    ['Estaré de vuelta el 12 de diciembre con la barca.', ['2026-12-12']],
    ['Tornerò il 12 dicembre con la barca e la chiave.', ['2026-12-12']],
    ['Ik ben terug op 12 december met de boot.', ['2026-12-12']],
    ['Estarei de volta em 12 de dezembro com o barco.', ['2026-12-12']],
    ['Jag är tillbaka den 12 december med båten och nyckeln.', ['2026-12-12']],
    ['The lift is on 03/12/2026.', ['2026-12-03']],
    ['I am away from 1 to 14 December.', ['2026-12-01', '2026-12-14']],
    ['We spoke on 3 January 2020.', []],
    ['It takes 12 hours, and costs 40.', []],
    ['Berth B12 is mine.', []],
  ]
  test.each(samples)('%s', (text, days) => {
    expect(namedDays(text, monday, zone).map((d) => d.day)).toEqual(days)
  })
  test('an hour is given where the text has one', () => {
    expect(namedDays('on Thursday at 2.30 pm', monday, zone)).toEqual([
      { day: '2026-11-05', minute: 14 * 60 + 30, words: expect.stringContaining('Thursday') },
    ])
    expect(namedDays('on Thursday', monday, zone)[0].minute).toBeNull()
  })
  test('“tomorrow” is reckoned where the mailbox is, and not by the clock of the machine', () => {
    const late = Date.parse('2026-11-02T23:30:00Z')
    expect(namedDays('I shall call tomorrow.', late, 'Europe/London')[0].day).toBe('2026-11-03')
    expect(namedDays('I shall call tomorrow.', late, 'Europe/Berlin')[0].day).toBe('2026-11-04')
    expect(namedDays('I shall call tomorrow.', late, 'America/Lima')[0].day).toBe('2026-11-03')
  })
  test('any day of the coming year, as a British office writes it, is found as that day', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 364 }), (ahead) => {
        const day = new Date(monday + ahead * 86_400_000)
        const text = `by ${day.getUTCDate()} ${day.toLocaleString('en-GB', { month: 'long', timeZone: 'UTC' })} ${day.getUTCFullYear()}`
        expect(namedDays(`Please wait for it ${text}.`, monday, zone).map((d) => d.day)).toEqual([
          day.toISOString().slice(0, 10),
        ])
      }),
    )
  })
  test('nothing that lies before the day it came is given, and never more than a few', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('today', 'yesterday', 'last Friday', '1 May', 'Friday', '3.4.2027', 'at noon', '\n'), {
          maxLength: 60,
        }),
        (some) => {
          const days = namedDays(some.join(', '), monday, zone)
          expect(days.length).toBeLessThanOrEqual(6)
          for (const { day } of days) expect(day >= '2026-11-02').toBe(true)
          expect(new Set(days.map((d) => d.day)).size).toBe(days.length)
        },
      ),
    )
  })
})

describe('the day of return that an automatic reply gives', () => {
  test.each([
    ['I am out of the office until 14 December. In urgent cases ring 020 before 3 December.', '2026-12-14'],
    ['I left on 1 December and shall be back on 15 December.', '2026-12-15'],
    ['I am away from 1 to 14 December.', '2026-12-14'],
    ['Ich bin nicht im Büro und ab dem 14. Dezember wieder da.', '2026-12-14'],
    ['Je suis absent jusqu’au 14 décembre et ne lis pas les messages.', '2026-12-14'],
    ['I am out of the office.', null],
  ])('%s', (text, day) => {
    expect(dayOfReturn(text, monday, zone)?.day ?? null).toBe(day)
  })
})
