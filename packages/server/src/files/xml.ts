/** The longest tag; a longer one is none that an office program writes. */
const longestTag = 100_000

/**
 * Calls `look` for each tag of an XML text, in order: its name without the namespace's prefix, and all of it; `closes` where it ends an
 * element. What `look` returns, unless it is null, ends it and is given. One pass: of what is
 * no tag or is never closed, nothing is looked at twice.
 */
function eachTag(xml: string, look: (name: string, tag: string, closes: boolean) => string | null): string | null {
  for (let at = xml.indexOf('<'); at >= 0; ) {
    const end = xml.indexOf('>', at)
    if (end < 0) return null
    if (end - at > longestTag && xml[at + 1] !== '!' && xml[at + 1] !== '?')
      return 'a tag in it is longer than any that an office program writes; the file is damaged.'
    const tag = xml.slice(at, end + 1)
    const name = /^<\/?(?:[^\s<>:/]{1,100}:)?([^\s<>:/]{1,100})/.exec(tag)?.[1] ?? ''
    const fault = look(name.split('_', 1)[0], tag, tag[1] === '/')
    if (fault !== null) return fault
    at = xml.indexOf('<', end)
  }
  return null
}

/**
 * Looks whether an XML text stays within what readers can bear: how many tags it has, and how deep they stand within one another.
 * @returns what forbids reading it, in words, or null.
 */
export function xmlFault(xml: string, { tags, depth }: { tags: number; depth: number }): string | null {
  let seen = 0
  let deep = 0
  return eachTag(xml, (_, tag, closes) => {
    if (++seen > tags) return `it has more than ${tags.toLocaleString('en-GB')} parts, more than any letter has.`
    if (closes) deep--
    else if (!tag.endsWith('/>') && tag[1] !== '!' && tag[1] !== '?' && ++deep > depth)
      return 'its parts stand deeper within one another than those of any document do; the file is damaged.'
    return null
  })
}

/** Text for XML: characters that XML cannot hold (XML 1.0, 2.2) are shown as missing. */
export const xmlText = (text: string): string =>
  text
    // biome-ignore lint/suspicious/noControlCharactersInRegex: these are what XML cannot hold
    .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '\ufffd')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;')
