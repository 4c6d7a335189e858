/** How a connection to a mail host is kept private. */
export type Security = 'none' | 'starttls' | 'tls'

/** Whether a host name or address is this machine itself. */
export function isLoopback(host: string): boolean {
  return host === 'localhost' || host === '::1' || host === '[::1]' || /^127(\.\d{1,3}){3}$/.test(host)
}

/** Why a connection may not be made with these settings, in words; null when it may. Plain text stays on this machine. */
export function connectionFault(host: string, security: Security): string | null {
  if (host.trim() === '') return 'The name of the host is missing.'
  if (security === 'none' && !isLoopback(host))
    return `A connection to ${host} without encryption would show the password to others. Choose STARTTLS or TLS.`
  return null
}
