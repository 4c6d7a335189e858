import fc from 'fast-check'
import { expect, test } from 'vitest'
import { inKeptOrder, placeOf } from './keptPlaces.ts'

const ids = fc
  .uniqueArray(fc.integer({ min: 1, max: 60 }), { maxLength: 40, size: 'max' })
  .map((all) => all.map((id) => ({ id })))

test('a place follows what stands there, and stays near when that is gone', () => {
  fc.assert(
    fc.property(ids, ids, fc.nat(50), (before, after, at) => {
      const id = before[at]?.id ?? null
      const place = placeOf(after, { id, at })
      if (id !== null && after.some((one) => one.id === id)) expect(after[place].id).toBe(id)
      else expect(place).toBe(Math.min(at, Math.max(after.length - 1, 0)))
    }),
  )
})

test('a kept order has every row once, those that were there as they were, and the new ones after them', () => {
  fc.assert(
    fc.property(ids, ids, (before, after) => {
      const kept = inKeptOrder(after, { ids: before.map((r) => r.id), row: 0 })
      expect(kept.map((r) => r.id).sort()).toEqual(after.map((r) => r.id).sort())
      const there = new Set(after.map((r) => r.id))
      const stayed = before.filter((r) => there.has(r.id)).map((r) => r.id)
      expect(kept.slice(0, stayed.length).map((r) => r.id)).toEqual(stayed)
      expect(inKeptOrder(after, null)).toBe(after)
    }),
  )
})
