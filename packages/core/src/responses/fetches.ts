import type { Response } from './outcome.ts'

/** One time that the picture or a link of a message was fetched. */
export interface Fetch {
  /** Milliseconds since 1970. */
  at: number
  /** The program that asked, as it named itself. */
  agent: string
  /** The country (ISO 3166-1) that its address is registered in, where that is looked up. The address itself is kept nowhere. */
  country?: string
}

/** What is kept of all the times that one picture, or one link, of one message was fetched. */
export interface Fetched {
  first: number
  last: number
  times: number
  /** Some of them, the earliest first: always bounded, however often it was fetched. */
  sample: Fetch[]
}

/** How many of the first times are kept one by one, and how many of the latest. */
export const firstKept = 8
export const latestKept = 8
/** Within how many milliseconds of the one before a fetch is only counted: it tells nothing new. */
const alike = 1000

/**
 * The sum of two records of the same picture or link.
 * The sample keeps the first and the latest, so that a person who comes after a machine's flood is still seen.
 */
export function sumFetched(a: Fetched, b: Fetched): Fetched {
  const sample: Fetch[] = []
  for (const fetch of [...a.sample, ...b.sample].sort((x, y) => x.at - y.at))
    if (sample.length === 0 || fetch.at - sample.at(-1)!.at >= alike) sample.push(fetch)
  if (sample.length > firstKept + latestKept) sample.splice(firstKept, sample.length - firstKept - latestKept)
  return {
    first: Math.min(a.first, b.first),
    last: Math.max(a.last, b.last),
    times: a.times + b.times,
    sample,
  }
}

/** The record of a single fetch. */
export const fetchedOnce = (fetch: Fetch): Fetched => ({ first: fetch.at, last: fetch.at, times: 1, sample: [fetch] })

/** What is kept of fetches as responses, for telling machines from people and for counting. `what`: the picture, or the link's number. */
export function fetchedAsResponses(what: 'picture' | number, { sample }: Pick<Fetched, 'sample'>): Response[] {
  return sample.map((fetch) =>
    what === 'picture' ? { kind: 'open', ...fetch } : { kind: 'click', ...fetch, link: what },
  )
}

/** Characters of a link by which it is told apart. */
const longestFamily = 300

/**
 * By what the links of a letter are told apart: where one leads (the URL standard), without its query and fragment, which may be each
 * person's own.
 * @returns '' for what is no address of the web.
 * @example linkFamily('https://quay.example/pay?berth=B12#now') // 'https://quay.example/pay'
 */
export function linkFamily(address: string): string {
  if (!URL.canParse(address)) return ''
  const { protocol, host, pathname } = new URL(address)
  return /^https?:$/.test(protocol) ? `${protocol}//${host}${pathname}`.slice(0, longestFamily) : ''
}
