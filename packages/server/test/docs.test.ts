import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { join, sep } from 'node:path'
import { expect, test } from 'vitest'
import { checksPage } from '../../../scripts/checksPage.ts'

const root = join(import.meta.dirname, '../../..')

test('the page of checks in the docs is the one that the code makes', () => {
  const page = readFileSync(join(root, 'docs/checks.md'), 'utf8')
  expect(page).toBe(checksPage())
})

test('every file that the docs name is there', () => {
  const files = ['packages', 'e2e', 'scripts', 'bench', 'demo'].flatMap((folder) =>
    readdirSync(join(root, folder), { recursive: true, encoding: 'utf8' })
      .filter((name) => !name.includes('node_modules'))
      .map((name) => `/${folder}/${name.replaceAll(sep, '/')}`),
  )
  const isThere = (path: string) => existsSync(join(root, path)) || files.some((file) => file.endsWith(`/${path}`))
  const pages = ['README.md', ...readdirSync(join(root, 'docs')).map((name) => `docs/${name}`)]
  const lacking = pages
    .filter((page) => page.endsWith('.md'))
    .flatMap((page) =>
      [...readFileSync(join(root, page), 'utf8').matchAll(/`([\w./-]+\.(?:tsx?|mjs|sql))`/g)]
        .map(([, path]) => path)
        .filter((path) => !path.includes('NNN_') && !isThere(path))
        .map((path) => `${page}: ${path}`),
    )
  expect(lacking).toEqual([])
})
