import { Transform } from 'node:stream'
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
