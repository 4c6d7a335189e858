import Bowser from 'bowser'
import { oneLine } from '../mailboxes/mail.ts'

/** Kinds of devices that are told apart. */
export const devices = ['computer', 'phone', 'tablet'] as const
export type Device = (typeof devices)[number]

/** What fetched a picture or followed a link, as far as it tells of itself; what it does not tell is null. */
export interface Client {
  /** The family of its program, by the name that it gives itself. */
  program: string | null
  device: Device | null
  /** It says that it fetches in the place of somebody's program, as mail services do: which program that is, and on what, is not seen. */
  proxy: boolean
  /** It is a program that nobody looks at, and by what that is seen: it calls itself one, or names no program at all. */
  machine: 'robot' | 'ahead' | null
}

/** Characters of what a client says of itself that are looked at, and of a program's name. */
const maxAgent = 200
const maxName = 40

/** Names by which programs that nobody looks at call themselves: robots, scanners, and the libraries that they are made with. Common practice, no source. */
const robots =
  /bot\b|bots?\/|crawl|spider|scan|monitor|preview|curl|wget|python|libwww|java\/|okhttp|http-?client|headless/i

/** Names that all browsers bear for the sake of old servers, or for the parts that they are made of. */
const parts = new Set(
  'mozilla gecko applewebkit khtml version mobile safari chrome chromium firefox edg edge opr like'.split(' '),
)

/** What a client says of itself, without what stands in brackets. */
function withoutComments(agent: string): string {
  let depth = 0
  let said = ''
  for (const sign of agent) {
    if (sign === '(') depth++
    else if (sign === ')') depth = Math.max(0, depth - 1)
    else if (depth === 0) said += sign
  }
  return said
}

/** The last product that a client names (RFC 9110, section 10.1.5) which is not one that all browsers name; null where there is none. */
function ownProduct(agent: string): string | null {
  let own: string | null = null
  // The first may have several words, though it should not.
  let name = ''
  let first = true
  for (const word of withoutComments(agent).split(/\s+/)) {
    const slash = word.indexOf('/')
    if (slash < 0) {
      if (first) name = `${name} ${word}`.slice(0, 2 * maxName)
      continue
    }
    first = false
    const product = `${name} ${word.slice(0, slash)}`.trim()
    name = ''
    if (product.length <= maxName && /\p{L}/u.test(product) && !parts.has(product.toLowerCase())) own = product
  }
  return own
}

const kindOfDevice: Readonly<Record<string, Device>> = { desktop: 'computer', mobile: 'phone', tablet: 'tablet' }

/** What agents have told of themselves: most letters are opened with the same few. */
const known = new Map<string, Client>()
const maxKnown = 2000

/**
 * What a client tells of itself by its User-Agent (RFC 9110, section 10.1.5). Anybody may say anything there: it is told as what is said,
 * and decides nothing but who looks at a letter.
 * @param agent the field as it was sent; '' where it was not.
 */
export function clientOf(agent: string): Client {
  const said = oneLine(agent.slice(0, 2 * maxAgent)).slice(0, maxAgent)
  const before = known.get(said)
  if (before) return before
  const client = read(said)
  if (known.size >= maxKnown) known.clear()
  known.set(said, client)
  return client
}

function read(said: string): Client {
  const nothing: Client = { program: null, device: null, proxy: false, machine: null }
  if (said === '') return nothing
  // Mail services that fetch the pictures of every message when it comes in name no program. Common practice, no source.
  if (/^Mozilla\/\d\.\d$/.test(said)) return { ...nothing, machine: 'ahead' }
  if (/proxy/i.test(said)) return { ...nothing, proxy: true }
  const parsed = Bowser.getParser(said)
  const platform = parsed.getPlatformType()
  if (platform === 'bot' || robots.test(said)) return { ...nothing, machine: 'robot' }
  const browser = parsed.getBrowserName()
  // What it knows no name for it calls as all browsers call themselves, or by whose parts it is made of.
  const guessed = browser === 'Mozilla' || (browser === 'Safari' && !/Safari\//.test(said))
  const program = ownProduct(said) ?? (guessed ? null : browser || null)
  return { ...nothing, program, device: kindOfDevice[platform] ?? null }
}
