import { addressOf, type CallInput, type Route, routes } from '@hand-post/contract'
import pino from 'pino'
import { expect } from 'vitest'
import type { z } from 'zod'
import { startHandPost } from '../src/index.ts'
import type { Settings } from '../src/settings.ts'
import { settingsFor, type World } from './world.ts'

export const deskPassword = 'low-water-0430'

/** Starts the server of a world anew, as one that asks who is there. */
export async function askWho(world: World, more: Partial<Settings> = {}): Promise<void> {
  await world.handPost.close()
  world.handPost = await startHandPost({
    lanes: world.lanes,
    settings: {
      ...settingsFor(world.folder, world.practice, world.databaseUrl),
      HAND_POST_PASSWORD: deskPassword,
      ...more,
    },
    clock: world.clock,
    log: pino({ level: 'silent' }),
  })
}

/** What the desk answered. */
export interface Answered<R extends Route> {
  status: number
  /** What it gave; where it said no, the problem. */
  answer: z.output<R['answer']>
  detail: string
}

/** A browser at the desk, with the cookies that it was given. */
export class Browser {
  readonly cookies = new Map<string, string>()
  constructor(
    readonly desk: string,
    readonly agent = 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0',
  ) {}

  get cookie(): string {
    return [...this.cookies].map(([name, value]) => `${name}=${value}`).join('; ')
  }

  /** Asks whatever address; keeps the cookies that it is given. */
  async go(url: string, init: RequestInit = {}): Promise<Response> {
    const answer = await fetch(url, {
      redirect: 'manual',
      ...init,
      headers: { cookie: this.cookie, 'user-agent': this.agent, ...init.headers },
    })
    for (const line of answer.headers.getSetCookie()) {
      const [pair] = line.split(';')
      const [name, value] = [pair.slice(0, pair.indexOf('=')), pair.slice(pair.indexOf('=') + 1)]
      if (value === '') this.cookies.delete(name)
      else this.cookies.set(name, value)
    }
    return answer
  }

  async ask<R extends Route>(route: R, input: CallInput<R> = {}): Promise<Answered<R>> {
    const sendsJson = !route.takesFile && route.method !== 'GET'
    const response = await this.go(this.desk + addressOf(route, input), {
      method: route.method,
      headers: sendsJson
        ? { 'content-type': 'application/json' }
        : route.takesFile
          ? { 'content-type': 'application/octet-stream' }
          : {},
      body: sendsJson ? JSON.stringify(input.body ?? {}) : (input.file as BodyInit | undefined),
    })
    const text = await response.text()
    const answer = route.gives && response.ok ? text : JSON.parse(text)
    if (response.ok && !route.gives) route.answer.parse(answer)
    return { status: response.status, answer, detail: answer.detail ?? '' }
  }

  /** Asks what must be done. */
  async done<R extends Route>(route: R, input: CallInput<R> = {}): Promise<z.output<R['answer']>> {
    const { status, answer, detail } = await this.ask(route, input)
    expect([status, detail], route.path).toEqual([200, ''])
    return answer
  }

  async signIn(address: string, password: string, code = ''): Promise<Answered<typeof routes.signIn>> {
    return this.ask(routes.signIn, { body: { address, password, code } })
  }
}

export const ada = { name: 'Ada Penrose', address: 'ada@brindlequay.example', password: 'seven grey gulls' }
export const ben = { name: 'Ben Tide', address: 'ben@brindlequay.example', password: 'nine wet ropes' }

/** Makes accounts where there are none: Ada's, a keeper's. Gives her browser. */
export async function setUp(world: World): Promise<Browser> {
  const browser = new Browser(world.handPost.address)
  expect((await browser.signIn('', deskPassword)).status).toBe(200)
  await browser.done(routes.setUpAccounts, { body: ada })
  return browser
}

/** Has somebody invited by a keeper, and take the invitation in a browser of their own. */
export async function join(
  keeper: Browser,
  { name, address, password }: typeof ada,
  rights: { mayPost?: boolean; keeps?: boolean } = {},
): Promise<Browser & { id: number }> {
  const { token, account } = await keeper.done(routes.invite, {
    body: { name, address, mayPost: rights.mayPost ?? false, keeps: rights.keeps ?? false },
  })
  const browser = new Browser(keeper.desk)
  await browser.done(routes.takeInvitation, { body: { token, password } })
  return Object.assign(browser, { id: account.id })
}
