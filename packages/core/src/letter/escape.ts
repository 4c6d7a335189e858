const htmlSigns: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' }
const htmlSign = /[&<>"']/
const htmlSignsAll = /[&<>"']/g

/**
 * Escapes text for HTML content and quoted attribute values.
 * @example escapeHtml('Fish & Chips') // 'Fish &amp; Chips'
 */
export function escapeHtml(text: string): string {
  return htmlSign.test(text) ? text.replace(htmlSignsAll, (sign) => htmlSigns[sign]) : text
}

/** Text as HTML, its line ends as breaks. */
export const htmlLines = (text: string) => {
  const escaped = escapeHtml(text)
  return escaped.includes('\n') ? escaped.replace(/\r?\n/g, '<br>') : escaped
}
