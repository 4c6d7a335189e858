import { routes } from '@hand-post/contract'
import { Popover } from 'radix-ui'
import { type ReactNode, useState } from 'react'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import Palette from '../desk/Palette.tsx'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { Ask, Button } from './parts.tsx'
import { Sheet } from './Sheet.tsx'

/** Every kind of dialog that is opened by no button of its own, as it is used: drawn when it is open, or always there. */
const dialogs: [string, (open: boolean, close: () => void) => ReactNode][] = [
  [
    'a question that is always there',
    (open, close) => (
      <Ask open={open} onClose={close} title="Sure?" act={<Button onClick={close}>Do it</Button>}>
        <p>It cannot be taken back.</p>
      </Ask>
    ),
  ],
  [
    'a question that is drawn when it is asked',
    (open, close) =>
      open && (
        <Ask open onClose={close} title="Sure?" act={<Button onClick={close}>Do it</Button>}>
          <p>It cannot be taken back.</p>
        </Ask>
      ),
  ],
  [
    'a side sheet',
    (open, close) =>
      open && (
        <Sheet title="Sure?" onClose={close} footer={<Button onClick={close}>Do it</Button>}>
          <p>It lies beside.</p>
        </Sheet>
      ),
  ],
  ['the actions by name', (open, close) => open && <Palette open setOpen={close} />],
]

function Page({ dialog }: { dialog: (open: boolean, close: () => void) => ReactNode }) {
  const [open, setOpen] = useState(false)
  return (
    <>
      <Button>Before</Button>
      <Button onClick={() => setOpen(true)}>Open it</Button>
      <Button>After</Button>
      {dialog(open, () => setOpen(false))}
    </>
  )
}

test.each(dialogs)('%s takes the focus, keeps it, and gives it back by every way of shutting', async (name, dialog) => {
  openDesk()
    .on(routes.rounds, () => [])
    .on(routes.health, () => ({
      ready: true,
      publicAddress: '',
      publicIsLocal: true,
      asksPassword: false,
      accounts: false,
      service: null,
    }))
  const { screen } = await draw(<Page dialog={dialog} />)
  const opener = screen.getByRole('button', { name: 'Open it' })
  const open = screen.getByRole('dialog')
  const within = () => open.element().contains(document.activeElement)
  const ways: (() => Promise<unknown>)[] = [() => userEvent.keyboard('{Escape}')]
  if (name !== 'the actions by name') {
    ways.push(() => screen.getByRole('button', { name: 'Not now' }).click())
    ways.push(() => screen.getByRole('button', { name: 'Do it' }).click())
  }
  for (const shut of ways) {
    opener.element().focus()
    await userEvent.keyboard('{Enter}')
    await expect.element(open).toBeVisible()
    await expect.poll(within).toBe(true)
    // By Tab nobody gets out of it, either way round.
    for (const key of ['{Tab}', '{Tab}', '{Tab}', '{Tab}', '{Shift>}{Tab}{/Shift}']) {
      await userEvent.keyboard(key)
      expect(within()).toBe(true)
    }
    await shut()
    await expect.element(open).not.toBeInTheDocument()
    await expect.element(opener).toHaveFocus()
  }
})

test('a question that is asked out of a side sheet gives the focus back into it, and the sheet to the page', async () => {
  openDesk()
  function Both() {
    const [sheet, setSheet] = useState(false)
    const [asking, setAsking] = useState(false)
    return (
      <>
        <Button onClick={() => setSheet(true)}>Open the sheet</Button>
        {sheet && (
          <Sheet title="The sheet" onClose={() => setSheet(false)}>
            <Button onClick={() => setAsking(true)}>Ask</Button>
            <Ask open={asking} onClose={() => setAsking(false)} title="Sure?" act={null}>
              <p>Words.</p>
            </Ask>
          </Sheet>
        )}
      </>
    )
  }
  const { screen } = await draw(<Both />)
  await screen.getByRole('button', { name: 'Open the sheet' }).click()
  await screen.getByRole('button', { name: 'Ask' }).click()
  await expect.element(screen.getByRole('dialog', { name: 'Sure?' })).toBeVisible()
  await userEvent.keyboard('{Escape}')
  await expect.element(screen.getByRole('button', { name: 'Ask' })).toHaveFocus()
  await userEvent.keyboard('{Escape}')
  await expect.element(screen.getByRole('button', { name: 'Open the sheet' })).toHaveFocus()
})

test('what took the focus while a dialog was shut keeps it', async () => {
  openDesk()
  function Moves() {
    const [open, setOpen] = useState(false)
    return (
      <>
        <Button onClick={() => setOpen(true)}>Open it</Button>
        <input aria-label="Next" />
        <Ask
          open={open}
          onClose={() => setOpen(false)}
          title="Sure?"
          act={
            <Button
              onClick={() => {
                setOpen(false)
                setTimeout(() => document.querySelector('input')?.focus())
              }}
            >
              Do it
            </Button>
          }
        >
          <p>Words.</p>
        </Ask>
      </>
    )
  }
  const { screen } = await draw(<Moves />)
  await screen.getByRole('button', { name: 'Open it' }).click()
  await screen.getByRole('button', { name: 'Do it' }).click()
  await expect.element(screen.getByRole('dialog')).not.toBeInTheDocument()
  await expect.element(screen.getByLabelText('Next')).toHaveFocus()
})

test('what hangs at a button gives the focus back to it', async () => {
  openDesk()
  const { screen } = await draw(
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button>More</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content aria-label="More of it">
          <input aria-label="Words" />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>,
  )
  await screen.getByRole('button', { name: 'More' }).click()
  await expect.element(screen.getByLabelText('Words')).toHaveFocus()
  await userEvent.keyboard('{Escape}')
  await expect.element(screen.getByRole('button', { name: 'More' })).toHaveFocus()
})
