import { randomBytes } from 'node:crypto'
import { rm, stat } from 'node:fs/promises'
import { join } from 'node:path'

/** How long (ms) a file is kept for being fetched, and how many at once. */
const keptFor = 60 * 60_000
const mostKept = 3

/** A file that lies ready. */
interface Kept {
  path: string
  name: string
  size: number
}

/** Large files that were made and are to be fetched: for an hour, the latest few. What is left of them at an end goes with its folder. */
export class MadeFiles {
  private readonly kept = new Map<string, Kept>()

  /** @param kind how its files begin in the folder. */
  constructor(
    private readonly folder: string,
    private readonly kind: string,
  ) {}

  /** Makes a file. `write` writes it to a path, and gives what it is called; when it fails, nothing is left of it. */
  async make(write: (path: string) => Promise<string>): Promise<{ made: string; name: string; size: number }> {
    const made = randomBytes(16).toString('hex')
    const path = join(this.folder, `${this.kind}-${made}`)
    try {
      const name = await write(path)
      const { size } = await stat(path)
      this.kept.set(made, { path, name, size })
      for (const old of [...this.kept.keys()].slice(0, -mostKept)) await this.forget(old)
      setTimeout(() => void this.forget(made), keptFor).unref()
      return { made, name, size }
    } catch (error) {
      await rm(path, { force: true })
      throw error
    }
  }

  get(made: string): Kept | undefined {
    return this.kept.get(made)
  }

  private async forget(made: string): Promise<void> {
    const one = this.kept.get(made)
    this.kept.delete(made)
    if (one) await rm(one.path, { force: true })
  }
}
