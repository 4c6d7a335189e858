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
/** What is given, each made when its turn comes to be prepared. */
const given: [name: string, prepare: () => () => Promise<unknown>][] = [
  ...tables.map(([name, file]): (typeof given)[number] => [
    name,
    () => {
      const made = file()
      return () => ask(routes.readFile, { query: { name }, file: made }).catch(refused)
    },
  ]),
  ...letters.map(([name, file]): (typeof given)[number] => [
    name,
    () => {
      const made = file()
      return () => ask(routes.bringInLetter, { params, query: { name }, file: made }).catch(refused)
    },
  ]),
  ...models.map(([name, file]): (typeof given)[number] => [
    name,
    () => {
      const made = file()
      return () => ask(routes.addModel, { params, query: { name }, file: made }).catch(refused)
    },
  ]),
  [
    'ten million brackets',
    () => {
      const body = '['.repeat(10_000_000)
      return () =>
        fetch(`${address}/api/rounds`, { method: 'POST', headers: { 'content-type': 'application/json' }, body }).then(
          (answer) => answer.arrayBuffer(),
        )
    },
  ],
]
// All are made before the watch begins: making them keeps this program busy, and not the one that is watched.
const works = (small ? given.slice(-2) : given).map(([, prepare]) => prepare())
// Settled before it is watched: threads that are starting take their time.
await ask(routes.readFile, { query: { name: 'first.csv' }, file: Buffer.from('Name,Email\nAda,ada@village.example\n') })
const stop = watch({ address, child })
for (const work of works) await work()
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
