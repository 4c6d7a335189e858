import type { DeskEvent } from '@hand-post/contract'

/** Tells every window of the desk what has changed. */
export type Publish = (event: DeskEvent) => void

/** Called with every event that is published. */
export type Subscriber = (event: DeskEvent) => void

/** Has one told of whatever is published from now on. Gives what ends that. */
export type Subscribe = (subscriber: Subscriber) => () => void

/** What is published goes to whoever has subscribed at that moment. */
export class Events {
  private readonly subscribers = new Set<Subscriber>()

  /** Bound, so that it can be handed on by itself. */
  readonly publish: Publish = (event) => {
    for (const subscriber of this.subscribers) subscriber(event)
  }

  /** Bound likewise. */
  readonly subscribe: Subscribe = (subscriber) => {
    this.subscribers.add(subscriber)
    return () => this.subscribers.delete(subscriber)
  }
}
