import type { FindingEntry, Proof } from '@hand-post/contract'
import { expect, test } from 'vitest'
import { withRenewed } from './renewFindings.ts'

const finding = (check: string, rowId: number | null, grade: FindingEntry['grade'] = 'stop'): FindingEntry => ({
  key: `${check}:${rowId}`,
  check,
  title: check,
  grade,
  rowId,
  person: null,
  message: '',
  mends: [],
  accepted: null,
})
const keys = (proof: Proof) => proof.findings.map((f) => f.key)

test('findings of who changed give way to those of now; what reads through files, and others, stay', () => {
  const proof: Proof = {
    people: 3,
    unread: 0,
    findings: [finding('blank', 1), finding('blank', 2), finding('file', 1), finding('letter', null, 'ask')],
    stops: 3,
    asks: 1,
    mayPost: false,
  }
  const now = withRenewed(proof, [1], { findings: [finding('address', 1), finding('blank', 1)], left: ['file'] })
  expect(keys(now)).toEqual(['address:1', 'blank:2', 'blank:1', 'file:1', 'letter:null'])
  expect(now).toMatchObject({ stops: 4, asks: 1, mayPost: false })
  const everywhere = { ...finding('day', null), message: 'In every message: a Tuesday.' }
  const said = withRenewed({ ...proof, findings: [everywhere] }, [1], {
    findings: [{ ...finding('day', 1), message: 'a Tuesday.' }],
    left: [],
  })
  expect(keys(said)).toEqual(['day:null'])
  // Settled as it may look, only the whole proof lets a round be posted.
  const settled = withRenewed({ ...proof, findings: [finding('blank', 1)], asks: 0 }, [1], { findings: [], left: [] })
  expect(settled).toMatchObject({ findings: [], stops: 0, asks: 0, mayPost: false })
})
