import { randomUUID } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'
import { type DeskEvent, eventSchema } from '@hand-post/contract'
import type { Logger } from 'pino'
import type { Notices } from '../db/database.ts'
import type { Events } from '../events.ts'

/** What is wanted of whichever process works a mailbox. */
export type Wanted = { do: 'wake' | 'drop' | 'readInbox' | 'readOthers' | 'readSent' } | { do: 'touch'; round: number }
/** What every process is told: letters of a round that were claimed are to go back. */
export type Told = { do: 'letGo'; round: number }

type Said =
  | { from: string; events: DeskEvent[] }
  | { from: string; told: Told }
  | { from: string; mailbox: number; wanted: Wanted; asked: string | null }
  | { from: string; answers: string; value: unknown }

export interface PeersParts {
  /** By what is said and heard. */
  notices: Notices
  shared: boolean
  self: string
  events: Events
  log: Logger
}

/** Octets of one thing that is said: PostgreSQL takes less than 8000 (its documentation, NOTIFY). */
const maxOctets = 7000
/** How long (ms) changes are gathered before the others are told of them. */
const gather = 30
/** How long (ms) the process that works a mailbox is given to answer. */
const patience = 30_000

/** What processes on one database tell each other: what has changed, and what is wanted of whichever works a mailbox. */
export class Peers {
  private waiting = new Map<string, DeskEvent>()
  private gathering: Promise<void> | null = null
  private readonly asking = new Map<string, (value: unknown) => void>()
  /** What is being published because another said it: it is not said again. */
  private hearing = false

  constructor(private readonly parts: PeersParts) {
    if (!parts.shared) return
    parts.events.subscribe((event) => this.gather(event))
  }

  /**
   * Begins to hear the others.
   * @param given what is done for a mailbox that is worked here: gives what whoever asked is to have, or undefined where it is not worked
   *   here; and what is done when something may have been missed.
   */
  start(given: {
    done: (mailbox: number, wanted: Wanted) => Promise<unknown> | undefined
    told: (told: Told) => void
    missed: () => void
  }): void {
    const { notices, self, log } = this.parts
    notices.hear((text) => {
      if (text === null) {
        this.publish([{ topic: 'everything', id: null }])
        return given.missed()
      }
      let said: Said
      try {
        said = JSON.parse(text)
      } catch {
        // Whoever may write into the database may say anything on the channel.
        log.warn('something was said on the channel of the processes that is none of ours')
        return
      }
      if (said.from === self) return
      if ('events' in said) this.publish(eventSchema.array().catch([]).parse(said.events))
      else if ('told' in said) given.told(said.told)
      else if ('answers' in said) this.asking.get(said.answers)?.(said.value)
      else {
        const { asked } = said
        const done = given.done(said.mailbox, said.wanted)
        if (done && asked !== null)
          void done.then(
            (value) => this.say({ from: self, answers: asked, value }),
            () => this.say({ from: self, answers: asked, value: null }),
          )
      }
    })
  }

  private publish(some: DeskEvent[]): void {
    this.hearing = true
    try {
      for (const event of some) this.parts.events.publish(event)
    } finally {
      this.hearing = false
    }
  }

  /** Tells every process something. */
  tell(told: Told): void {
    if (this.parts.shared) this.say({ from: this.parts.self, told })
  }

  /** Says what is wanted of whichever process works a mailbox, and goes on. */
  want(mailbox: number, wanted: Wanted): void {
    if (this.parts.shared) this.say({ from: this.parts.self, mailbox, wanted, asked: null })
  }

  /** Asks whichever process works a mailbox, and waits for its answer. Gives null where none comes in time. */
  async ask(mailbox: number, wanted: Wanted): Promise<unknown> {
    if (!this.parts.shared) return null
    const asked = randomUUID()
    const answer = new Promise<unknown>((resolve) => this.asking.set(asked, resolve))
    this.say({ from: this.parts.self, mailbox, wanted, asked })
    try {
      return await Promise.race([answer, sleep(patience, null, { ref: false })])
    } finally {
      this.asking.delete(asked)
    }
  }

  /** Many changes within a moment are told as one of each kind. */
  private gather(event: DeskEvent): void {
    if (this.hearing) return
    this.waiting.set(`${event.topic}:${event.id}`, event)
    this.gathering ??= sleep(gather, undefined, { ref: false }).then(() => {
      this.gathering = null
      const some = [...this.waiting.values()]
      this.waiting = new Map()
      let part: DeskEvent[] = []
      let octets = 0
      for (const one of some) {
        const own = Buffer.byteLength(JSON.stringify(one))
        if (octets + own > maxOctets && part.length > 0) {
          this.say({ from: this.parts.self, events: part })
          part = []
          octets = 0
        }
        part.push(one)
        octets += own + 1
      }
      if (part.length > 0) this.say({ from: this.parts.self, events: part })
    })
  }

  private say(said: Said): void {
    const text = JSON.stringify(said)
    if (Buffer.byteLength(text) > maxOctets + 500) return
    // Whoever does not hear it looks by itself: mailboxes every few seconds, windows when they are looked at.
    this.parts.notices.say(text).catch((error) => this.parts.log.warn({ error: String(error) }, 'others not told'))
  }
}
