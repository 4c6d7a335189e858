import { type IncomingHttpHeaders, request } from 'node:http'
import { request as requestTls } from 'node:https'

export interface BareAnswer {
  status: number
  headers: IncomingHttpHeaders
  body: string
}

/** A bare HTTP request, with whatever path and headers a hostile caller would send. */
export function bare(
  base: string,
  path: string,
  headers: Record<string, string> = {},
  method = 'GET',
  body: string | Buffer = '',
  more: { localAddress?: string } = {},
): Promise<BareAnswer> {
  const { protocol, hostname, port } = new URL(base)
  const ask = protocol === 'https:' ? requestTls : request
  return new Promise((resolve, reject) => {
    const req = ask(
      { hostname, port, path, method, headers, rejectUnauthorized: false, agent: false, ...more },
      (res) => {
        let text = ''
        res.on('data', (chunk) => {
          text += chunk
        })
        res.on('end', () => resolve({ status: res.statusCode!, headers: res.headers, body: text }))
      },
    )
    req.on('error', reject)
    req.end(body)
  })
}

/** A JSON body with its header. */
export const json = (
  base: string,
  path: string,
  body: unknown,
  headers: Record<string, string> = {},
  method = 'POST',
) => bare(base, path, { 'content-type': 'application/json', ...headers }, method, JSON.stringify(body))
