import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { rooms } from '../../../.dependency-cruiser.mjs'

const root = join(import.meta.dirname, '../../..')

test('each direct dependency stands in docs/architecture.md with why it is there, and nothing else does', () => {
  const packages = ['.', 'demo', ...readdirSync(join(root, 'packages')).map((name) => `packages/${name}`)]
  const wanted = new Set(
    packages.flatMap((path) => {
      const { dependencies = {}, devDependencies = {} } = JSON.parse(
        readFileSync(join(root, path, 'package.json'), 'utf8'),
      )
      return Object.keys({ ...dependencies, ...devDependencies })
    }),
  )
  const [, section] = readFileSync(join(root, 'docs/architecture.md'), 'utf8').split('## Dependencies\n')
  const table = [...section.split('\n## ')[0].matchAll(/^\| ([^|]+) \| ([^|]+) \|$/gm)].slice(1)
  const told = table.flatMap(([, names, why]) => {
    expect(why.trim().length, names).toBeGreaterThan(3)
    return names.trim().split(', ')
  })
  expect(told.sort()).toEqual([...wanted].sort())
})

test('what is installed is held to its digest by the lock file', () => {
  const { packages } = JSON.parse(readFileSync(join(root, 'package-lock.json'), 'utf8')) as {
    packages: Record<string, { inBundle?: boolean; link?: boolean; integrity?: string }>
  }
  for (const [path, { link, integrity, inBundle }] of Object.entries(packages))
    if (path.startsWith('node_modules/') && !link && !inBundle) expect(integrity, path).toMatch(/^sha512-/)
})

test('stores write their JSON by the one function that makes texts fit', () => {
  const stores = readdirSync(join(root, 'packages/server/src'), { recursive: true, encoding: 'utf8' }).filter((file) =>
    /[sS]tore\.ts$/.test(file),
  )
  expect(stores.length).toBeGreaterThan(7)
  for (const file of stores) {
    const text = readFileSync(join(root, 'packages/server/src', file), 'utf8')
    // What is compared, or searched through, here is not written.
    const others = text
      .split('\n')
      .filter((line) => line.includes('JSON.stringify(') && !/toLowerCase\(\)|last\.letter/.test(line))
    expect(others, file).toEqual([])
  }
})

test('the tables of rooms in docs/architecture.md are what the checker holds the code to', () => {
  const page = readFileSync(join(root, 'docs/architecture.md'), 'utf8')
  for (const [part, floors] of Object.entries(rooms)) {
    const [table] = page.split(`| ${part} | uses those above it |\n|---|---|\n`)[1].split('\n\n')
    const told = table.split('\n').map((line) => line.split('|')[1].trim().split(', '))
    expect(told, part).toEqual(floors.map((floor) => [floor].flat()))
  }
})
