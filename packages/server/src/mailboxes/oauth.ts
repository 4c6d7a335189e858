import type { OauthSettings } from '@hand-post/contract'
import { serviceFault } from '@hand-post/core'
import * as oauth from 'oauth4webapi'
import { hostOf, serviceOptions, wordsOf } from '../http/askService.ts'
import { Refusal } from '../problem.ts'

/** What a sign-in service has given, as it is sealed. */
export interface Held {
  refresh: string
  access: string
  /** Until when (ms since 1970) the access token may be used. */
  until: number
  clientSecret: string
}

/** A sign-in service did not give a token. With `final`, it will not until the writer has signed in again. */
export class TokenError extends Error {
  constructor(
    words: string,
    readonly final: boolean,
  ) {
    super(words)
  }
}

/** How long (ms) an access token is used where its service does not say; and how long before its end a new one is had. */
const usualLife = 5 * 60_000
const early = 60_000

const refused = (words: string) => new Refusal(422, `${words} Nothing was stored.`, 'Sign-in')

/**
 * Finds where a service gives consent and tokens (RFC 8414, else as OpenID Connect has it).
 * @throws a refusal in words: an address that may not be used, no answer, rubbish, or another service's answer.
 */
export async function discover(issuer: string): Promise<{ authorization: string; token: string }> {
  const fault = serviceFault(issuer)
  if (fault) throw refused(fault)
  const url = new URL(issuer)
  const find = async (algorithm: 'oauth2' | 'oidc') =>
    oauth.processDiscoveryResponse(url, await oauth.discoveryRequest(url, { ...serviceOptions(issuer), algorithm }))
  let found: oauth.AuthorizationServer
  try {
    found = await find('oauth2').catch((first) =>
      find('oidc').catch((second) => {
        throw (first as { cause?: unknown }).cause instanceof Response ? second : first
      }),
    )
  } catch (error) {
    throw refused(wordsOf(error, issuer))
  }
  const { authorization_endpoint: authorization, token_endpoint: token, code_challenge_methods_supported: pkce } = found
  if (typeof authorization !== 'string' || typeof token !== 'string')
    throw refused(`The sign-in service ${hostOf(issuer)} does not say where one signs in.`)
  if (Array.isArray(pkce) && !pkce.includes('S256'))
    throw refused(
      `The sign-in service ${hostOf(issuer)} does not offer PKCE with S256 (RFC 7636), which Hand Post needs.`,
    )
  for (const address of [authorization, token]) {
    const fault = serviceFault(address, issuer)
    if (fault) throw refused(fault)
  }
  return { authorization, token }
}

/** A service as the library knows it. What was typed has no name of its own: it is called by where it gives consent. */
const serverOf = ({ issuer, authorization, token }: OauthSettings): oauth.AuthorizationServer => ({
  issuer: issuer || authorization,
  authorization_endpoint: authorization,
  token_endpoint: token,
})
const authenticationOf = (clientSecret: string) =>
  clientSecret === '' ? oauth.None() : oauth.ClientSecretPost(clientSecret)

const lifeOf = ({ expires_in: seconds }: oauth.TokenEndpointResponse) =>
  typeof seconds === 'number' && seconds > 0 ? seconds * 1000 : usualLife

/** A signing in that has begun. */
export interface Begun {
  url: string
  state: string
  verifier: string
}

/** Begins a signing in: the page to open, with what its answer is held to (PKCE, RFC 7636). */
export async function begin(settings: OauthSettings, redirect: string, user: string): Promise<Begun> {
  const verifier = oauth.generateRandomCodeVerifier()
  const state = oauth.generateRandomState()
  const url = new URL(settings.authorization)
  const put = (name: string, value: string) => value !== '' && url.searchParams.set(name, value)
  put('response_type', 'code')
  put('client_id', settings.clientId)
  put('redirect_uri', redirect)
  put('scope', settings.scope)
  put('state', state)
  put('code_challenge', await oauth.calculatePKCECodeChallenge(verifier))
  put('code_challenge_method', 'S256')
  put('login_hint', user)
  // Consent is asked for each time: some services give a lasting permission only then.
  put('prompt', 'consent')
  put('access_type', 'offline')
  return { url: url.href, state, verifier }
}

/**
 * Takes what a service answered at the end of a signing in, and has tokens for it.
 * @param query what came back with the page.
 * @throws TokenError in words.
 */
export async function finish(
  settings: OauthSettings,
  { state, verifier }: Pick<Begun, 'state' | 'verifier'>,
  redirect: string,
  query: URLSearchParams,
  clientSecret: string,
  now: number,
): Promise<Held> {
  const server = serverOf(settings)
  const client: oauth.Client = { client_id: settings.clientId }
  try {
    // What was typed has no name of its own to be compared with.
    if (settings.issuer === '') query.delete('iss')
    const params = oauth.validateAuthResponse(server, client, query, state)
    const answer = await oauth.authorizationCodeGrantRequest(
      server,
      client,
      authenticationOf(clientSecret),
      params,
      redirect,
      verifier,
      serviceOptions(settings.token),
    )
    const given = await oauth.processAuthorizationCodeResponse(server, client, answer)
    if (!given.refresh_token)
      throw new TokenError(
        `The sign-in service ${hostOf(settings.token)} gave no lasting permission (no refresh token), so Hand Post could send for a short time only. Ask for offline_access too, or allow lasting access at the service.`,
        true,
      )
    return { refresh: given.refresh_token, access: given.access_token, until: now + lifeOf(given), clientSecret }
  } catch (error) {
    throw error instanceof TokenError ? error : new TokenError(wordsOf(error, settings.token), true)
  }
}

/** What a service says when a permission has been withdrawn, has ended, or was never its own (RFC 6749, section 5.2). */
const ended = new Set(['invalid_grant', 'invalid_client', 'unauthorized_client', 'invalid_scope'])

/** Has a new access token for a refresh token, which may be another one after. Throws TokenError in words. */
export async function refresh(settings: OauthSettings, held: Held, now: number): Promise<Held> {
  const server = serverOf(settings)
  const client: oauth.Client = { client_id: settings.clientId }
  try {
    const answer = await oauth.refreshTokenGrantRequest(
      server,
      client,
      authenticationOf(held.clientSecret),
      held.refresh,
      serviceOptions(settings.token),
    )
    const given = await oauth.processRefreshTokenResponse(server, client, answer)
    return {
      ...held,
      refresh: given.refresh_token ?? held.refresh,
      access: given.access_token,
      until: now + lifeOf(given),
    }
  } catch (error) {
    const words = wordsOf(error, settings.token)
    if (!ended.has((error as { error?: string }).error ?? '')) throw new TokenError(words, false)
    throw new TokenError(
      `The permission to use this mailbox was withdrawn or has ended. ${words} Sign in again at Mailboxes.`,
      true,
    )
  }
}

/** Whether an access token is to be had anew. */
export const isOver = ({ access, until }: Held, now: number): boolean => access === '' || until - early <= now
