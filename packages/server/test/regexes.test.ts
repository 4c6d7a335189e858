import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { check } from 'recheck'
import { expect, test } from 'vitest'
import { hostileText, type Listed, regexesInCode, timeOf } from './regexes.ts'

const listed: Listed[] = JSON.parse(readFileSync(join(import.meta.dirname, 'regexes.json'), 'utf8'))
const keyOf = ({ file, source, flags }: Listed) => `${file} /${source}/${flags}`

test('every regular expression of the code stands in the list, and nothing else (node --import tsx scripts/regexes.ts adds new ones)', () => {
  expect(listed.map(keyOf).sort()).toEqual(regexesInCode().map(keyOf).sort())
  expect(listed.length).toBeGreaterThan(200)
  for (const one of listed) expect(one.hostile !== undefined, keyOf(one)).toBe(one.bounded === undefined)
})

test('each goes through a megabyte that was made for it within 100 ms', () => {
  const slow = listed
    .filter((one) => one.hostile)
    .map((one) => {
      // By little first: one whose time grows faster than its text would not come back from a megabyte.
      const little = timeOf(one, hostileText(one.hostile!, 20_000))
      return { key: keyOf(one), ms: little > 50 ? little * 50 : timeOf(one, hostileText(one.hostile!, 1_000_000)) }
    })
    .filter(({ ms }) => ms > 100)
  expect(slow).toEqual([])
})

test('what is bounded is bounded for a reason that is said', () => {
  for (const one of listed.filter((l) => l.bounded)) expect(one.bounded!.length).toBeGreaterThan(20)
  expect(listed.filter((l) => l.bounded).length).toBeLessThan(12)
})

// recheck finds expressions whose time grows faster than their text, by the theory of their automata: an eye from outside this project.
test('the checker finds an attack where there is one, and the hostile text that it makes takes long', async () => {
  const bad = { file: '', source: '^(a+)+$', flags: '' }
  const judged = await check(bad.source, bad.flags, { timeout: 5000 })
  expect(judged.status).toBe('vulnerable')
  if (judged.status === 'vulnerable')
    expect(
      timeOf({ source: '\\s+$', flags: '' }, hostileText({ prefix: '', pump: ' ', suffix: 'x' }, 50_000)),
    ).toBeGreaterThan(100)
})
