import { readdirSync, readFileSync } from 'node:fs'
import { join, relative } from 'node:path'
import { parseAst } from 'vite'
import { expect, test } from 'vitest'

// All words of the interface stand in the words files of the rooms: a component has none of its own between its tags, or in what is
// shown of an attribute.
const root = join(import.meta.dirname, '../src')
const components = readdirSync(root, { recursive: true, encoding: 'utf8' }).filter(
  (name) => /\.tsx$/.test(name) && !/\.test\.tsx$|^testing/.test(name),
)
const shown = new Set(['label', 'title', 'aria-label', 'placeholder', 'hint', 'legend', 'alt', 'none'])
const hasWords = (text: string) => /\p{L}{2,}/u.test(text.replace(/&\w+;/g, ''))

interface Node {
  type: string
  [key: string]: unknown
}

/** The words that stand in a component itself. */
function wordsIn(source: string): string[] {
  const found: string[] = []
  const visit = (node: unknown): void => {
    if (Array.isArray(node)) return node.forEach(visit)
    if (typeof node !== 'object' || node === null) return
    const { type } = node as Node
    if (type === 'JSXText' && hasWords((node as Node).value as string))
      found.push(((node as Node).value as string).trim())
    if (type === 'JSXAttribute') {
      const { name, value } = node as unknown as { name: { name: string }; value: Node | null }
      if (shown.has(name.name) && value?.type === 'Literal' && hasWords(value.value as string))
        found.push(`${name.name}="${value.value}"`)
    }
    for (const inner of Object.values(node)) visit(inner)
  }
  visit(parseAst(source, { lang: 'tsx' } as never))
  return found
}

test('a word between tags, and in an attribute that is shown, is found', () => {
  expect(wordsIn('const a = <p title="Look">Some words {name}</p>')).toEqual(['title="Look"', 'Some words'])
  expect(wordsIn('const a = <p className="flex text-lg">{say.words}, {" "}· 1 {n}</p>')).toEqual([])
})

test('no component has words of its own', () => {
  expect(components.length).toBeGreaterThan(80)
  const found = components.flatMap((name) =>
    wordsIn(readFileSync(join(root, name), 'utf8')).map((words) => `${relative(root, join(root, name))}: ${words}`),
  )
  expect(found).toEqual([])
})
