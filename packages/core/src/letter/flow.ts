import { withoutEnd } from '../people/plainText.ts'

/** The most characters of a line, as RFC 3676, section 4.2, and RFC 5322, section 2.1.1, advise. */
const lineLength = 76

/**
 * Wraps plain text as "flowed" (RFC 3676, without DelSp): a line that ends with a space goes on in the next one, so that
 * readers who know join it again, and others see lines of a sensible length. Runs without a space are never broken.
 * @returns text whose lines end with a line feed; sent as `text/plain; format=flowed`.
 */
export function flowText(text: string): string {
  return text
    .split('\n')
    .map((line) => {
      // The line of a signature stays what it is (section 4.3); other spaces at an end would join lines that are two.
      const whole = line === '-- ' ? line : withoutEnd(line, ' ')
      const lines: string[] = []
      let rest = stuff(whole)
      while (rest.length > lineLength) {
        let at = rest.lastIndexOf(' ', lineLength - 1)
        if (at <= 0) at = rest.indexOf(' ', lineLength)
        if (at <= 0 || at === rest.length - 1) break
        lines.push(rest.slice(0, at + 1))
        rest = stuff(rest.slice(at + 1))
      }
      return [...lines, rest].join('\n')
    })
    .join('\n')
}

/** Space-stuffing (section 4.4): what a reader would take for a quotation, a "From " line or a stuffed line gets a space before it. */
const stuff = (line: string) => (/^( |>|From )/.test(line) ? ` ${line}` : line)

/** Joins flowed text again: the reader's side of RFC 3676, section 4.1, for text without quotations. */
export function unflowText(text: string): string {
  const lines: string[] = []
  let open = false
  for (const raw of text.split('\n')) {
    const line = raw.startsWith(' ') ? raw.slice(1) : raw
    if (open) lines[lines.length - 1] += line
    else lines.push(line)
    open = line.endsWith(' ') && line !== '-- '
  }
  return lines.join('\n')
}
