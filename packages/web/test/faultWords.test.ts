import { ProblemError } from '@hand-post/contract'
import { WishRefused } from '@hand-post/core'
import { expect, test, vi } from 'vitest'
import { faultWords, Told } from '../src/api.ts'

test('what is said to people is what was written for them: of anything else only that it happened', () => {
  const noted = vi.spyOn(console, 'error').mockImplementation(() => {})
  const problem = { type: 'about:blank', title: 'No', status: 409, detail: 'The round is being posted.' }
  expect(faultWords(new ProblemError(problem))).toBe('The round is being posted.')
  expect(faultWords(new Told('“a.pdf” is empty.'))).toBe('“a.pdf” is empty.')
  expect(faultWords(new WishRefused('gone', 'There is no such column.', 'No such column'))).toBe(
    'There is no such column.',
  )
  expect(noted).not.toHaveBeenCalled()
  for (const error of [new TypeError('Failed to fetch'), new RangeError('Invalid array length'), 'x', null]) {
    expect(faultWords(error)).toMatch(/^Something went wrong in this page\. What you have written is kept/)
    expect(noted).toHaveBeenLastCalledWith(error)
  }
})
