/** Fixed text and the numbers of places to be filled. */
export type Run = (string | number)[]
/** What a message's body is written into. */
export interface Out {
  html: string
  text: string
}
/** Writes its part of the letter for the person in hand. */
export type Write = (out: Out) => void

/** Adds to a run, joining neighbouring fixed words. */
export function add(run: Run, ...parts: Run): void {
  for (const part of parts) {
    const last = run.length - 1
    if (part === '') continue
    if (typeof part === 'string' && typeof run[last] === 'string') run[last] += part
    else run.push(part)
  }
}
/** A run with its places filled. */
export function fill(run: Run, values: readonly string[]): string {
  let out = ''
  for (const part of run) out += typeof part === 'string' ? part : values[part]
  return out
}
