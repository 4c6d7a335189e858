import type { DeskEvent } from '@hand-post/contract'

/** Tells every window of the desk what has changed. */
export type Publish = (event: DeskEvent) => void

/** Called with every event that is published. */
export type Subscriber = (event: DeskEvent) => void

/** Has one told of whatever is published from now on. Gives what ends that. */
export type Subscribe = (subscriber: Subscriber) => () => void

/** What has changed lately: an event of each kind, the newest, that was published within so many ms. */
export type Lately = (ms: number) => DeskEvent[]

/** How long (ms) it is remembered what has changed, and how many kinds of it. */
const rememberedFor = 60_000
const maxRemembered = 5000

/** What is published goes to whoever has subscribed at that moment; and, for a while, to whoever asks what was missed. */
export class Events {
  private readonly subscribers = new Set<Subscriber>()
  private readonly recent = new Map<string, { event: DeskEvent; at: number }>()

  /** Bound, so that it can be handed on by itself. */
  readonly publish: Publish = (event) => {
    this.remember(event)
    for (const subscriber of this.subscribers) subscriber(event)
  }

  /** Bound likewise. */
  readonly lately: Lately = (ms) => {
    const from = performance.now() - Math.min(ms, rememberedFor)
    return [...this.recent.values()].filter(({ at }) => at >= from).map(({ event }) => event)
  }

  private remember(event: DeskEvent): void {
    // What is told as it happens is not told again: how far some work is, and what is shown once.
    if (event.topic === 'progress' || event.topic === 'notices') return
    const key = `${event.topic}:${event.id}`
    const now = performance.now()
    this.recent.delete(key)
    this.recent.set(key, { event, at: now })
    for (const [old, { at }] of this.recent) {
      if (now - at <= rememberedFor && this.recent.size <= maxRemembered) break
      this.recent.delete(old)
    }
  }

  /** Bound likewise. */
  readonly subscribe: Subscribe = (subscriber) => {
    this.subscribers.add(subscriber)
    return () => this.subscribers.delete(subscriber)
  }
}
