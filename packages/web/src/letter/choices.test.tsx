import { routes } from '@hand-post/contract'
import { emptyLetter, type Letter } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { query } from '../shared/queries.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aRound, withRound } from '../testing/samples.ts'
import LetterStage from './LetterStage.tsx'

let roundId = 700
/** A round's letter to be written in; each test has a round of its own, for the last editor is kept. */
async function drawLetter(choices: string[] | null, postedAt: number | null = null) {
  const desk = openDesk()
  const id = roundId++
  const letter: Letter = {
    ...emptyLetter,
    body: {
      type: 'doc',
      content: [
        { type: 'paragraph', content: [{ type: 'text', text: 'Will you come?' }] },
        ...(choices ? [{ type: 'choices' as const, attrs: { choices } }] : []),
      ],
    },
  }
  const kept = withRound(desk, aRound({ id, letter, postedAt }))
  desk.on(routes.columnValues, () => ({ values: [], different: 0, blank: 0 }))
  function Stage() {
    const round = useQuery(query.round(id)).data
    return (
      round && (
        <OpenRound round={round} goTo={() => {}}>
          <div style={{ height: 700, width: 800 }}>
            <LetterStage />
          </div>
        </OpenRound>
      )
    )
  }
  const { screen } = await draw(<Stage />)
  const written = () => {
    const block = kept.round.letter.body.content.find((one) => one.type === 'choices')
    return block?.type === 'choices' ? block.attrs.choices : null
  }
  return { screen, written }
}

test('choices are put in by a key, worded, added and taken out, and the letter has them', async () => {
  const { screen, written } = await drawLetter(null)
  await screen.getByRole('textbox', { name: 'Letter', exact: true }).click()
  await userEvent.keyboard('{Control>}{End}{/Control}{Enter}')
  await userEvent.keyboard('{Alt>}{Shift>}A{/Shift}{/Alt}')
  await userEvent.fill(screen.getByLabelText('Choice 1', { exact: true }), 'I shall come')
  await userEvent.fill(screen.getByLabelText('Choice 2', { exact: true }), 'I cannot')
  await expect.poll(written).toEqual(['I shall come', 'I cannot'])
  // Two is the fewest.
  await expect.element(screen.getByRole('button', { name: 'Take out choice 1' })).not.toBeInTheDocument()
  for (let i = 0; i < 4; i++) await screen.getByRole('button', { name: 'Another choice' }).click()
  // Six are the most.
  await expect.element(screen.getByRole('button', { name: 'Another choice' })).not.toBeInTheDocument()
  await screen.getByRole('button', { name: 'Take out choice 1' }).click()
  await expect.element(screen.getByLabelText('Choice 1', { exact: true })).toHaveValue('I cannot')
  await screen.getByRole('button', { name: 'Remove the choices' }).click()
  await expect.poll(written).toBeNull()
})
test('keys that mean something to the letter mean nothing to it within a choice', async () => {
  const { screen, written } = await drawLetter(['Yes', 'No'])
  const first = screen.getByLabelText('Choice 1', { exact: true })
  await first.click()
  await userEvent.keyboard('{End}, gladly{Backspace}{Home}Oh: {Control>}b{/Control}')
  await expect.element(first).toHaveValue('Oh: Yes, gladl')
  await expect.poll(written).toEqual(['Oh: Yes, gladl', 'No'])
  // Taken back in the letter, it is taken back there.
  const undo = screen.getByRole('button', { name: 'Undo' })
  while (!(undo.element() as HTMLButtonElement).disabled) await undo.click()
  await expect.element(first).toHaveValue('Yes')
})
test('one that stands there twice is marked, whatever its capitals; one as long as may be takes no more', async () => {
  const { screen } = await drawLetter(['Yes', 'yes '])
  await expect.element(screen.getByText('stands there twice')).toBeVisible()
  await expect.element(screen.getByLabelText('Choice 2', { exact: true })).toHaveAttribute('aria-invalid', 'true')
  await expect.element(screen.getByLabelText('Choice 1', { exact: true })).toHaveAttribute('maxlength', '80')
})
test('of a letter that is posted they are read, and not written', async () => {
  const { screen } = await drawLetter(['Yes', 'No'], 1)
  await expect.element(screen.getByLabelText('Choice 1', { exact: true })).toBeDisabled()
  await expect.element(screen.getByRole('button', { name: 'Remove the choices' })).not.toBeInTheDocument()
})
