import * as oauth from 'oauth4webapi'

/** How long (ms) a service is waited for, and how much (octets) it may say. */
const patience = 15_000
const most = 200_000
/** Asks a service: within a time, up to a length, and nowhere but where it was sent. */
async function bounded(url: string, init: RequestInit): Promise<Response> {
  const answer = await fetch(url, { ...init, redirect: 'manual', signal: AbortSignal.timeout(patience) })
  const chunks: Uint8Array[] = []
  let length = 0
  for await (const chunk of answer.body ?? []) {
    length += chunk.length
    if (length > most) throw new Error('it says far more than it was asked for')
    chunks.push(chunk)
  }
  const { status, headers } = answer
  const hasBody = status !== 204 && status !== 304
  return new Response(hasBody ? Buffer.concat(chunks) : null, { status, headers })
}
/** How the library is to ask a service. */
export const serviceOptions = (issuer: string) => ({
  [oauth.customFetch]: bounded as never,
  // Only ever to this machine: `serviceFault` has seen to that.
  [oauth.allowInsecureRequests]: issuer.startsWith('http:'),
})

/** A service's host, for people. */
export const hostOf = (address: string) => (URL.canParse(address) ? new URL(address).host : address.slice(0, 100))

/** What went wrong with a service, in words. */
export function wordsOf(error: unknown, address: string): string {
  const e = error as Error & { code?: string; error?: string; error_description?: string; cause?: { code?: string } }
  const where = hostOf(address)
  if (e.error) {
    const more = e.error_description ? `: ${e.error_description.slice(0, 300)}` : ''
    return `The sign-in service ${where} says no (${e.error.slice(0, 60)}${more}).`
  }
  if (e.name === 'TimeoutError') return `The sign-in service ${where} did not answer in time.`
  if (e.cause?.code || e.message === 'fetch failed')
    return `The sign-in service ${where} cannot be reached${e.cause?.code ? ` (${e.cause.code})` : ''}. Check its address, and the network.`
  return `The sign-in service ${where} does not answer as one does: ${e.message.slice(0, 300)}. Check its address.`
}
