import { randomBytes } from 'node:crypto'
import type { OauthSettings } from '@hand-post/contract'
import type { Clock } from '../clock.ts'
import { notFound, Refusal } from '../problem.ts'
import { type Keeping, type Token, tokenOf } from './access.ts'
import { type Begun, begin, finish, type Held, TokenError } from './oauth.ts'

interface Flow extends Begun {
  settings: OauthSettings
  redirect: string
  clientSecret: string
  at: number
  held: Held | null
  fault: string | null
  /** Its answer has come, and is being looked at: it is taken once. */
  answered: boolean
}

/** How long (ms) a signing in may take, and how many are kept. */
const within = 30 * 60_000
const most = 50

/** Signings in that have begun here, until what they gave is stored with a mailbox. They are kept in memory only. */
export class SignIns {
  private readonly flows = new Map<string, Flow>()
  constructor(private readonly clock: Clock) {}

  /** Begins one. @param redirect where the service sends the browser back to. */
  async begin(
    settings: OauthSettings,
    { redirect, clientSecret, user }: { redirect: string; clientSecret: string; user: string },
  ): Promise<{ flow: string; url: string }> {
    this.forgetOld()
    const begun = await begin(settings, redirect, user)
    const flow = randomBytes(16).toString('base64url')
    const at = this.clock.now()
    this.flows.set(flow, { ...begun, settings, redirect, clientSecret, at, held: null, fault: null, answered: false })
    return { flow, url: begun.url }
  }

  /** Takes what a browser brings back from a service. @returns what to tell whoever looks at that page. */
  async answer(query: URLSearchParams): Promise<{ ok: boolean; words: string }> {
    this.forgetOld()
    const state = query.get('state')
    const flow = [...this.flows.values()].find((one) => one.state === state && !one.answered)
    if (!flow)
      return { ok: false, words: 'This sign-in has ended, or was answered already. Begin it again in Hand Post.' }
    flow.answered = true
    try {
      flow.held = await finish(flow.settings, flow, flow.redirect, query, flow.clientSecret, this.clock.now())
      return { ok: true, words: 'Signed in. You can close this page and go on in Hand Post.' }
    } catch (error) {
      if (!(error instanceof TokenError)) throw error
      flow.fault = error.message
      return { ok: false, words: error.message }
    }
  }

  state(id: string): { state: 'waits' | 'done' | 'failed'; words: string } {
    const { held, fault } = this.flowOf(id)
    if (fault !== null) return { state: 'failed', words: fault }
    return { state: held ? 'done' : 'waits', words: '' }
  }

  /** What a signing in gave, for these settings only. Throws a refusal when it is not done, or was for another service. */
  heldOf(id: string, settings: OauthSettings): Held {
    const { held, settings: of } = this.flowOf(id)
    if (held === null)
      throw new Refusal(
        422,
        'The sign-in is not done yet. Sign in, then store the mailbox. Nothing was stored.',
        'Not signed in',
      )
    if (of.token !== settings.token || of.clientId !== settings.clientId)
      throw new Refusal(
        422,
        'That sign-in was for another sign-in service. Sign in again. Nothing was stored.',
        'Not signed in',
      )
    return held
  }

  /** A token of a signing in that is not stored yet, for trying the settings out. */
  tokenOf(id: string, settings: OauthSettings): Token {
    this.heldOf(id, settings)
    const keeping: Keeping = {
      read: async () => this.heldOf(id, settings),
      write: async (held) => {
        this.flowOf(id).held = held
      },
      // It is known to this process only.
      alone: (work) => work(),
    }
    return tokenOf(settings, keeping, () => this.clock.now())
  }

  forget(id: string): void {
    this.flows.delete(id)
  }

  private flowOf(id: string): Flow {
    const flow = this.flows.get(id)
    if (!flow) throw notFound('sign-in')
    return flow
  }

  private forgetOld(): void {
    for (const [id, { at }] of this.flows)
      if (at < this.clock.now() - within || this.flows.size >= most) this.flows.delete(id)
  }
}
