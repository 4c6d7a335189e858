import type { Request, Response } from 'express'
import * as oauth from 'oauth4webapi'
import { z } from 'zod'
import type { Database } from '../db/database.ts'
import { hostOf, serviceOptions, wordsOf } from '../http/askService.ts'
import { Refusal } from '../problem.ts'
import type { Secrets } from '../secrets.ts'
import { cookieOf } from './signIn.ts'
import * as store from './store.ts'

/** The office's sign-in service, and what Hand Post is called there. */
interface ServiceSettings {
  issuer: string
  clientId: string
  secret: string | undefined
}

export interface ServiceParts {
  db: Database
  settings: ServiceSettings
  secrets: Pick<Secrets, 'lock' | 'unlock'>
  overTls: boolean
  now: () => number
}

/** Where the service sends the browser back to: a page of the interface, which gives what it was told to the desk. */
const answerPath = '/signed-in'

/** How long (ms) somebody may take at the service, and how long what it said of itself is believed. */
const patience = 15 * 60_000
const knownFor = 60 * 60_000

const flowSchema = z.object({ state: z.string(), nonce: z.string(), verifier: z.string(), until: z.number() })

const refused = (words: string) => new Refusal(401, words, 'Not signed in')

/**
 * Signing in at the office's own service (OpenID Connect Core 1.0, section 3.1, with PKCE). What an answer is held to is kept sealed in
 * a cookie: any desk can take it, and only from the browser that began.
 */
export class SignInService {
  private found: { at: number; server: oauth.AuthorizationServer } | null = null
  private readonly cookie: string

  constructor(private readonly parts: ServiceParts) {
    this.cookie = parts.overTls ? '__Host-flow' : 'flow'
  }

  private async server(): Promise<oauth.AuthorizationServer> {
    const { issuer } = this.parts.settings
    if (this.found !== null && this.parts.now() - this.found.at < knownFor) return this.found.server
    const url = new URL(issuer)
    const answer = await oauth.discoveryRequest(url, { ...serviceOptions(issuer), algorithm: 'oidc' })
    const server = await oauth.processDiscoveryResponse(url, answer)
    this.found = { at: this.parts.now(), server }
    return server
  }

  /** Begins: gives the page to open. */
  async begin(res: Response, desk: string): Promise<string> {
    const { settings, secrets, now, overTls } = this.parts
    try {
      const { authorization_endpoint: authorization } = await this.server()
      if (authorization === undefined) throw new Error('it does not say where one signs in')
      const flow = {
        state: oauth.generateRandomState(),
        nonce: oauth.generateRandomNonce(),
        verifier: oauth.generateRandomCodeVerifier(),
        until: now() + patience,
      }
      const url = new URL(authorization)
      for (const [name, value] of Object.entries({
        response_type: 'code',
        client_id: settings.clientId,
        redirect_uri: desk + answerPath,
        scope: 'openid email',
        state: flow.state,
        nonce: flow.nonce,
        code_challenge: await oauth.calculatePKCECodeChallenge(flow.verifier),
        code_challenge_method: 'S256',
      }))
        url.searchParams.set(name, value)
      res.cookie(this.cookie, secrets.lock(JSON.stringify(flow)), {
        httpOnly: true,
        sameSite: 'strict',
        secure: overTls,
        path: '/',
        maxAge: patience,
        encode: encodeURIComponent,
      })
      return url.href
    } catch (error) {
      throw refused(
        `${wordsOf(error, settings.issuer)} Sign in by your password, or ask whoever looks after Hand Post.`,
      )
    }
  }

  /** Takes what the service answered. Gives whose account it is; throws a refusal in words. */
  async finish(req: Request, res: Response, desk: string, query: string): Promise<store.AccountRecord> {
    const flow = this.flowOf(req)
    res.clearCookie(this.cookie, { path: '/', secure: this.parts.overTls })
    if (flow === null || flow.until < this.parts.now())
      throw refused('This sign-in was not begun in this browser, or it took too long. Begin it again.')
    const claims = await this.ask(flow, desk, new URLSearchParams(query))
    const { db, settings } = this.parts
    const known = await store.accountAtService(db, settings.issuer, claims.sub)
    if (known !== null) return known
    const address = typeof claims.email === 'string' ? claims.email : ''
    if (address === '' || claims.email_verified !== true)
      throw refused(
        `${hostOf(settings.issuer)} does not say which address is yours, or does not vouch for it, so it is not known whose account this is. Ask whoever looks after it.`,
      )
    const account = await store.accountOf(db, address)
    if (account === null)
      throw refused(`${address.slice(0, 254)} has no account here. Ask a keeper to invite you, with this very address.`)
    if (!(await store.bindToService(db, account.id, settings.issuer, claims.sub)))
      throw refused(
        `The account of ${address.slice(0, 254)} belongs to somebody else at ${hostOf(settings.issuer)}. Ask a keeper.`,
      )
    return account
  }

  private flowOf(req: Request): z.infer<typeof flowSchema> | null {
    try {
      return flowSchema.parse(JSON.parse(this.parts.secrets.unlock(decodeURIComponent(cookieOf(req, this.cookie)))))
    } catch {
      return null
    }
  }

  private async ask(
    { state, nonce, verifier }: z.infer<typeof flowSchema>,
    desk: string,
    query: URLSearchParams,
  ): Promise<oauth.IDToken> {
    const { issuer, clientId, secret } = this.parts.settings
    try {
      const server = await this.server()
      const client: oauth.Client = { client_id: clientId }
      const answer = await oauth.authorizationCodeGrantRequest(
        server,
        client,
        secret === undefined ? oauth.None() : oauth.ClientSecretPost(secret),
        oauth.validateAuthResponse(server, client, query, state),
        desk + answerPath,
        verifier,
        serviceOptions(issuer),
      )
      const given = await oauth.processAuthorizationCodeResponse(server, client, answer, {
        expectedNonce: nonce,
        requireIdToken: true,
      })
      await oauth.validateApplicationLevelSignature(server, answer, serviceOptions(issuer))
      return oauth.getValidatedIdTokenClaims(given)!
    } catch (error) {
      throw refused(`${wordsOf(error, issuer)} Begin again, or sign in by your password.`)
    }
  }
}
