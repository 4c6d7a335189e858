import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { checksPage } from '../../../scripts/checksPage.ts'

test('the page of checks in the docs is the one that the code makes', () => {
  const page = readFileSync(join(import.meta.dirname, '../../../docs/checks.md'), 'utf8')
  expect(page).toBe(checksPage())
})
