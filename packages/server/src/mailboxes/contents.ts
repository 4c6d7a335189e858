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
  /** The sets of choices of the letter, numbered through all of them; lacking where it has none, and as above. */
  choices?: string[][]
  /** What it answers: the Message-ID of that mail, and those of its thread (RFC 5322, section 3.6.4). */
  thread?: { inReplyTo: string; references: string[] }
  /** The words as copies get them, where they are others: without the picture, with bare links, and with nothing to opt out of. */
  ofCopies?: { html: string; text: string }
}

/**
 * The contents as those get them who have a copy. Nothing in it acts for the person: no picture or link that is counted as theirs,
 * no opting out in their name, and no receipt asked for.
 */
export const contentsOfCopies = (contents: Contents): Contents => ({
  ...contents,
  ...contents.ofCopies,
  optOut: null,
  receipt: false,
})

/** A message as it is given to the composer. */
export interface Frozen {
  key: string
  messageId: string
  contents: Contents
}
