import { createPrivateKey, X509Certificate } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { createServer, type IncomingMessage, type RequestListener, type Server, type ServerResponse } from 'node:http'
import { createServer as createTlsServer } from 'node:https'
import { type AddressInfo, isIP } from 'node:net'
import { isLoopback } from '@hand-post/core'
import type { Settings } from '../settings.ts'

/** The certificate by which both listeners speak HTTPS. */
export interface Certificate {
  cert: Buffer
  key: Buffer
  /** Whether a host's name is one that the certificate was given for. */
  isFor: (name: string) => boolean
}

/** Reads the certificate that the settings name; null where there is none. Throws, in words, when it cannot be used. */
export function readCertificate(settings: Settings): Certificate | null {
  const { HAND_POST_CERTIFICATE: certFile, HAND_POST_CERTIFICATE_KEY: keyFile } = settings
  if (certFile === undefined || keyFile === undefined) return null
  const part = <T>(name: string, file: string, read: (bytes: Buffer) => T): [Buffer, T] => {
    try {
      const bytes = readFileSync(file)
      return [bytes, read(bytes)]
    } catch (error) {
      const why = error instanceof Error ? error.message : String(error)
      throw new Error(
        `${name}: the file ${file} cannot be used (${why}). Give a file in PEM form, readable by this user.`,
      )
    }
  }
  const [cert, certificate] = part('HAND_POST_CERTIFICATE', certFile, (bytes) => new X509Certificate(bytes))
  const [key, privateKey] = part('HAND_POST_CERTIFICATE_KEY', keyFile, (bytes) => createPrivateKey(bytes))
  if (!certificate.checkPrivateKey(privateKey))
    throw new Error(
      `The key in ${keyFile} is not the one of the certificate in ${certFile}. Give the two that go together.`,
    )
  if (Date.parse(certificate.validTo) < Date.now())
    throw new Error(`The certificate in ${certFile} ran out on ${certificate.validTo}. Put the renewed one there.`)
  return {
    cert,
    key,
    isFor: (name) => (isIP(name) ? certificate.checkIP(name) : certificate.checkHost(name)) !== undefined,
  }
}

/** Headers that every answer of both listeners bears (OWASP ASVS 4.0.3, 14.4). */
export const guardHeaders = {
  'x-content-type-options': 'nosniff',
  'referrer-policy': 'no-referrer',
  'x-frame-options': 'SAMEORIGIN',
  'cross-origin-resource-policy': 'same-origin',
} as const

/** Sets headers on every answer. */
export function setHeaders(headers: Record<string, string>, overTls: boolean) {
  const all = Object.entries(overTls ? { ...headers, 'strict-transport-security': 'max-age=31536000' } : headers)
  return (_req: IncomingMessage, res: ServerResponse, next: () => void) => {
    for (const [name, value] of all) res.setHeader(name, value)
    next()
  }
}

/** A server for HTTP, or for HTTPS where there is a certificate. What is no HTTP at all is answered with the same headers. */
export function serverFor(handler: RequestListener, certificate: Certificate | null): Server {
  const limits = { maxHeaderSize: 16_384, headersTimeout: 20_000 }
  const server = certificate
    ? createTlsServer({ cert: certificate.cert, key: certificate.key, minVersion: 'TLSv1.2', ...limits }, handler)
    : createServer(limits, handler)
  server.on('clientError', (error: NodeJS.ErrnoException, socket) => {
    if (error.code === 'ECONNRESET' || !socket.writable) return void socket.destroy()
    const status =
      error.code === 'HPE_HEADER_OVERFLOW'
        ? '431 Request Header Fields Too Large'
        : error.code === 'ERR_HTTP_REQUEST_TIMEOUT'
          ? '408 Request Timeout'
          : '400 Bad Request'
    const headers = Object.entries(guardHeaders).map(([name, value]) => `${name}: ${value}\r\n`)
    socket.end(`HTTP/1.1 ${status}\r\nconnection: close\r\ncontent-length: 0\r\n${headers.join('')}\r\n`)
  })
  return server
}

/** Begins to listen; gives the port. Throws, in words, when it is taken. */
export const listen = (server: Server, port: number, host: string) =>
  new Promise<number>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(
        error.code === 'EADDRINUSE'
          ? new Error(
              `Port ${port} on ${host} is taken by another program. End that one, or choose another port by HAND_POST_PORT or HAND_POST_PUBLIC_PORT.`,
            )
          : error,
      ),
    )
    server.listen(port, host, () => resolve((server.address() as AddressInfo).port))
  })

/** What whoever starts Hand Post should know of how it is reached; null when there is nothing to say. */
export function reachWarning(settings: Settings): string | null {
  if (isLoopback(settings.HAND_POST_HOST) || settings.HAND_POST_CERTIFICATE !== undefined) return null
  return `The desk listens on ${settings.HAND_POST_HOST} without encryption: whoever can listen in on the network between reads the password, the letters and the lists. Set HAND_POST_CERTIFICATE and HAND_POST_CERTIFICATE_KEY, or let it be reached only through an encrypted line.`
}
