import { monitorEventLoopDelay } from 'node:perf_hooks'
import { Worker } from 'node:worker_threads'

const beside = `
  const { parentPort } = require('node:worker_threads')
  let late = 0, last = performance.now()
  const timer = setInterval(() => {
    const now = performance.now()
    late = Math.max(late, now - last - 5)
    last = now
  }, 5)
  parentPort.postMessage('begun')
  parentPort.once('message', () => { clearInterval(timer); parentPort.postMessage(late) })`

/**
 * The longest (ms) that this thread was held up while something was done, without what the machine itself was late by: other tests run
 * beside this one, and a thread that does nothing else tells how long they kept it waiting.
 */
export async function heldUp(work: () => Promise<unknown>): Promise<number> {
  const worker = new Worker(beside, { eval: true })
  await new Promise((begun) => worker.once('message', begun))
  const delay = monitorEventLoopDelay({ resolution: 5 })
  delay.enable()
  await work()
  delay.disable()
  const late = new Promise<number>((told) => worker.once('message', told))
  worker.postMessage('end')
  return delay.max / 1e6 - 3 * (await late)
}
