import { smtpAnswer as say } from './words.ts'
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
  /** Try this message again later; in no less than so many minutes, where the host says so. */
  | { do: 'retry'; words: string; minutes: number | null }
  /** This message will not be taken. */
  | { do: 'refuse'; words: string }
  /** The mailbox may not write any more just now: the message waits, and so do all others. */
  | {
      do: 'pause'
      minutes: number
      words: string
      /** The host asks to go slower. */
      slower?: true
      /** The mailbox has used up what it may write in a time. */
      usedUp?: true
    }
  /** Nothing can leave until the writer has mended the mailbox. */
  | { do: 'stop'; words: string }
  /** It may have gone. */
  | { do: 'doubt'; words: string }

/**
 * The enhanced status code (RFC 3463) at the head of an answer, such as "5.1.1"; null when there is none.
 * @example enhancedStatus('550 5.1.1 No such user') // '5.1.1'
 */
export function enhancedStatus(text: string): string | null {
  return /(?:^|\s|-)([245]\.\d{1,3}\.\d{1,3})(?=\s|$)/.exec(text)?.[1] ?? null
}

/** Words for the enhanced codes that people meet (RFC 3463, section 3, and RFC 7504, RFC 7505). */
const statusWords = new Map([
  ['1.1', say.thereNoSuchMailbox],
  ['1.2', say.domainAddressDoesNot],
  ['1.3', say.addressNotWrittenWay],
  ['1.6', say.mailboxHasMovedLeft],
  ['1.10', say.domainSaysTakesNo],
  ['2.0', say.mailboxDoesNotTake],
  ['2.1', say.mailboxSwitchedOff],
  ['2.2', say.mailboxFull],
  ['2.3', say.messageLongerThanMailbox],
  ['3.4', say.messageTooBigHost],
  ['4.1', say.hostAddressDoesNot],
  ['4.4', say.wayHostCannotFound],
  ['4.7', say.couldNotHandedOver],
  ['7.0', say.hostHoldsBackSafety],
  ['7.1', say.hostDoesNotTake],
])

/** Says a status code of RFC 3463 in words; null for a code that says nothing more than its text. */
export function statusInWords(status: string): string | null {
  return statusWords.get(status.replace(/^\d\./, '')) ?? null
}

// Common practice, no source: these are the forms in which hosts say that a sender has used up what it may send, that it sends too
// fast, and that whoever is new to them must come again.
const usedUp =
  /\bdaily\b.{0,40}\b(?:limit|quota|rate|messages|recipients|sending)|\b(?:sending|user|account|message|recipients?) (?:limit|quota)|\bquota (?:exceeded|reached|used)|exceeded.{0,40}\b(?:limit|quota)|\b(?:per|in 24|24) ?(?:day|hours)\b|too many recipients/i
const tooFast =
  /\b(?:rate|ratelimit)\b.{0,20}\b(?:limit|exceeded|control)|rate[- ]?limit|too fast|too many (?:messages|connections|mails|emails)|per (?:minute|second|hour)\b|slow down|throttl/i
const greyWords = /gr[ea]y-?list|deferred .{0,40}first time|not yet authori[sz]ed|unknown (?:triplet|triple)/i

/**
 * A host's words without the addresses and domains that it quotes in them, and without links: what somebody is called says
 * nothing about what the host wants.
 * @param addresses those of the message, which hosts quote in parts too.
 */
export function withoutAddresses(text: string, addresses: readonly string[] = []): string {
  let words = text
    .slice(0, 4000)
    .replace(/<[^<>]{0,500}>/g, ' ')
    .replace(/\S+/g, (word) => (word.includes('@') ? ' ' : word))
    .replace(/\bhttps?:\S{0,2000}/gi, ' ')
  for (const address of addresses) {
    const at = address.lastIndexOf('@')
    for (const part of [address.slice(0, at), address.slice(at + 1)]) {
      // A single word may be one of the host's own, unless it stands where a name does.
      const before = /\W/.test(part) ? '' : String.raw`(?<=["'‘“]|\b(?:user|mailbox|recipient|account|-) )`
      words = words.replaceAll(new RegExp(`${before}(?<![\\w.-])${escapeForRegExp(part)}(?![\\w-]|\\.\\w)`, 'gi'), ' ')
    }
  }
  return words
}
const escapeForRegExp = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')

