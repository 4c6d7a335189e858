import { address as say } from './words.ts'

/** Characters of what is given as an address that are looked at: several of them, or one with a name, are shorter. */
const longestLooked = 1000

/**
 * The address alone of what may be written with its name, `Ada Penrose <ada@quay.example>` (RFC 5322, section 3.4, name-addr);
 * anything else without the blanks around it.
 * @example bareAddress('Ada Penrose <ada@village.example>') // 'ada@village.example'
 */
export function bareAddress(text: string): string {
  const whole = text.trim()
  if (!whole.endsWith('>') || whole.length > longestLooked) return whole
  const open = whole.lastIndexOf('<')
  // Several addresses are not one with a name.
  const before = whole.slice(0, Math.max(open, 0))
  return open < 0 || before.includes('>') || (before.includes('@') && /[,;]/.test(before))
    ? whole
    : whole.slice(open + 1, -1).trim()
}

/**
 * The addresses of a text, with or without their names, separated by commas, semicolons or line ends; addresses alone by blanks too.
 * A comma within quotation marks or within the angle brackets parts nothing (RFC 5322, section 3.4).
 * @returns each without its name; what is no address stands as it is.
 * @example addressesIn('ada@village.example; bram@village.example') // ['ada@village.example', 'bram@village.example']
 */
export function addressesIn(text: string): string[] {
  const entries: string[] = []
  let entry = ''
  let quoted = false
  let bracketed = false
  for (const c of text) {
    if (c === '"') quoted = !quoted
    else if (!quoted && c === '<') bracketed = true
    else if (!quoted && c === '>') bracketed = false
    if (!quoted && !bracketed && /[,;\r\n]/.test(c)) {
      entries.push(entry)
      entry = ''
    } else entry += c
  }
  entries.push(entry)
  return entries.flatMap((one) => (one.trim().endsWith('>') ? [bareAddress(one)] : one.split(/\s+/))).filter(Boolean)
}

/**
 * Checks one e-mail address, which may stand with its name before it, as RFC 5321 (lengths, section 4.5.3.1) and RFC 5322 (dot-atom, section 3.4.1) allow,
 * with the non-ASCII letters of RFC 6532. Quoted local parts and address literals are refused: real lists do not
 * have them, and typing slips look like them.
 * @returns null when it can be written to, or the reason in words.
 */
export function addressFault(text: string): string | null {
  const address = bareAddress(text)
  if (address === '') return say.thereNoAddress
  if (address.length > longestLooked) return say.longerThanAddressMay
  if (/[\r\n]/.test(address)) return say.holdsLineBreak
  if (/[,;]\s*\S+@/.test(address)) return say.holdsMoreThanOne
  if (/\s/.test(address)) return say.hasSpace
  const at = address.lastIndexOf('@')
  if (at < 0) return say.hasNo
  const local = address.slice(0, at)
  const domain = address.slice(at + 1)
  if (local === '') return say.nothingStandsBefore
  if (domain === '') return say.nothingStandsAfter
  if (local.includes('@')) return say.hasMoreThanOne
  if (local.length > 64 || address.length > 254) return say.longerThanAddressMay
  if (local.startsWith('.') || local.endsWith('.') || local.includes('..')) return say.dotsWrongPlace
  const atom = /^[\p{L}\p{N}\p{M}!#$%&'*+/=?^_`{|}~.-]+$/u
  if (!atom.test(local)) return say.holdsCharacterAddressCannot(local)
  const labels = domain.split('.')
  if (labels.length < 2) return say.notFullDomain(domain)
  const label = /^[\p{L}\p{N}](?:[\p{L}\p{N}\p{M}-]{0,61}[\p{L}\p{N}\p{M}])?$/u
  if (!labels.every((l) => label.test(l)) || /^\d+$/.test(labels.at(-1)!)) return say.notDomain(domain)
  return null
}

/**
 * The form under which two addresses count as the same: the whole address without its name and without regard to case.
 * @example sameAddressKey('Ada@Village.example') // sameAddressKey('ada@village.example')
 */
export function sameAddressKey(address: string): string {
  return bareAddress(address).toLowerCase()
}

/**
 * The domain of an address in lower case, or '' when it has none.
 * @example domainOf('ada@Village.example') // 'village.example'
 */
export function domainOf(address: string): string {
  const bare = bareAddress(address)
  return bare
    .slice(bare.lastIndexOf('@') + 1)
    .trim()
    .toLowerCase()
}
