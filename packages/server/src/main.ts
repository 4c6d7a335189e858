import { join } from 'node:path'
import { setFlagsFromString } from 'node:v8'
import pino from 'pino'
import { type PublicAlone, startPublicAlone } from './app/publicAlone.ts'
import { endWhenBroken, type HandPost, readSettings, startHandPost } from './index.ts'
import { servesPublicAlone } from './settings.ts'

// Starts Hand Post as a program. Started with an IPC channel and HAND_POST_CLOCK=set, it takes its time from messages
// { clock: ms } and answers { settled: ms } when everything due by then has been done: how the demo's past is lived through.

// Every thread's young heap grows to three times this and stays so; the default, 16 MB, is meant for one thread.
setFlagsFromString('--max-semi-space-size=4')
// What lies about is cleared away when it is a quarter of what is in use: else it may grow to three times that, in each thread.
setFlagsFromString('--heap-growing-percent=25')

const setClock = process.env.HAND_POST_CLOCK === 'set' && process.send !== undefined
let now = Number(process.env.HAND_POST_CLOCK_START) || Date.now()

try {
  const settings = readSettings(process.env)
  const log = pino({ level: settings.HAND_POST_LOG })
  const handPost: PublicAlone & Partial<Pick<HandPost, 'parts'>> = servesPublicAlone(settings)
    ? await startPublicAlone(settings, log)
    : await startHandPost({
        settings,
        clock: setClock ? { now: () => now } : undefined,
        webFolder: join(import.meta.dirname, '..', '..', 'web', 'dist'),
        log,
      })
  let ending = false
  const end = () => {
    if (ending) return
    ending = true
    void handPost.close().then(() => process.exit(0))
  }
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, end)
  process.on('disconnect', end)
  process.on('message', async (message: { clock?: number }) => {
    if (!setClock || handPost.parts === undefined || typeof message.clock !== 'number') return
    now = message.clock
    await handPost.parts.dispatcher.wakeAll()
    await handPost.parts.dispatcher.settled()
    await handPost.parts.inbox.readAll()
    process.send?.({ settled: now })
  })
  endWhenBroken(handPost)
  const { address, publicUrl, warnings } = handPost
  for (const words of warnings) console.error(`Attention: ${words}`)
  process.send?.({ ready: true, address, publicUrl })
  if (!process.send) console.log(`Hand Post is ready at ${address}`)
} catch (error) {
  console.error(`Hand Post did not start. ${error instanceof Error ? error.message : error}`)
  process.exit(1)
}
