/**
 * Writes one value as a CSV field (RFC 4180, section 2), defused: a value that a spreadsheet would run as a formula
 * gets an apostrophe in front, as the common advice on CSV injection has it (common practice, no source); also when blanks stand
 * before the sign, which spreadsheets pass over, and when it is written in full width.
 * A plain negative or signed number is left as it is.
 */
export function csvField(value: string): string {
  const defused =
    /^(?:[\t\r\n]|[\s\ufeff\u200b]{0,1000}[=+\-@\uff1d\uff0b\uff0d\uff20])/.test(value) &&
    !/^[+-]?[\d.,]+%?$/.test(value)
      ? `'${value}`
      : value
  return /[",\r\n]/.test(defused) ? `"${defused.replace(/"/g, '""')}"` : defused
}

/** Writes rows as CSV text with CRLF line ends (RFC 4180) and the byte order mark that spreadsheets want for UTF-8. */
export function csvText(rows: readonly (readonly string[])[]): string {
  return `\ufeff${rows.map((row) => row.map(csvField).join(',')).join('\r\n')}\r\n`
}
