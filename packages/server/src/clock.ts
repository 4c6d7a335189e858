/** Where the server takes the time from. Milliseconds since 1970. */
export interface Clock {
  now(): number
}

export const systemClock: Clock = { now: () => Date.now() }
