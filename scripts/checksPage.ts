import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { checks } from '../packages/core/src/proof/checks.ts'

const grades = { stop: 'must be settled', ask: 'wants the writer’s word', note: 'is only said' }

/** The page of docs that lists every check of the proof. */
export function checksPage(): string {
  const lines = checks.map((c) => `| ${c.title} | ${c.grade} | ${c.looksAt} | \`${c.name}\` |`)
  return [
    '# What the proof checks',
    '',
    'Made from `packages/core/src/proof` by `node --import tsx scripts/checksPage.ts`. A **stop** must be settled, an **ask** wants the',
    'writer’s word, a **note** is only said. Every message of the round is made and checked, not a sample.',
    '',
    '| what is found | grade | looks at | name |',
    '|---|---|---|---|',
    ...lines,
    '',
    ...Object.entries(grades).map(
      ([grade, words]) =>
        `- ${checks.filter((c) => c.grade === grade).length} of grade **${grade}**: what it finds ${words}.`,
    ),
    '',
  ].join('\n')
}

if (process.argv[1] === fileURLToPath(import.meta.url))
  writeFileSync(join(import.meta.dirname, '../docs/checks.md'), checksPage())
