// Makes the list of regular expressions (packages/server/test/regexes.json) anew: each that stands in the code, with a hostile text made
// for it by a checker that looks for expressions whose time grows faster than their text. What is said there by hand stays.
import { execFileSync } from 'node:child_process'
import { readFileSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { check } from 'recheck'
import { type Listed, regexesInCode } from '../packages/server/test/regexes.ts'

const listFile = new URL('../packages/server/test/regexes.json', import.meta.url)
const before: Listed[] = JSON.parse(readFileSync(listFile, 'utf8'))
const keyOf = ({ file, source, flags }: Listed) => `${file} ${source} ${flags}`
const known = new Map(before.map((one) => [keyOf(one), one]))

const list: Listed[] = []
for (const one of regexesInCode()) {
  const kept = known.get(keyOf(one))
  if (kept) {
    list.push(kept)
    continue
  }
  const judged = await check(one.source, one.flags, { timeout: 2000 })
  if (judged.status === 'vulnerable') {
    const [first] = judged.attack.pumps
    list.push({
      ...one,
      hostile: { prefix: first?.prefix ?? '', pump: first?.pump || 'a', suffix: judged.attack.suffix },
    })
    console.log(`${judged.complexity.summary}: ${keyOf(one)}`)
    continue
  }
  // Nothing was found that it is slow for: its own words, again and again, and something that it does not end with.
  const own = one.source.replace(/\\[a-z]|\{\d*,?\d*\}/gi, '').match(/[a-z<={@:-]+/gi) ?? []
  list.push({
    ...one,
    hostile: { prefix: '', pump: own.sort((a, b) => b.length - a.length)[0] || ' ', suffix: '\u0000' },
  })
}
writeFileSync(listFile, JSON.stringify(list))
execFileSync('npx', ['biome', 'format', '--write', fileURLToPath(listFile)])
