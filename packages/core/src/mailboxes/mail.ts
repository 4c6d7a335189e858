import { decodeWords } from 'postal-mime'

/** The most characters of a line (RFC 5322, section 2.1.1). */
export const longestLine = 998
/** Characters of a message's head that are looked at. */
const longestHead = 200_000

/** How deep the parts of a message may stand in one another, and how large all its headers may be together, in octets. */
export const mailLimits = { maxNestingDepth: 50, maxHeadersSize: 500_000, maxRfc822NestingDepth: 3 }

/** A header's text as one line: what was folded or encoded into it may not end it (RFC 5322, section 2.2). */
export const oneLine = (text: string): string =>
  text
    .slice(0, 4 * longestLine)
    .replace(/[\p{Cc}\p{Zl}\p{Zp}]+/gu, ' ')
    .trim()
    .slice(0, longestLine)

/**
 * One field of a message's raw head, unfolded (RFC 5322, section 2.2.3) and decoded (RFC 2047), as one line; '' when it has none.
 * @example headerLine('Subject: =?utf-8?Q?Gr=C3=BC=C3=9Fe?=\r\n', 'subject') // 'Grüße'
 */
export function headerLine(head: string, name: string): string {
  const lines = head
    .slice(0, longestHead)
    .replace(/\r\n?/g, '\n')
    .replace(/\n[ \t]+/g, ' ')
    .split('\n')
  const line = lines.find((one) => one.slice(0, name.length + 1).toLowerCase() === `${name.toLowerCase()}:`)
  return line === undefined ? '' : oneLine(decodeWords(line.slice(name.length + 1, name.length + 1 + longestLine)))
}
