/** Characters of what is given as an address that are looked at: several of them, or one with a name, are shorter. */
const longestLooked = 1000

/**
 * Checks one e-mail address as RFC 5321 (lengths, section 4.5.3.1) and RFC 5322 (dot-atom, section 3.4.1) allow,
 * with the non-ASCII letters of RFC 6532. Quoted local parts and address literals are refused: real lists do not
 * have them, and typing slips look like them.
 * @returns null when it can be written to, or the reason in words.
 */
export function addressFault(text: string): string | null {
  const address = text.trim()
  if (address === '') return 'there is no address'
  if (address.length > longestLooked) return 'it is longer than an address may be'
  if (/[\r\n]/.test(address)) return 'it holds a line break'
  if (/[,;]\s*\S+@/.test(address)) return 'it holds more than one address'
  if (/\s/.test(address)) return 'it has a space in it'
  const at = address.lastIndexOf('@')
  if (at < 0) return 'it has no @'
  const local = address.slice(0, at)
  const domain = address.slice(at + 1)
  if (local === '') return 'nothing stands before the @'
  if (domain === '') return 'nothing stands after the @'
  if (local.includes('@')) return 'it has more than one @'
  if (local.length > 64 || address.length > 254) return 'it is longer than an address may be'
  if (local.startsWith('.') || local.endsWith('.') || local.includes('..')) return 'its dots are in the wrong place'
  const atom = /^[\p{L}\p{N}\p{M}!#$%&'*+/=?^_`{|}~.-]+$/u
  if (!atom.test(local)) return `“${local}” holds a sign that an address cannot have`
  const labels = domain.split('.')
  if (labels.length < 2) return `“${domain}” is not a full domain`
  const label = /^[\p{L}\p{N}](?:[\p{L}\p{N}\p{M}-]{0,61}[\p{L}\p{N}\p{M}])?$/u
  if (!labels.every((l) => label.test(l)) || /^\d+$/.test(labels.at(-1)!)) return `“${domain}” is not a domain`
  return null
}

/** The form under which two addresses count as the same: the whole address without regard to case. */
export function sameAddressKey(address: string): string {
  return address.trim().toLowerCase()
}

/** The domain of an address in lower case, or '' when it has none. */
export function domainOf(address: string): string {
  return address
    .slice(address.lastIndexOf('@') + 1)
    .trim()
    .toLowerCase()
}
