import { routes } from '@hand-post/contract'
import { letters, models, tables } from '../packages/server/test/hostile.ts'
import { watch } from '../packages/server/test/program.ts'
import { print, small } from './measure.ts'
import { startProgram } from './program.ts'

// How long the running program keeps others waiting while it is given what was made to stop whoever reads it. What the machine itself was
// late by stands beside it.
const { ask, address, child, end } = await startProgram()
const params = { round: (await ask(routes.startRound, { body: { title: 'Measured' } })).id }
/** What is refused is answered too. */
const refused = () => {}
const works: [name: string, work: () => Promise<unknown>][] = [
  ...tables.map(([name, file]): (typeof works)[number] => {
    const made = file()
    return [name, () => ask(routes.readFile, { query: { name }, file: made }).catch(refused)]
  }),
  ...letters.map(([name, file]): (typeof works)[number] => {
    const made = file()
    return [name, () => ask(routes.bringInLetter, { params, query: { name }, file: made }).catch(refused)]
  }),
  ...models.map(([name, file]): (typeof works)[number] => {
    const made = file()
    return [name, () => ask(routes.addModel, { params, query: { name }, file: made }).catch(refused)]
  }),
  [
    'ten million brackets',
    () =>
      fetch(`${address}/api/rounds`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: '['.repeat(10_000_000),
      }).then((answer) => answer.arrayBuffer()),
  ],
]
// Settled before it is watched: threads that are starting take their time.
await ask(routes.readFile, { query: { name: 'first.csv' }, file: Buffer.from('Name,Email\nAda,ada@village.example\n') })
const stop = watch({ address, child })
for (const [, work] of small ? works.slice(-3) : works) await work()
const { slowest, late, failed } = await stop()
await end()
if (failed) throw new Error(failed)
print({
  name: 'Longest answer while hostile files are given, beside what the machine was late by',
  ours: slowest,
  baseline: late,
  unit: 'ms',
  asked: 'at most 200 ms, without four times what the machine was late by',
  kept: slowest - 4 * late < 200,
})
