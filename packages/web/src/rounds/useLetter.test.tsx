import { routes } from '@hand-post/contract'
import { type Letter, startingLetters } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { queries } from '../api.ts'
import { keys, query } from '../shared/queries.ts'
import { draw, type FakeDesk, held, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aRound, withRound } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { type LetterWork, useLetterWork } from './useLetter.ts'

const written = (subject: string): Letter => ({ ...startingLetters[0].letter, subject })
const subjects = (desk: FakeDesk) => desk.bodiesOf(routes.changeRound).map((body) => body.letter?.subject)

let work: LetterWork
let save: () => Promise<boolean>
function Letters() {
  const round = useQuery(query.round(5)).data
  return round && <Work round={round} />
}
function Work({ round }: { round: ReturnType<typeof aRound> }) {
  const all = useLetterWork(round)
  work = all.work
  save = all.save
  return <p>{all.work.saving}</p>
}
async function drawLetter() {
  const desk = openDesk()
  const kept = withRound(desk, aRound({ letter: written('as it was') }))
  const { screen } = await draw(<Letters />)
  await expect.element(screen.getByText('saved')).toBeVisible()
  return { desk, kept, screen, state: (words: string) => expect.element(screen.getByText(words)).toBeVisible() }
}

beforeEach(() => void vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'], shouldAdvanceTime: true }))
afterEach(() => void vi.useRealTimers())

test('what is typed in one go is written once, when typing pauses', async () => {
  const { desk, state } = await drawLetter()
  for (const text of ['D', 'De', 'Dear']) work.setLetter(written(text))
  await state('saving')
  expect(subjects(desk)).toEqual([])
  await vi.advanceTimersByTimeAsync(400)
  await state('saved')
  expect(subjects(desk)).toEqual(['Dear'])
})

test('an answer that comes late is not taken for what was typed since', async () => {
  const { desk, kept, state } = await drawLetter()
  const first = held<void>()
  const { letter } = kept.round
  desk.on(routes.changeRound, async ({ body }) => {
    await first.answer
    kept.round = { ...kept.round, letter: body.letter ?? letter, version: kept.round.version + 1 }
    return { ...kept.round, said: [] }
  })
  work.setLetter(written('first'))
  await vi.advanceTimersByTimeAsync(400)
  work.setLetter(written('second'))
  await vi.advanceTimersByTimeAsync(2000)
  // One at a time: the second waits for the first.
  expect(subjects(desk)).toHaveLength(1)
  first.give()
  await state('saved')
  expect(subjects(desk)).toEqual(['first', 'second'])
  expect(work.letter).toEqual(written('second'))
  // And what the desk then says is what stands here.
  expect(kept.round.letter).toEqual(written('second'))
})

test('while the desk is away the letter stays, says so, is tried again, and nothing typed meanwhile is lost', async () => {
  const { desk, state } = await drawLetter()
  desk.away = true
  work.setLetter(written('first'))
  await vi.advanceTimersByTimeAsync(400)
  await state('failed')
  expect(work.letter).toEqual(written('first'))
  expect(await save()).toBe(false)
  work.setLetter(written('second'))
  await vi.advanceTimersByTimeAsync(400)
  await state('failed')
  desk.away = false
  await vi.advanceTimersByTimeAsync(5000)
  await state('saved')
  expect(subjects(desk)).toEqual(['second'])
  expect(await save()).toBe(true)
})

test('a letter that is refused is not tried for ever, only when it changes', async () => {
  const { desk, kept, state } = await drawLetter()
  desk.on(routes.changeRound, () => {
    throw new Refused(422, 'The letter is too long.')
  })
  work.setLetter(written('too long'))
  await vi.advanceTimersByTimeAsync(400)
  await state('failed')
  await vi.advanceTimersByTimeAsync(60_000)
  expect(subjects(desk)).toHaveLength(1)
  withRound(desk, kept.round)
  work.setLetter(written('shorter'))
  await vi.advanceTimersByTimeAsync(400)
  await state('saved')
  expect(subjects(desk)).toHaveLength(2)
})

test('a letter changed elsewhere is taken over, unless something is typed here: that is newer', async () => {
  const { desk, kept } = await drawLetter()
  const outside = work.letterFromOutside
  kept.round = { ...kept.round, letter: written('elsewhere'), version: kept.round.version + 1 }
  await queries.invalidateQueries({ queryKey: keys.round(5) })
  await until(() => expect(work.letter).toEqual(written('elsewhere')))
  expect(work.letterFromOutside).toBe(outside + 1)

  work.setLetter(written('here'))
  kept.round = { ...kept.round, letter: written('elsewhere again'), version: kept.round.version + 1 }
  await queries.invalidateQueries({ queryKey: keys.round(5) })
  expect(work.letter).toEqual(written('here'))
  await vi.advanceTimersByTimeAsync(400)
  await until(() => expect(subjects(desk)).toEqual(['here']))
  expect(work.letter).toEqual(written('here'))
})

test('another letter in its place is kept as a version of what was there, once', async () => {
  const { desk, state } = await drawLetter()
  work.replaceLetter(written('another'))
  await vi.advanceTimersByTimeAsync(400)
  await state('saved')
  work.setLetter(written('another, changed'))
  await vi.advanceTimersByTimeAsync(400)
  await state('saved')
  expect(desk.bodiesOf(routes.changeRound).map((body) => body.keepBefore)).toEqual([true, undefined])
})

test('a window that is left writes at once what is not written yet', async () => {
  const { desk } = await drawLetter()
  work.setLetter(written('half'))
  window.dispatchEvent(new PageTransitionEvent('pagehide'))
  await until(() => expect(subjects(desk)).toEqual(['half']))
})
