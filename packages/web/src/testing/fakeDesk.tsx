import { accountRoles, type Problem, type Route, routes } from '@hand-post/contract'
import { QueryClientProvider } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { createMemoryRouter, RouterProvider } from 'react-router'
import { Toaster } from 'sonner'
import { afterEach, expect } from 'vitest'
import { render } from 'vitest-browser-react'
import type { z } from 'zod'
import { queries } from '../api.ts'
import '../app.css'

/** What is asked of a route. */
type Asked<R extends Route> = {
  params: Record<string, string>
  query: Record<string, string>
  body: z.output<R['body']>
}
type Answer<R extends Route> = (asked: Asked<R>) => z.input<R['answer']> | Promise<z.input<R['answer']>>

interface Known {
  route: Route
  answer: Answer<Route>
}

/** Thrown by an answer: the desk says no. */
export class Refused {
  readonly problem: Problem
  constructor(status: number, detail: string, faults?: Problem['faults']) {
    this.problem = { type: 'about:blank', title: 'Refused', status, detail, ...(faults ? { faults } : {}) }
  }
}

/** Answers in the page what the interface asks of the desk, and keeps what was asked. */
export class FakeDesk {
  private known: Known[] = []
  /** Every change that was asked for, with what was given. */
  readonly asked: { route: Route; params: Record<string, string>; body: unknown }[] = []
  /** What went wrong in the answers themselves: a test that has any fails. */
  readonly faults: unknown[] = []
  /** Whether the desk cannot be reached. */
  away = false
  private readonly before = globalThis.fetch

  constructor() {
    globalThis.fetch = (input, init) => this.fetch(new Request(input, init))
    // As on one's own machine, where nobody signs in.
    this.on(routes.me, () => ({ account: null, roles: [...accountRoles], hasPassword: false, recoveryLeft: 0 }))
    // Most often nothing takes long.
    this.on(routes.works, () => [])
  }

  /** From now on a route gives this; what it gives must fit the route's schema. */
  on<R extends Route>(route: R, answer: Answer<R>): this {
    this.known.unshift({ route, answer: answer as Answer<Route> })
    return this
  }

  /** What was given to each call of a route, in order. */
  bodiesOf<R extends Route>(route: R): z.output<R['body']>[] {
    return this.asked.filter((one) => one.route === route).map(({ body }) => route.body.parse(body)) as z.output<
      R['body']
    >[]
  }

  close(): void {
    globalThis.fetch = this.before
  }

  private async fetch(request: Request): Promise<Response> {
    if (this.away) throw new TypeError('Failed to fetch')
    const { pathname, searchParams } = new URL(request.url)
    for (const { route, answer } of this.known) {
      const names = [...route.path.matchAll(/:(\w+)/g)].map(([, name]) => name)
      const match = new RegExp(`^${route.path.replace(/:\w+/g, '([^/]+)')}$`).exec(pathname)
      if (route.method !== request.method || !match) continue
      const params = Object.fromEntries(names.map((name, i) => [name, decodeURIComponent(match[i + 1])]))
      const body = request.method === 'GET' || route.takesFile ? {} : route.body.parse(await request.json())
      if (route.method !== 'GET') this.asked.push({ route, params, body })
      try {
        const given: unknown = await answer({ params, query: Object.fromEntries(searchParams), body })
        // A file is given as it is.
        return route.gives ? new Response(given as BodyInit) : Response.json(route.answer.parse(given))
      } catch (error) {
        if (!(error instanceof Refused)) {
          this.faults.push(error)
          throw error
        }
        return Response.json(error.problem, { status: error.problem.status })
      }
    }
    const fault = new Error(`Nothing was said of what ${request.method} ${pathname} gives.`)
    this.faults.push(fault)
    throw fault
  }
}

let desk: FakeDesk | null = null
afterEach(() => {
  const faults = desk?.faults ?? []
  desk?.close()
  desk = null
  queries.clear()
  expect(faults).toEqual([])
})

/** A desk for one test. */
export function openDesk(): FakeDesk {
  queries.clear()
  desk = new FakeDesk()
  return desk
}

/** An answer that is given when the test says so. */
export function held<T>(): { answer: Promise<T>; give: (value: T) => void; refuse: (error: unknown) => void } {
  let give!: (value: T) => void
  let refuse!: (error: unknown) => void
  const answer = new Promise<T>((resolve, reject) => {
    give = resolve
    refuse = reject
  })
  return { answer, give, refuse }
}

/** Draws a part of the interface as the program does: within the router, with the queries and the messages. */
export async function draw(part: ReactNode, at = '/') {
  const router = createMemoryRouter(
    [
      { path: '/elsewhere', element: <p>Elsewhere</p> },
      { path: '*', element: part },
    ],
    { initialEntries: [at] },
  )
  const screen = await render(
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
      <Toaster />
    </QueryClientProvider>,
  )
  return { screen, router }
}
