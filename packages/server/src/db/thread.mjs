// Worker threads do not inherit the reading of TypeScript from the thread that starts them, so each sets it up first.
import { workerData } from 'node:worker_threads'
import { register } from 'tsx/esm/api'

register()
await import(workerData.file)
