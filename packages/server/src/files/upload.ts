import { type Readable, Transform, type Writable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { Refusal } from '../problem.ts'

/** Passes a stream on as long as it is within `largest` octets, and fails with `words` when it is not. */
export function limited(largest: number, words: string): Transform {
  let size = 0
  return new Transform({
    transform(chunk: Buffer, _encoding, done) {
      size += chunk.length
      if (size > largest) done(new Refusal(413, `${words} Nothing was stored.`, 'File too large'))
      else done(null, chunk)
    },
  })
}

/**
 * Takes a request's body in, through a limit, into a target. When that fails, what is still on its way is read and dropped:
 * to break the connection off instead would lose the words that say why.
 */
export async function receive(content: Readable, within: Transform, target: Writable): Promise<void> {
  if (content.errored) throw content.errored
  content.on('error', (error) => within.destroy(error))
  content.pipe(within)
  try {
    await pipeline(within, target)
  } catch (error) {
    content.unpipe(within)
    content.resume()
    throw error
  }
}
