declare module 'mbox-reader' {
  import type { Readable } from 'node:stream'
  export function mboxReader(
    input: Readable,
  ): AsyncIterable<{ returnPath: string; time: Date | false; content: Buffer; headers: Map<string, string[]> }>
}
