// Worker threads do not inherit the reading of TypeScript from the thread that starts them, so each that needs it sets it up first.
import { workerData } from 'node:worker_threads'

if (workerData.file.endsWith('.ts')) (await import('tsx/esm/api')).register()
await import(workerData.file)
