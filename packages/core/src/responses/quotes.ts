import { asWords, headingWords, phraseIn, phrasesOf } from './habits.ts'

/** Characters of a text that are read. */
export const maxText = 200_000
/** How many lines an announcement may be broken into, and how many blank ones may follow it. */
const announcedWithin = 4
/** The longest line that may be part of an announcement, or a heading of a message before. */
const longestMark = 400

const wrote = phrasesOf('wrote')
const before = new Set(phrasesOf('before').map((phrase) => asWords(phrase)))

const isQuoted = (line: string | undefined) => line !== undefined && /^\s{0,20}>/.test(line)
const isBlank = (line: string | undefined) => line === undefined || line.trim() === ''

/** Whether some lines announce what is quoted below them: they end with a colon, and say who wrote it, or when. */
function announces(lines: readonly string[]): boolean {
  const text = lines.join(' ').slice(0, longestMark).trim()
  if (!/[:：]$/.test(text)) return false
  const said = asWords(text)
  return phraseIn(said, wrote) !== null || (/\d/.test(said) && /[@<]/.test(text) && said.trim().split(' ').length > 3)
}

/** Whether a line says that all below it is the message before: "-----Original Message-----", in ten languages. */
function saysBefore(line: string): boolean {
  const text = line.trim()
  if (text.length > 100 || !(/^[-_*=]{2}/.test(text) || /[:：]$/.test(text))) return false
  return before.has(asWords(text))
}

/** What a line is called, where it has the form of a heading: "Subject: …"; null when it has not. */
function headingOf(line: string | undefined): keyof typeof headingWords | null {
  const colon = line === undefined ? -1 : line.slice(0, 40).search(/[:：]/)
  if (line === undefined || colon < 1) return null
  const name = asWords(line.slice(0, colon).replace(/\*/g, '')).trim()
  for (const kind of ['from', 'sent', 'to', 'subject'] as const) if (headingWords[kind].has(name)) return kind
  return null
}

/** Whether the headings of a message before begin with a line: three kinds of them in five lines, the sender's first. */
function beginsBefore(lines: readonly string[], at: number): boolean {
  if (headingOf(lines[at]) !== 'from') return false
  const kinds = new Set<string>()
  for (let i = at; i < Math.min(lines.length, at + 6); i++) {
    const kind = headingOf(lines[i])
    if (kind !== null) kinds.add(kind)
  }
  return kinds.size >= 3
}

/** A line that only divides: "________". */
const divides = (line: string | undefined) => line !== undefined && /^\s{0,20}[-_*=]{5,200}\s{0,20}$/.test(line)

/** Where the message before begins, with no mark before its lines; the number of lines where it does not. */
function cutAt(lines: readonly string[]): number {
  for (const [i, line] of lines.entries()) {
    if (line.length > longestMark || isQuoted(line)) continue
    if (saysBefore(line)) return i
    if (beginsBefore(lines, i)) return divides(lines[i - 1]) ? i - 1 : i
  }
  return lines.length
}

/**
 * The text that an answer adds: without quoted lines, the lines that announce them, and what follows a signature mark (RFC 3676, section
 * 4.3). What stands between two quotations, or after them, is the answer too. Where a mark or a message's headings say that all below is
 * the message before, it is cut off; where an announcement stands over lines that bear no mark, and something stands above it, too.
 * @param text the whole plain text; at most {@link maxText} characters of it are read.
 * @example withoutQuotes('Yes.\n\nOn 3 Nov 2026, Ada <a@quay.example> wrote:\n> Will you come?') // 'Yes.'
 */
export function withoutQuotes(text: string): string {
  const all = text.slice(0, maxText).replace(/\r\n?/g, '\n').split('\n')
  const lines = all.slice(0, cutAt(all))
  const announced = new Set<number>()
  for (const [i, line] of lines.entries()) {
    if (!isQuoted(line) || isQuoted(lines[i - 1])) continue
    // The announcement stands right above, perhaps with blank lines between, and broken into some.
    let at = i - 1
    while (at >= 0 && i - at <= announcedWithin && isBlank(lines[at])) at--
    const begin = beginOfAnnouncement(lines, at)
    for (let n = begin; n <= at; n++) announced.add(n)
  }
  let kept = lines.filter((line, i) => !isQuoted(line) && !announced.has(i))
  // An announcement over lines that bear no mark: everything below is what was written before.
  if (announced.size === 0) {
    const at = kept.findIndex(
      (line, i) => i > 0 && line.length <= longestMark && /[:：]\s*$/.test(line) && bareAnnouncement(kept, i) < i + 1,
    )
    if (at > 0) {
      const begin = bareAnnouncement(kept, at)
      if (kept.slice(0, begin).some((line) => !isBlank(line))) kept = kept.slice(0, begin)
    }
  }
  const signature = kept.indexOf('-- ')
  return (signature >= 0 ? kept.slice(0, signature) : kept)
    .join('\n')
    .replace(/\n{3,}/g, '\n\n')
    .trim()
}

/** Where the announcement begins that ends with a line: with the line that has its date, where one has; behind it when there is none. */
function beginOfAnnouncement(lines: readonly string[], end: number): number {
  let shortest = end + 1
  for (let begin = end; begin >= Math.max(0, end - 2) && !isBlank(lines[begin]); begin--) {
    const some = lines.slice(begin, end + 1)
    if (!announces(some)) continue
    if (/\d/.test(some.join(' ').slice(0, longestMark))) return begin
    if (shortest > end) shortest = begin
  }
  return shortest
}

/** Where an announcement begins that ends with a line, says who wrote and when, and has an address; behind the line when there is none. */
function bareAnnouncement(lines: readonly string[], end: number): number {
  for (let begin = end; begin >= Math.max(0, end - 1) && !isBlank(lines[begin]); begin--) {
    const text = lines
      .slice(begin, end + 1)
      .join(' ')
      .slice(0, longestMark)
    if (/\d/.test(text) && text.includes('@') && announces([text])) return begin
  }
  return end + 1
}