const numberWords = ['zero', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten']
const unitMinutes: Record<string, number> = { s: 1 / 60, m: 1, h: 60 }

/**
 * In how many minutes a host asks to be tried again ("in five minutes", "after 300 seconds"), or null where it does not say.
 * @example askedWait('451 Try again in five minutes') // 5
 */
export function askedWait(text: string): number | null {
  const found =
    /\b(?:in|after|for|within|wait|least)\s{1,3}(?:about |at least )?(\d{1,5}|a|an|few|one|two|three|four|five|six|seven|eight|nine|ten)\s{0,3}(s|m|h)(?:\b|ec|in|our|r)/i.exec(
      text.slice(0, 4000),
    )
  if (!found) return null
  const word = found[1].toLowerCase()
  const n = /^\d/.test(word)
    ? Number(word)
    : word === 'few'
      ? 5
      : numberWords.includes(word)
        ? numberWords.indexOf(word)
        : 1
  return Math.min(Math.max(1, Math.ceil(n * unitMinutes[found[2].toLowerCase()])), 24 * 60)
}

const waitWords = (minutes: number | null) =>
  minutes === null
    ? 'later'
    : minutes === 1
      ? say.minute
      : minutes % 60 === 0
        ? `in ${minutes / 60 === 1 ? say.hour : `${minutes / 60} hours`}`
        : say.minutes(minutes)

/** Minutes that a mailbox rests for each thing that a host says of it. Common practice, no source. */
const rests = { unreachable: 1, tooFast: 2, noRoom: 5, signIn: 5, usedUp: 60 }

/**
 * Decides what an SMTP failure means. The enhanced status (RFC 3463) decides first, by its subject: what is said of an address or a
 * mailbox (X.1, X.2) is about this message alone, whatever words stand beside it. Then the reply code (RFC 5321, section 4.2.1:
 * temporary or permanent), and only where neither says enough the host's words, without the addresses that it quotes.
 * @param addresses whom the message was for.
 */
export function judgeFailure(failure: SendFailure, addresses: readonly string[] = []): Verdict {
  const { stage, code, text } = failure
  if (stage === 'signIn')
    return code !== null && code >= 500
      ? { do: 'stop', words: say.mailHostRefusedSign(text) }
      : { do: 'pause', minutes: rests.signIn, words: say.mailHostCouldNot(text) }
  if (code === null) {
    if (stage === 'message') return { do: 'doubt', words: say.connectionBrokeWhileMessage(text) }
    return { do: 'pause', minutes: rests.unreachable, words: say.mailHostCannotReached(text) }
  }
  if (code === 530 || code === 535) return { do: 'stop', words: say.mailHostRefusedSign(text) }

  const status = enhancedStatus(text)
  const said = statusInWords(status ?? '')
  const words = said ? say.hostSaid(said, text) : say.hostSaid2(text)
  const ofMessage = (): Verdict => {
    if (code >= 500) return { do: 'refuse', words }
    const minutes = askedWait(withoutAddresses(text, addresses))
    const grey = greyWords.test(withoutAddresses(text, addresses))
    return {
      do: 'retry',
      minutes,
      words: say.asksUsComeBack(grey, said, waitWords(minutes), text),
    }
  }
  const about = status?.slice(2)
  if (about && /^[12]\./.test(about)) return ofMessage()
  const usedUpNow: Verdict = {
    do: 'pause',
    minutes: rests.usedUp,
    words: say.mailboxHasUsedUp(text),
    usedUp: true,
  }
  const slower: Verdict = { do: 'pause', minutes: rests.tooFast, words: say.mailHostAsksGo(text), slower: true }
  // Mail system congestion (4.5) and too many recipients (5.3) are what hosts answer with when a sender's allowance is used up.
  if (about === '4.5' || about === '5.3') return usedUpNow
  if (code === 421) return slower
  // The host's own room (RFC 5321 gives 452 that meaning), which is nobody's fault here.
  if (about === '3.1' || about === '3.2')
    return code >= 500 ? ofMessage() : { do: 'pause', minutes: rests.noRoom, words: say.mailHostCannotTake(text) }
  if (about === '3.4') return ofMessage()
  const plain = withoutAddresses(text, addresses)
  if (greyWords.test(plain)) return ofMessage()
  if (usedUp.test(plain)) return usedUpNow
  if (tooFast.test(plain)) return slower
  if (code === 452 && status === null)
    return { do: 'pause', minutes: rests.noRoom, words: say.mailHostCannotTake(text) }
  return ofMessage()
}

/**
 * How long (minutes) a mailbox rests when the host has asked for it so many times in a row, with nothing taken between.
 * @example restAfter(5, 2) // 20
 */
export function restAfter(minutes: number, timesBefore: number): number {
  return Math.min(minutes * 2 ** Math.min(timesBefore, 3), Math.max(minutes, 120))
}
/**
 * Whether a message is put off alone, though its host's answer asks for a rest of the whole mailbox: the same message was answered so
 * before, and others have been taken since. Then it is the message that the host means, whatever it says.
 * @param ofMessage how often in a row it was answered so.
 * @param ofMailbox how often in a row the mailbox was asked to rest with nothing taken between.
 */
export const isOfThisAlone = (ofMessage: number, ofMailbox: number): boolean => ofMessage > 0 && ofMailbox === 0
/** After how many such answers in a row a message goes behind the others, so that it is seen what becomes of those. */
export const restsUntilBehind = 2
