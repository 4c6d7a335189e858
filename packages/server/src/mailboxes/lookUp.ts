import type { SrvRecord } from 'node:dns'
import { Resolver } from 'node:dns/promises'
import type { Host } from './access.ts'

/** How long (ms) a resolver is waited for. */
const patience = 4000
const longestDomain = 253

/** Services of mail programs by name, the better kept one first: RFC 8314 and RFC 6186. */
const services = {
  smtp: [
    ['_submissions._tcp', 'tls'],
    ['_submission._tcp', 'starttls'],
  ],
  imap: [
    ['_imaps._tcp', 'tls'],
    ['_imap._tcp', 'starttls'],
  ],
} as const

/** The host to be used of some (RFC 2782): the first in order, and of these the weightiest. Null where the domain says that there is none. */
function chosen(records: SrvRecord[]): SrvRecord | null {
  const [first] = records.toSorted((a, b) => a.priority - b.priority || b.weight - a.weight)
  return first === undefined || first.name === '' || first.name === '.' ? null : first
}

/** The mail hosts that a domain names in the DNS. Whoever answers for the domain says so: they are shown, and used only when they are stored. */
export async function mailHosts(
  domain: string,
  resolverAddress: string | undefined,
): Promise<{ smtp: Host | null; imap: Host | null; words: string }> {
  const none = { smtp: null, imap: null }
  if (domain === '' || domain.length > longestDomain) return { ...none, words: 'Type the address first.' }
  const resolver = new Resolver({ timeout: patience, tries: 1 })
  if (resolverAddress !== undefined) resolver.setServers([resolverAddress])
  let unreachable = false
  const find = async (which: keyof typeof services): Promise<Host | null> => {
    for (const [service, security] of services[which]) {
      const records = await resolver.resolveSrv(`${service}.${domain}`).catch((error: { code?: string }) => {
        if (!['ENOTFOUND', 'ENODATA'].includes(error.code ?? '')) unreachable = true
        return []
      })
      const record = chosen(records)
      if (record) return { host: record.name.replace(/\.$/, ''), port: record.port, security, allowSelfSigned: false }
    }
    return null
  }
  const [smtp, imap] = await Promise.all([find('smtp'), find('imap')])
  if (smtp === null && imap === null)
    return {
      ...none,
      words: unreachable
        ? 'The mail hosts cannot be looked up: no resolver answers. Type them as your provider gives them.'
        : `${domain} names no mail hosts. Type them as your provider gives them.`,
    }
  const named = [smtp && `${smtp.host} to send`, imap && `${imap.host} to read`].filter(Boolean).join(' and ')
  return {
    smtp,
    imap,
    words: `${domain} names ${named}. Look whether these are your provider’s before you store them.`,
  }
}
