import type { Board } from '@hand-post/contract'
import { expect, test } from 'vitest'
import { draw } from '../testing/fakeDesk.tsx'
import { TimelineChart } from './TimelineChart.tsx'

const person = (n: number, of: 'person' | 'copy' | 'perhaps' | 'no' | null): Board['people'][number] => ({
  messageId: n,
  rowId: n,
  person: `Person ${n}`,
  address: `p${n}@village.example`,
  outcome: of === 'person' ? 'replied' : 'sent',
  sentAt: 1000 * n,
  lastAt: null,
  reason: null,
  word: null,
  version: 1,
  responses:
    of === null
      ? []
      : [{ id: n, kind: 'reply', at: 90_000 * n, automatic: false, from: '', subject: '', words: '', of, status: '' }],
})

test('the chart counts what the board counts: what is the person’s, and neither a copy’s nor what may be an answer', async () => {
  const people = [person(1, 'person'), person(2, 'copy'), person(3, 'perhaps'), person(4, 'no'), person(5, null)]
  const { screen } = await draw(<TimelineChart board={{ people } as unknown as Board} />)
  await expect.element(screen.getByText('5 sent')).toBeVisible()
  await expect.element(screen.getByText('1 replied')).toBeVisible()
})
