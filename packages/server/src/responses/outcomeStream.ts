import type { OutcomeLine } from '@hand-post/contract'
import type { Response } from 'express'
import type { Subscribe } from '../events.ts'

/** How long (ms) changes are gathered before what came of a round is worked out anew, and how often it is said that one is still there. */
const gatheredFor = 1000
const beat = 20_000

/**
 * Tells what came of each person of a round, and from then on of each of whom it changes, as server-sent events (HTML, section 9.2) named
 * `outcome`, until whoever listens goes away. What cannot be worked out is told as an event named `fault`, and tried again at the next change.
 * @param of the rounds whose changes may change it.
 */
export function streamOutcomes(
  res: Response,
  {
    of,
    subscribe,
    lines,
    gone,
  }: { of: ReadonlySet<number>; subscribe: Subscribe; lines: () => Promise<OutcomeLine[]>; gone: AbortSignal },
): void {
  res.set({ 'content-type': 'text/event-stream', connection: 'keep-alive' })
  res.flushHeaders()
  const told = new Map<string, string>()
  let underWay = false
  let changed = false
  let timer: NodeJS.Timeout | null = null
  const tell = async () => {
    timer = null
    if (underWay) {
      changed = true
      return
    }
    underWay = true
    try {
      for (const line of await lines()) {
        const key = `${line.row} ${line.address}`
        const text = JSON.stringify(line)
        if (told.get(key) === text) continue
        told.set(key, text)
        res.write(`event: outcome\ndata: ${text}\n\n`)
      }
      // Whoever has read so far has all.
      res.write(': so far\n\n')
    } catch (error) {
      const detail = error instanceof Error ? error.message : String(error)
      if (!gone.aborted) res.write(`event: fault\ndata: ${JSON.stringify({ detail })}\n\n`)
    } finally {
      underWay = false
    }
    if (changed) {
      changed = false
      soon()
    }
  }
  const soon = () => {
    if (!gone.aborted) timer ??= setTimeout(() => void tell(), gatheredFor)
  }
  const end = subscribe(({ topic, id }) => {
    if ((topic === 'responses' || topic === 'messages' || topic === 'round') && (id === null || of.has(id))) soon()
  })
  const here = setInterval(() => res.write(': here\n\n'), beat)
  gone.addEventListener('abort', () => {
    end()
    clearInterval(here)
    if (timer) clearTimeout(timer)
    res.end()
  })
  void tell()
}
