import { createPrivateKey, X509Certificate } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { createServer, type IncomingMessage, type RequestListener, type Server, type ServerResponse } from 'node:http'
import { createServer as createTlsServer, type Server as TlsServer } from 'node:https'
import { type AddressInfo, isIP } from 'node:net'
import { times } from '@hand-post/core'
import type { Settings } from '../settings.ts'

/** The certificate by which both listeners speak HTTPS. */
export interface Certificate {
  cert: Buffer
  key: Buffer
  /** Whether a host's name is one that the certificate was given for. */
  isFor: (name: string) => boolean
  /** Until when it holds (ms since 1970). */
  until: number
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
    until: Date.parse(certificate.validTo),
  }
}

/** How often (ms) it is looked whether the certificate was renewed, and how long before its end it is said. */
const renewalEvery = 60_000
const soon = 7 * 24 * 60 * 60 * 1000

/** Has listeners go on with a renewed certificate as soon as its files are there. One that cannot be used is left, and that is said. */
export class CertificateWatch {
  private fault: string | null = null
  private readonly timer: NodeJS.Timeout | null = null

  constructor(
    private readonly settings: Settings,
    private readonly certificate: Certificate | null,
    private readonly servers: readonly Server[],
    every = renewalEvery,
  ) {
    if (certificate === null) return
    this.timer = setInterval(() => this.look(), every)
    this.timer.unref()
  }

  /** Looks once. */
  look(): void {
    const now = this.certificate!
    try {
      const found = readCertificate(this.settings)!
      this.fault = null
      if (found.cert.equals(now.cert) && found.key.equals(now.key)) return
      for (const server of this.servers)
        (server as TlsServer).setSecureContext({ cert: found.cert, key: found.key, minVersion: 'TLSv1.2' })
      // Whoever has it goes by the new one from now on.
      Object.assign(now, found)
    } catch (error) {
      this.fault = (error as Error).message
    }
  }

  /** What is wrong with it, in words; null where nothing is. */
  words(): string | null {
    if (this.certificate === null) return null
    const left = this.certificate.until - Date.now()
    if (left < 0)
      return `The certificate has run out, so browsers warn of this desk. ${this.fault ?? 'Put the renewed one in its place.'}`
    if (this.fault !== null) return `A renewed certificate cannot be used. ${this.fault}`
    if (left > soon) return null
    return `The certificate runs out in ${times(Math.max(1, Math.round(left / 86_400_000)), 'day')}. Put the renewed one in its place: it is taken up by itself.`
  }

  close(): void {
    if (this.timer) clearInterval(this.timer)
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
