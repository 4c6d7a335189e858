/** The frozen contents of a message. */
export interface Contents {
  from: { name: string; address: string }
  /** Where answers go; where the message comes from when there is none. Messages of before it was there lack it. */
  replyTo?: string[]
  to: { name: string; address: string }
  cc: string[]
  bcc: string[]
  subject: string
  html: string
  text: string
  files: { name: string; hash: string; size: number; type: string }[]
  /** The letter's pictures, which the html names by `cid:`. */
  pictures: { cid: string; hash: string; type: string }[]
  /** The targets of the links that go by the public address, in order. */
  links: string[]
  /** Asks for a read receipt (RFC 8098). */
  receipt: boolean
  /** Where one opts out of letters like this, or null; lacking as above. */
  optOut?: string | null
}

/** A message as it is given to the composer. */
export interface Frozen {
  key: string
  messageId: string
  contents: Contents
}
