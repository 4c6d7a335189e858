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
  ]
  // Without the padding too, and the longest first: a shorter one may be a part of it.
  return [...new Set(forms.flatMap((form) => [form, form.replace(/={1,2}$/, '')]))]
    .filter((form) => form !== '')
    .sort((a, b) => b.length - a.length)
}

/** A text of a mail host's without the password in any of the forms in which it was sent. */
export function maskSecret(text: string, password: string, user: string): string {
  return password === '' ? text : formsOf(password, user).reduce((all, form) => all.replaceAll(form, masked), text)
}
