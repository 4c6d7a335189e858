/** What stands where a password stood. */
const masked = '•••'

/** Forms in which a host may give back what it was told: as it is, quoted, encoded for an address, and as SASL sends it. */
function formsOf(password: string, user: string): string[] {
  const base64 = (text: string) => Buffer.from(text).toString('base64')
  const forms = [
    password,
    password.replace(/[\\"]/g, '\\$&'),
    encodeURIComponent(password.toWellFormed()),
    Buffer.from(password).toString('hex'),
    // RFC 4616 (PLAIN), with and without an identity to act as, and the LOGIN that many hosts still offer.
    base64(`\0${user}\0${password}`),
    base64(`${user}\0${user}\0${password}`),
    base64(password),
    // What stands before and after a token in SASL's bearer methods (RFC 7628): it begins at one of three places in a group.
    ...bearers(password),
  ]
  // Without the padding too, and the longest first: a shorter one may be a part of it.
  return [...new Set(forms.flatMap((form) => [form, form.replace(/={1,2}$/, '')]))]
    .filter((form) => form !== '')
    .sort((a, b) => b.length - a.length)
}

/** The middle of a token in base64, at each of the three places where it may begin in a group of three octets. */
function bearers(token: string): string[] {
  if (token.length < 12) return []
  return [0, 1, 2].map((at) => {
    const encoded = Buffer.from(`${'x'.repeat(at)}${token}`).toString('base64')
    return encoded.slice(4, -4)
  })
}

/** A text of a mail host's without the password in any of the forms in which it was sent. */
export function maskSecret(text: string, password: string, user: string): string {
  return password === '' ? text : formsOf(password, user).reduce((all, form) => all.replaceAll(form, masked), text)
}
