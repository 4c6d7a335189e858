import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { query } from '../shared/queries.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aList, aRound, withRound } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { WhoSeesWhom } from './WhoSeesWhom.tsx'

function Round() {
  const round = useQuery(query.round(5)).data
  return (
    round && (
      <OpenRound round={round} goTo={() => {}}>
        <WhoSeesWhom />
      </OpenRound>
    )
  )
}
async function drawSender(parts: Parameters<typeof aRound>[0] = {}) {
  const desk = openDesk()
  const list = aList()
  const kept = withRound(
    desk,
    aRound({ list: { ...list, columns: [...list.columns, { id: 'c5', name: 'Partner', kind: 'address' }] }, ...parts }),
  )
  const { screen } = await draw(<Round />)
  const more = screen.getByRole('button', { name: 'Sender, copies, answers…' })
  await more.click()
  return { desk, kept, screen, more, field: (name: string) => screen.getByRole('textbox', { name, exact: true }) }
}

test('each field counts when it is left or Enter is pressed, whichever is being typed in meanwhile', async () => {
  const { kept, field } = await drawSender()
  await field('Sender’s name').fill(' The Harbour Office ')
  await userEvent.keyboard('{Enter}')
  await field('Cc').fill('one@quay.example;two@quay.example')
  await field('Bcc').fill('three@quay.example')
  await until(() => expect(kept.round.cc).toEqual(['one@quay.example', 'two@quay.example']))
  // What is being typed is not taken away by what was kept of the others.
  await expect.element(field('Bcc')).toHaveValue('three@quay.example')
  await expect.element(field('Cc')).toHaveValue('one@quay.example; two@quay.example')
  await field('Answers go to').fill('answers@quay.example')
  await userEvent.tab()
  await until(() =>
    expect([kept.round.sender, kept.round.bcc]).toEqual([
      { address: null, name: 'The Harbour Office', replyTo: 'answers@quay.example' },
      ['three@quay.example'],
    ]),
  )
})

test('what is shut while it is typed is kept, and the focus goes back to the button', async () => {
  const { kept, field, more } = await drawSender()
  await field('Bcc').fill('three@quay.example')
  await userEvent.keyboard('{Escape}')
  await until(() => expect(kept.round.bcc).toEqual(['three@quay.example']))
  await expect.element(more).toHaveFocus()
})

test('an address that is none is kept, said at its field and beside the sentence, until it is mended', async () => {
  const { kept, field, screen } = await drawSender()
  await field('Cc').fill('one@quay.example; nobody')
  await userEvent.tab()
  await expect.element(field('Cc')).toHaveAccessibleDescription(/“nobody” is not an address/)
  await until(() => expect(kept.round.cc).toEqual(['one@quay.example', 'nobody']))
  await expect.element(screen.getByText(/It is kept here to be mended; the proof stops at it/)).toBeVisible()
  await field('Cc').fill('one@quay.example')
  await userEvent.tab()
  await expect.element(field('Cc')).not.toHaveAttribute('aria-invalid', 'true')
  await until(() => expect(kept.round.cc).toEqual(['one@quay.example']))
})

test('a sender’s name that is too long is said and not kept', async () => {
  const { desk, field } = await drawSender()
  await field('Sender’s name').fill('x'.repeat(201))
  await userEvent.tab()
  await expect.element(field('Sender’s name')).toHaveAccessibleDescription('At most 200 characters.')
  expect(desk.bodiesOf(routes.changeRound)).toEqual([])
})

test('a copy may go to whoever stands in a column', async () => {
  const { kept, screen, field } = await drawSender({ cc: ['one@quay.example'] })
  await screen.getByLabelText('Cc: by a column', { exact: true }).selectOptions('Partner')
  await until(() => expect(kept.round.cc).toEqual(['one@quay.example', '{{Partner}}']))
  await expect.element(field('Cc')).toHaveValue('one@quay.example; {{Partner}}')
  await expect.element(screen.getByText(/whoever stands in “Partner” as a copy/)).toBeVisible()
  await field('Cc').fill('')
  await userEvent.tab()
  await until(() => expect(kept.round.cc).toEqual([]))
})

test('the round is written from any address of any mailbox', async () => {
  const { kept, screen } = await drawSender()
  await screen.getByLabelText('From').selectOptions('berths@brindlequay.example')
  await until(() => expect(kept.round.sender.address).toBe('berths@brindlequay.example'))
  await screen.getByLabelText('From').selectOptions('office@brindlequay.example')
  await until(() => expect(kept.round.sender.address).toBeNull())
})
