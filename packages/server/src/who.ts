import { AsyncLocalStorage } from 'node:async_hooks'

/** Whoever acts: an account, by its number and its name at that time; null where nobody signs in, and for what Hand Post does by itself. */
export type Who = { id: number; name: string } | null

const acting = new AsyncLocalStorage<Who>()

/** Who acts in whatever is running just now. */
export const whoActs = (): Who => acting.getStore() ?? null

/** Runs something in somebody's name, also what it waits for. */
export const actAs = <T>(who: Who, work: () => T): T => acting.run(who, work)
