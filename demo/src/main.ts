import { join } from 'node:path'
import { makeDemo } from './history.ts'

// Makes the demo's world in the folders that the environment names. Started by scripts/run.mjs.
const env = process.env
await makeDemo(
  {
    files: env.DEMO_FILES!,
    mannersFile: env.PRACTICE_MANNERS!,
    deskPort: Number(env.HAND_POST_PORT),
    root: join(import.meta.dirname, '..', '..'),
  },
  (words) => console.log(`  ${words}…`),
)
