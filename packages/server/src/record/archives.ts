import { randomBytes } from 'node:crypto'
import { rm, stat } from 'node:fs/promises'
import { join } from 'node:path'

/** How long (ms) an archive is kept for being fetched, and how many at once. */
const keptFor = 60 * 60_000
const mostKept = 3

/** An archive that lies ready. */
interface Kept {
  path: string
  name: string
  size: number
}

/** Archives that were made and are to be fetched: for an hour, the latest few. What is left of them at an end goes with its folder. */
export class Archives {
  private readonly kept = new Map<string, Kept>()

  constructor(private readonly folder: string) {}

  /** Makes an archive. `write` writes it to a path, and gives what it is called; when it fails, nothing is left of it. */
  async make(write: (path: string) => Promise<string>): Promise<{ archive: string; name: string; size: number }> {
    const archive = randomBytes(16).toString('hex')
    const path = join(this.folder, `archive-${archive}`)
    try {
      const name = await write(path)
      const { size } = await stat(path)
      this.kept.set(archive, { path, name, size })
      for (const old of [...this.kept.keys()].slice(0, -mostKept)) await this.forget(old)
      setTimeout(() => void this.forget(archive), keptFor).unref()
      return { archive, name, size }
    } catch (error) {
      await rm(path, { force: true })
      throw error
    }
  }

  get(archive: string): Kept | undefined {
    return this.kept.get(archive)
  }

  private async forget(archive: string): Promise<void> {
    const one = this.kept.get(archive)
    this.kept.delete(archive)
    if (one) await rm(one.path, { force: true })
  }
}
