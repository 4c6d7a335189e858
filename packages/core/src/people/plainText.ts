// Small things done to texts that anybody may have written, each in one pass: the expressions that come to mind for them take the
// square of the text's length where it is made so.

/**
 * A text without the characters of `which` at its end.
 * @example withoutEnd('quay...', '.') // 'quay'
 */
export function withoutEnd(text: string, which: string): string {
  let end = text.length
  while (end > 0 && which.includes(text[end - 1])) end--
  return text.slice(0, end)
}

/** A text without the characters of `which` at its beginning. */
export function withoutStart(text: string, which: string): string {
  let start = 0
  while (start < text.length && which.includes(text[start])) start++
  return text.slice(start)
}

/** A text on one line: each line end with the white space around it becomes `by`. */
export function onOneLine(text: string, by: string): string {
  const lines = text.split('\n')
  if (lines.length === 1) return text
  const last = lines.length - 1
  return lines
    .map((line, i) => {
      const begun = i > 0 ? line.trimStart() : line
      return i < last ? begun.trimEnd() : begun
    })
    .filter((line, i) => line !== '' || i === 0 || i === last)
    .join(by)
}

/**
 * Digits in groups of three from their end: "1234567" becomes "1,234,567".
 * @example inThousands('1234567') // '1,234,567'
 */
export function inThousands(digits: string): string {
  const first = digits.length % 3 || 3
  let grouped = digits.slice(0, first)
  for (let at = first; at < digits.length; at += 3) grouped += `,${digits.slice(at, at + 3)}`
  return grouped
}
