import { tz } from '@date-fns/tz'
import { format } from 'date-fns'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { type LastLook, unusualThings } from './unusual.ts'

const usual: LastLook = {
  // A Thursday, nine and ten in the morning, in London.
  departures: [Date.parse('2026-11-26T09:00:00Z'), Date.parse('2026-11-26T10:00:00Z')],
  zone: 'Europe/London',
  counts: {
    list: 60,
    round: 58,
    onPaper: 0,
    byRule: 2,
    setAside: 0,
    doNotWrite: 0,
    joined: 0,
    sameAddress: 0,
    notChased: 0,
  },
  readingSet: 6,
  read: 2,
}
const said = (changes: Partial<LastLook>) => unusualThings({ ...usual, ...changes })

describe('what is unusual before posting', () => {
  test('nothing, where all is as usual; nothing leaves where nobody is written to', () => {
    expect(said({})).toEqual([])
    expect(said({ departures: [], readingSet: 0 })).toEqual([])
  })
  test('a Saturday at three in the morning', () => {
    expect(said({ departures: [Date.parse('2026-11-28T03:00:00Z')] })).toEqual([
      'The letter leaves at night or at the weekend, on Saturday 28 November at 03:00.',
    ])
  })
  test('some letters at night, by the clock of the mailbox and not of the machine', () => {
    expect(
      said({
        zone: 'Asia/Tokyo',
        departures: [Date.parse('2026-11-26T09:00:00Z'), Date.parse('2026-11-26T15:30:00Z')],
      }),
    ).toEqual(['1 of 2 letters leaves at night or at the weekend, on Friday 27 November at 00:30.'])
    expect(said({ departures: ['20:59', '21:00', '22:00'].map((at) => Date.parse(`2026-11-26T${at}:00Z`)) })).toEqual([
      '2 of 3 letters leave at night or at the weekend, the first on Thursday 26 November at 21:00.',
    ])
  })
  test('that nobody has read a message, and that a third is left out', () => {
    expect(said({ read: 0 })).toEqual([
      'Nobody has read any of the 6 messages that show every variation of the letter.',
    ])
    expect(said({ read: 0, readingSet: 1 })).toEqual([
      'Nobody has read the message that shows the letter as it goes out.',
    ])
    expect(said({ counts: { ...usual.counts, round: 40, byRule: 18, setAside: 2 } })).toEqual([
      '20 of the 60 people in the list get no letter. 60 in the list, 40 in this round: 18 left out by rule, 2 set aside.',
    ])
    expect(said({ counts: { ...usual.counts, round: 41, byRule: 19 } })).toEqual([])
  })
  test('day and hour are those that date-fns finds in the zone, also where clocks change', () => {
    const zones = fc.constantFrom('Europe/London', 'America/St_Johns', 'Australia/Lord_Howe', 'Asia/Kathmandu', 'UTC')
    fc.assert(
      fc.property(
        zones,
        fc.date({ min: new Date('2026-01-01'), max: new Date('2027-12-31'), noInvalidDate: true }),
        (zone, date) => {
          const there = (pattern: string) => Number(format(date, pattern, { in: tz(zone) }))
          const odd = there('i') > 5 || there('H') >= 21 || there('H') < 7
          expect(said({ zone, departures: [date.getTime()] })).toHaveLength(odd ? 1 : 0)
        },
      ),
    )
  })
})
