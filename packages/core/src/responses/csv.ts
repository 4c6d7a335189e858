/** What a spreadsheet would run as a formula; apostrophes before it keep it from that. */
const wouldRun = /^'{0,1000}(?:[\t\r\n]|[\s\ufeff\u200b]{0,1000}[=+\-@\uff1d\uff0b\uff0d\uff20])/
const signedNumber = /^[+-]?[\d.,]+%?$/

/**
 * Writes one value as a CSV field (RFC 4180, section 2), defused: a value that a spreadsheet would run as a formula
 * gets an apostrophe in front, as the common advice on CSV injection has it (common practice, no source); also when blanks stand
 * before the character, which spreadsheets pass over, and when it is written in full width.
 * A plain negative or signed number is left as it is. {@link asBeforeDefusing} takes the apostrophe off again.
 * @example csvField('say "yes"') // '"say ""yes"""'
 */
export function csvField(value: string): string {
  const defused = wouldRun.test(value) && !signedNumber.test(value) ? `'${value}` : value
  return /[",\r\n]/.test(defused) ? `"${defused.replace(/"/g, '""')}"` : defused
}

/** The value of a field that {@link csvField} may have defused: every value comes back as it was. */
export const asBeforeDefusing = (text: string): string =>
  text.startsWith("'") && wouldRun.test(text) ? text.slice(1) : text

/** Writes rows as CSV text with CRLF line ends (RFC 4180) and the byte order mark that spreadsheets want for UTF-8. */
export function csvText(rows: readonly (readonly string[])[]): string {
  return `\ufeff${rows.map((row) => row.map(csvField).join(',')).join('\r\n')}\r\n`
}
