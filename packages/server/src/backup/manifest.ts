import { z } from 'zod'

const hash = z.string().regex(/^[0-9a-f]{64}$/)

/** The part of a copy that says what is in it. */
export const manifestName = 'backup.json'
/** The note by which a data folder knows that it was put back from a copy: it lies in the copy itself, however that is unpacked. */
export const restoredName = 'restored.json'
/** The key, sealed by a passphrase. */
export const sealedKeyName = 'key.sealed'

/** What is in a copy. */
export const manifestSchema = z.strictObject({
  format: z.literal('hand-post-backup'),
  version: z.literal(1),
  id: z.string().max(100),
  /** ms since 1970. */
  madeAt: z.number(),
  /** The migrations that its database has had, in order. */
  migrations: z.array(z.string().max(200)).max(10_000),
  key: z.enum(['apart', 'sealed']),
  parts: z
    .array(z.strictObject({ path: z.string().max(400), size: z.number().int().min(0), sha256: hash }))
    .max(5_000_000),
  /** The folders of the database: those that are empty, too, for it does not open without them. */
  folders: z.array(z.string().max(400)).max(10_000),
  /** Contents that could not be copied, by hash and name. */
  damaged: z.array(z.strictObject({ hash, name: z.string() })).max(1_000_000),
})
export type Manifest = z.infer<typeof manifestSchema>

/** What the note in a data folder says that was put back. */
export const restoredSchema = z.object({ id: z.string(), madeAt: z.number() })

/** Paths that a folder, and a part, of a copy may have: nothing leads out of the folder. */
export const isFolderPath = (path: string): boolean =>
  /^database(?:\/[A-Za-z0-9_][A-Za-z0-9_.-]{0,100}){0,8}$/.test(path)
export const isPartPath = (path: string): boolean =>
  /^(?:database(?:\/[A-Za-z0-9_][A-Za-z0-9_.-]{0,100}){1,8}|files\/[0-9a-f]{2}\/[0-9a-f]{64}|restored\.json|key\.sealed)$/.test(
    path,
  )
