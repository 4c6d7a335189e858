import { vi } from 'vitest'

/**
 * Waits until what `check` expects holds, for as long as a busy machine may take; of itself Vitest gives it a second.
 * @returns what `check` returns.
 */
export const until = <T>(check: () => T | Promise<T>): Promise<T> => vi.waitFor(check, { timeout: 15_000 })
