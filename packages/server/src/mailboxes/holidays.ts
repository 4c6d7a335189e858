import type { MailboxHours } from '@hand-post/contract'
import { type DaysOff, dayNumber, dayWritten } from '@hand-post/core'
import type Holidays from 'date-holidays'
import { Refusal } from '../problem.ts'

const day = 24 * 60 * 60 * 1000

/** The package with the world's holidays, loaded when holidays are first asked for: that takes a quarter of a second in every thread. */
const holidayPackage = async (): Promise<typeof Holidays> => (await import('date-holidays')).default

/** A country or one of its regions, by its code (ISO 3166). */
export interface Place {
  code: string
  name: string
}
const placesOf = (places: Record<string, string> | undefined): Place[] =>
  Object.entries(places ?? {})
    .map(([code, name]) => ({ code, name }))
    .sort((a, b) => a.name.localeCompare(b.name))

/** The countries of which the public holidays are known. */
export async function countries(): Promise<Place[]> {
  const Calendar = await holidayPackage()
  return placesOf(new Calendar().getCountries('en'))
}

/** The regions of a country that have holidays of their own. */
export async function regionsOf(country: string): Promise<Place[]> {
  const Calendar = await holidayPackage()
  return placesOf(new Calendar().getStates(country, 'en'))
}

const known = new Map<string, DaysOff[]>()

/** The public holidays of a country and region in a year, in order. */
async function holidaysIn(country: string, region: string | null, year: number): Promise<DaysOff[]> {
  const key = `${country} ${region ?? ''} ${year}`
  let found = known.get(key)
  if (!found) {
    const Calendar = await holidayPackage()
    const calendar = region === null ? new Calendar(country) : new Calendar(country, region)
    found = (calendar.getHolidays(year, 'en') || [])
      .filter((holiday) => holiday.type === 'public')
      .map(({ date, name, start, end }) => {
        const from = date.slice(0, 10)
        const days = Math.max(1, Math.round((end.getTime() - start.getTime()) / day))
        return { from, to: dayWritten(dayNumber(from) + days - 1), name }
      })
    // Two names for one day, as in the year in which a substitute meets another holiday, are one day off all the same.
    found = found.filter((one, i) => found!.findIndex((other) => other.from === one.from) === i)
    known.set(key, found)
  }
  return found
}

/** For how many years, this one included, public holidays are reckoned with. */
const years = 3

/** The public holidays that a mailbox keeps, from the year of `now` on. */
export async function holidaysFrom(now: number, country: string, region: string | null): Promise<DaysOff[]> {
  const first = new Date(now).getUTCFullYear()
  const all = await Promise.all(Array.from({ length: years }, (_, i) => holidaysIn(country, region, first + i)))
  return all.flat()
}

/** The days off of a mailbox, public holidays included but for those that are worked. */
export async function daysOffOf({ off, holidays }: MailboxHours, now: number): Promise<DaysOff[]> {
  if (holidays === null) return off
  const worked = new Set(holidays.worked)
  const kept = (await holidaysFrom(now, holidays.country, holidays.region)).filter(({ from }) => !worked.has(from))
  return [...off, ...kept]
}

/** Throws a refusal for a country or region whose public holidays are not known. */
export async function checkHolidays({ holidays }: MailboxHours): Promise<void> {
  if (holidays === null) return
  const { country, region } = holidays
  if (!(await countries()).some(({ code }) => code === country))
    throw new Refusal(
      422,
      `The public holidays of “${country}” are not known. Choose another country, or none, and give the days off one by one. Nothing was changed.`,
      'No such country',
    )
  if (region !== null && !(await regionsOf(country)).some(({ code }) => code === region))
    throw new Refusal(
      422,
      `“${region}” is no region of “${country}” whose public holidays are known. Choose another, or none. Nothing was changed.`,
      'No such region',
    )
}
