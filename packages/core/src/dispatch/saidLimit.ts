import { withoutAddresses } from './smtpAnswer.ts'

/** The limits of a mailbox that a host can name. */
export const namedLimits = ['perDay', 'perHour', 'recipientsPerMinute', 'perMinute', 'perMessage'] as const
export type NamedLimit = (typeof namedLimits)[number]

/** A limit that follows from what a host said. */
export interface SaidLimit {
  limit: NamedLimit
  /** Recipients, or messages, as the limit counts. */
  n: number
}

const per =
  /(?<!\d)(\d{1,7}) {0,2}(messages?|mails?|emails?|recipients?|letters?|addresses)? {0,2}(?:per|an?|each|every|in|within|\/) {0,2}(?:an?|one|1)? {0,2}(minute|min\b|hour|hr\b|day|24 ?h)/i
const perMessage =
  /(?:recipients?|addresses) {0,2}(?:per|an?|each|in one|\/) {0,2}(?:message|mail|email|transaction)\b/i
const head = /\b(daily|hourly)\b/i
const anyNumber = /(?<![\d.])\d{1,7}(?![\d.]*\d)/g

/** A figure that is like a limit: neither a status, nor a reply code, nor a year. */
const figures = (text: string): number[] =>
  [...text.matchAll(anyNumber)].map(([digits]) => Number(digits)).filter((n) => n > 1)

/**
 * The limit that a host names in an answer, in recipients or messages, or null where it names none.
 * Common practice, no source: these are the forms in which hosts speak of their limits.
 * @param text the host's words; its codes (RFC 5321, RFC 3463) and the addresses that it quotes say nothing of a limit.
 * @param addresses whom the message was for.
 * @example saidLimit('450 4.7.1 Rate limit of 100 messages per hour exceeded') // { limit: 'perHour', n: 100 }
 */
export function saidLimit(text: string, addresses: readonly string[] = []): SaidLimit | null {
  const words = withoutAddresses(text, addresses)
    .replace(/^\s{0,9}\d{3}[ -]/, '')
    .replace(/(?<![\d.])[245]\.\d{1,3}\.\d{1,3}(?![\d.])/g, ' ')
    .replaceAll(/(?<=\d)[, ](?=\d{3}(?!\d))/g, '')
  const found = per.exec(words)
  if (found) {
    const n = Number(found[1])
    const unit = found[3].toLowerCase()
    if (n < 1) return null
    if (unit.startsWith('m'))
      return { limit: /^(?:rec|addr)/i.test(found[2] ?? '') ? 'recipientsPerMinute' : 'perMinute', n }
    return { limit: unit.startsWith('hour') || unit === 'hr' ? 'perHour' : 'perDay', n }
  }
  const [n] = figures(words)
  if (n === undefined) return null
  if (perMessage.test(words)) return { limit: 'perMessage', n }
  const span = head.exec(words)?.[1].toLowerCase()
  if (span) return { limit: span === 'daily' ? 'perDay' : 'perHour', n }
  return null
}
