/** What became of one attempt to send, as the connection saw it. */
export interface SendFailure {
  /** Where it stopped: before any of the message was given over, or after. */
  stage: 'connect' | 'signIn' | 'envelope' | 'message'
  /** The reply code of RFC 5321, or null when the host said nothing. */
  code: number | null
  /** The host's words, or the connection's error. */
  text: string
}

/** What the dispatcher does about it. */
export type Verdict =
  /** Try this message again later. */
  | { do: 'retry'; words: string }
  /** This message will not be taken. */
  | { do: 'refuse'; words: string }
  /** The mailbox may not write any more just now: the message waits, and so do all others. */
  | { do: 'pause'; minutes: number; words: string }
  /** Nothing can leave until the writer has mended the mailbox. */
  | { do: 'stop'; words: string }
  /** It may have gone. */
  | { do: 'doubt'; words: string }

/** The enhanced status code (RFC 3463) at the head of an answer, such as "5.1.1"; null when there is none. */
export function enhancedStatus(text: string): string | null {
  return /(?:^|\s|-)([245]\.\d{1,3}\.\d{1,3})(?=\s|$)/.exec(text)?.[1] ?? null
}

/** Words for the enhanced codes that people meet (RFC 3463, section 3, and RFC 7504, RFC 7505). */
const statusWords = new Map([
  ['1.1', 'There is no such mailbox at that address.'],
  ['1.2', 'The domain of the address does not exist.'],
  ['1.3', 'The address is not written in a way the host understands.'],
  ['1.6', 'The mailbox has moved, and left no new address.'],
  ['1.10', 'The domain says that it takes no mail.'],
  ['2.0', 'The mailbox does not take the message.'],
  ['2.1', 'The mailbox is switched off.'],
  ['2.2', 'The mailbox is full.'],
  ['2.3', 'The message is longer than the mailbox takes.'],
  ['3.4', 'The message is too big for the host.'],
  ['4.1', 'The host of the address does not answer.'],
  ['4.4', 'The way to the host cannot be found.'],
  ['4.7', 'It could not be handed over in the time allowed.'],
  ['7.0', 'The host holds it back for safety reasons.'],
  ['7.1', 'The host does not take this message from this sender.'],
])

/** Says a status code of RFC 3463 in words; null for a code that says nothing more than its text. */
export function statusInWords(status: string): string | null {
  return statusWords.get(status.replace(/^\d\./, '')) ?? null
}

// Common practice, no source: these are the forms in which hosts say that a sender has used up what it may send.
const dayUsedUp = /daily|quota|per day|24 hours|too many recipients today|sending limit/i
const tooFast = /rate|too fast|too many messages|per minute|slow down|try again (?:in a|later in)/i

/** Decides what an SMTP failure means: temporary and permanent by RFC 5321 section 4.2.1, limits and sign-in apart. */
export function judgeFailure(failure: SendFailure): Verdict {
  const { stage, code, text } = failure
  const status = enhancedStatus(text)
  const said = statusInWords(status ?? '')
  const words = said ? `${said} The host said: ${text}` : `The host said: ${text}`
  if (stage === 'signIn')
    return code !== null && code >= 500
      ? { do: 'stop', words: `The mail host refused the sign-in: ${text}` }
      : { do: 'pause', minutes: 5, words: `The mail host could not sign in just now: ${text}` }
  if (code === null) {
    if (stage === 'message')
      return { do: 'doubt', words: `The connection broke while the message was being handed over: ${text}` }
    return { do: 'pause', minutes: 1, words: `The mail host cannot be reached: ${text}` }
  }
  if (
    status?.endsWith('.4.5') ||
    (stage !== 'message' && code === 452) ||
    ((code === 550 || code === 554 || code === 451) && dayUsedUp.test(text) && status !== '5.2.2' && status !== '4.2.2')
  )
    return { do: 'pause', minutes: 60, words: `The mailbox has used up what it may send: ${text}` }
  if (code === 421 || (code === 450 && tooFast.test(text)) || (code === 451 && tooFast.test(text)))
    return { do: 'pause', minutes: 2, words: `The mail host asks to go slower: ${text}` }
  if (code === 530 || code === 535) return { do: 'stop', words: `The mail host refused the sign-in: ${text}` }
  return code >= 500 ? { do: 'refuse', words } : { do: 'retry', words }
}
