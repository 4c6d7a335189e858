// Checks which file uses which, against .dependency-cruiser.mjs: rooms use only rooms below them, and there are no circles.
import { createRequire } from 'node:module'
import { relative } from 'node:path'
import config from '../.dependency-cruiser.mjs'
import { root } from './prepare.mjs'

// The cruiser reads TypeScript by the parser of swc, and does not tell it where there is JSX.
const swc = createRequire(import.meta.url)('@swc/core')
const parse = swc.parseFileSync
swc.parseFileSync = (file, options) => parse(file, { ...options, tsx: file.endsWith('.tsx') })

const { cruise } = await import('dependency-cruiser')
process.chdir(root)
const { output } = await cruise(['packages'], {
  ...config.options,
  includeOnly: { path: '^packages/[^/]+/src/' },
  validate: true,
  ruleSet: { forbidden: config.forbidden },
})
const { violations, totalCruised, totalDependenciesCruised } = output.summary
for (const { rule, from, to, cycle } of violations)
  console.error(
    `${rule.name}: ${relative('packages', from)} → ${(cycle ?? [{ name: to }]).map((one) => relative('packages', one.name)).join(' → ')}`,
  )
console.log(`${totalCruised} files, ${totalDependenciesCruised} uses, ${violations.length} against the rules.`)
if (violations.length > 0 || totalCruised < 100) process.exit(1)
