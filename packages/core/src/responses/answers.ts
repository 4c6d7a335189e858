import { escapeHtml } from '../letter/escape.ts'
import { bareAddress } from '../people/address.ts'
import { answers as say } from './words.ts'

/** Characters of an answer, and of what it quotes. */
export const longestAnswer = 20_000
const mostQuoted = 20_000

/** What an answer quotes. */
export interface QuotedMail {
  /** Who wrote it, as the mail has it. */
  from: string
  /** When it came, in words; null where that is not known. */
  at: string | null
  text: string
}

/** The subject of an answer: one "Re:" before it, whatever stood there. */
export const answerSubject = (subject: string): string => {
  const bare = subject.replace(/\s+/g, ' ').trim()
  return /^re:/i.test(bare) ? bare : `Re: ${bare}`
}

/**
 * What an answer quotes of what it answers, each line behind a sign (RFC 3676, section 4.5), under a line that says who wrote it and when.
 * Of a long text the beginning, with a word that it was cut.
 */
export function quotedText({ from, at, text }: QuotedMail): string {
  const cut = text.length > mostQuoted
  const lines = `${text.slice(0, mostQuoted).trimEnd()}${cut ? `\n${say.cut}` : ''}`.split(/\r?\n/)
  return `${say.wrote(at, from)}\n${lines.map((line) => (line.startsWith('>') ? `>${line}` : `> ${line}`.trimEnd())).join('\n')}\n`
}

const endOfHtml = '</div></body>'

/** A letter with what it quotes below its own words, in both its forms. */
export function quotedBelow(letter: { html: string; text: string }, quoted: string): { html: string; text: string } {
  const [head, ...lines] = quoted.trimEnd().split('\n')
  const words = lines.map((line) => escapeHtml(line.replace(/^> ?/, ''))).join('<br>')
  const quote = `<p>${escapeHtml(head)}</p><blockquote style="margin:0 0 0 .5em;padding-left:.75em;border-left:2px solid #888">${words}</blockquote>`
  return {
    html: letter.html.replace(endOfHtml, () => `${quote}${endOfHtml}`),
    text: `${letter.text.trimEnd()}\n\n${quoted}`,
  }
}

/** An answer's whole text: its words, the signature behind its line (RFC 3676, section 4.3), and what it quotes. */
export function answerText(words: string, signature: string, quoted: string): string {
  const parts = [
    words.trim(),
    ...(signature.trim() === '' ? [] : [`-- \n${signature.trim()}`]),
    ...(quoted === '' ? [] : [quoted.trimEnd()]),
  ]
  return `${parts.join('\n\n')}\n`
}

/** What names the thread that an answer belongs to (RFC 5322, section 3.6.4): each Message-ID once, the nearest last. */
export function threadOf(letterId: string, answerId: string | null): { inReplyTo: string; references: string[] } {
  const ids = [letterId, ...(answerId === null || !/^<[^<>\s]+>$/.test(answerId) ? [] : [answerId])]
  return { inReplyTo: ids.at(-1)!, references: [...new Set(ids)] }
}

/** Where an answer goes: to the address that it came from. */
export const answerTo = (from: string, fallback: string): string => bareAddress(from) || fallback
