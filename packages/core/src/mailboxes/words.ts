// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
/** settings.ts */
export const settings = {
  nameHostMissing: 'The name of the host is missing.',
  connectionWithoutEncryptionWould: (host: string) =>
    `A connection to ${host} without encryption would show the password to others. Choose STARTTLS or TLS.`,
  userName: 'the user name',
  name: (what: string) => `the name of ${what}`,
  port: (what: string) => `the port of ${what}`,
  encryption: (what: string) => `the encryption of ${what}`,
  whoseCertificateMayHave: (what: string) => `whose certificate ${what} may have`,
  signInService: 'the sign-in service',
  sendingHost: 'the sending host',
  readingHost: 'the reading host',
}

/** hours.ts */
export const hours = {
  closed: 'closed',
  allDay: 'all day',
  anyTime: 'any time',
  never: 'never open',
  days: ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'],
  noHours: (text: string) =>
    `“${text}” is not a stretch of hours. Write it as 9:00–12:30, several with commas between them, or “closed”.`,
}

/** oauth.ts */
export const oauth = {
  notAddress: (address: string) => `“${address.slice(0, 200)}” is not an address of the form https://….`,
  withPassword: (address: string) => `“${address.slice(0, 200)}” has a user name or password in it. Leave them out.`,
  leadsHere: (address: string) =>
    `The sign-in service leads to ${address.slice(0, 200)}, which is this machine itself. It is not followed there.`,
  notEncrypted: (address: string) =>
    `${address.slice(0, 200)} is not encrypted, and what is secret would be told to it. It must begin with https://.`,
}
