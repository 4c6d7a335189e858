import { isLoopback } from './settings.ts'
import { oauth as say } from './words.ts'

/**
 * Why an address of a sign-in service may not be used, in words; null when it may. What is secret goes there, so it is encrypted,
 * unless the service is on this machine.
 * @param issuer the service's own address: one that is not on this machine cannot send us to one that is.
 */
export function serviceFault(address: string, issuer: string = address): string | null {
  const [url, of] = [address, issuer].map((text) => (URL.canParse(text) ? new URL(text) : null))
  if (url === null || of === null || !['http:', 'https:'].includes(url.protocol)) return say.notAddress(address)
  if (url.username !== '' || url.password !== '') return say.withPassword(address)
  const here = isLoopback(url.hostname)
  if (here && !isLoopback(of.hostname)) return say.leadsHere(address)
  if (url.protocol === 'http:' && !here) return say.notEncrypted(address)
  return null
}
