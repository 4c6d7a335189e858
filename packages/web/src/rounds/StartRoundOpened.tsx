import type { Letter } from '@hand-post/core'
import { Popover } from 'radix-ui'
import { type ReactNode, useRef } from 'react'
import { Button } from '../shared/parts.tsx'
import { StartRoundForm, type StartValues } from './StartRoundForm.tsx'

/** What a round that is started begins with. */
export interface Beginning {
  /** The letter that it begins with, where one was chosen. */
  letter?: () => Promise<Letter>
  /** The list that it goes to, where that is known already. */
  list?: { id: number; name: string }
}

/** The form in which a round is started, open; its button opens and closes it from then on. */
export default function StartRoundOpened({ list, letter, children }: Beginning & { children: ReactNode }) {
  // What was filled in stays when it is closed.
  const kept = useRef<StartValues>({ title: '', listId: list?.id })
  return (
    <Popover.Root defaultOpen>
      <Popover.Trigger asChild>
        <Button kind="primary">{children}</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="paper z-50 w-80 p-4 shadow-lg">
          <StartRoundForm kept={kept} letter={letter} ofList={list !== undefined} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
