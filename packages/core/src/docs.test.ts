import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import * as core from './index.ts'

const sources = ['.', '../../contract/src'].flatMap((folder) =>
  readdirSync(join(import.meta.dirname, folder), { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.ts') && !name.endsWith('.test.ts'))
    .map((name) => ({ name, lines: readFileSync(join(import.meta.dirname, folder, name), 'utf8').split('\n') })),
)
const exported = /^export (?:async )?(?:function\*?|class) (\w+)|^export const (\w+)[^=]*= (?:async )?(?:\(|<|\w+ =>)/

test('every exported function of core and contract says what it does', () => {
  const silent = sources.flatMap(({ name, lines }) =>
    lines.flatMap((line, i) => {
      const found = exported.exec(line)
      // Of one written several times over (overloads), the first says it.
      return found && !lines[i - 1]?.endsWith('*/') && !lines[i - 1]?.includes(` ${found[1] ?? found[2]}(`)
        ? [`${name}, line ${i + 1}: ${line}`]
        : []
    }),
  )
  expect(silent).toEqual([])
})

/** `@example code // value` in doc comments: what the code gives is the value, both as JavaScript writes them. */
const examples = sources.flatMap(({ name, lines }) =>
  lines.flatMap((line) => {
    const [, code, value] = /^\s*\/?\*+ @example (.+?) \/\/ (.+?)(?: \*\/)?$/.exec(line) ?? []
    return code ? [{ name, code, value }] : []
  }),
)
const run = (code: string) => new Function('core', `with (core) { return (${code}) }`)(core)

test('there are examples to run', () => expect(examples.length).toBeGreaterThan(15))
test.each(examples)('$name: $code', ({ code, value }) => expect(run(code)).toEqual(run(value)))
