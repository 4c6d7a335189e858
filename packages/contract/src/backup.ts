import { z } from 'zod'
import { route } from './route.ts'

/** Characters that a passphrase has at least. */
export const shortestPassphrase = 12

/** The calls for copies of everything. */
export const backupRoutes = {
  backups: route({
    method: 'GET',
    path: '/api/backups',
    wants: 'keeper',
    summary: 'When a copy of everything was made last, and whether this is one that was put back',
    answer: z.object({
      /** Why none can be made from here, in words; null where one can. */
      cannot: z.string().nullable(),
      last: z.object({ madeAt: z.number(), size: z.number(), withKey: z.boolean() }).nullable(),
      /** Of when the copy was that was put back here, when that was, and how many letters and copies waited in it. */
      restored: z
        .object({ madeAt: z.number(), restoredAt: z.number(), letters: z.number(), copies: z.number() })
        .nullable(),
    }),
  }),
  makeBackup: route({
    method: 'POST',
    path: '/api/backups',
    wants: 'keeper',
    summary:
      'Make a copy of everything as one zip, while letters leave. It can be fetched for an hour. With a passphrase it has the key in it, sealed; without one the key must be kept apart',
    body: z.object({
      passphrase: z
        .string()
        .min(shortestPassphrase, `A passphrase must have at least ${shortestPassphrase} characters.`)
        .max(1000)
        .nullable(),
    }),
    answer: z.object({
      backup: z.string(),
      name: z.string(),
      size: z.number(),
      /** Files that could not be copied because they are not on the disk as they were added: by what they are called. */
      damaged: z.array(z.string()),
    }),
  }),
  backup: route({
    method: 'GET',
    path: '/api/backups/:backup',
    wants: 'keeper',
    summary: 'A copy of everything that was made',
    params: z.object({ backup: z.string().regex(/^[0-9a-f]{32}$/, 'No copy is called that.') }),
    gives: 'application/zip',
    answer: z.string(),
  }),
}
