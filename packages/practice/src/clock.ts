/** Where the practice host takes the time from. */
export interface Clock {
  now(): number
}

export const systemClock: Clock = { now: () => Date.now() }
