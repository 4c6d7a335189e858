import { useQuery } from '@tanstack/react-query'
import { Command } from 'cmdk'
import { Dialog } from 'radix-ui'
import { useEffect, useState } from 'react'
import { useNavigate } from 'react-router'
import { signOut, tellFault } from '../api.ts'
import { useMay } from '../shared/me.ts'
import { added } from '../shared/paletteActions.ts'
import { query } from '../shared/queries.ts'
import { openTour } from '../shared/tour.ts'
import { useFocusBack } from '../shared/useFocusBack.ts'
import { palette as say, tour } from './words.ts'

/** Every action by name. */
export default function Palette({ open, setOpen }: { open: boolean; setOpen: (open: boolean) => void }) {
  const go = useNavigate()
  const rounds = useQuery(query.rounds()).data ?? []
  const asksPassword = useQuery(query.health()).data?.asksPassword ?? false
  const may = useMay()
  const [, redraw] = useState(0)
  useEffect(() => {
    if (open) redraw((n) => n + 1)
  }, [open])
  const item = (name: string, act: () => void, shortcut?: string) => (
    <Command.Item
      key={name}
      value={name}
      onSelect={() => {
        setOpen(false)
        act()
      }}
      className="flex cursor-pointer justify-between rounded-paper px-3 py-1.5 data-[selected=true]:bg-post-tint"
    >
      {name} {shortcut && <kbd className="text-[13px] text-ink-2">{shortcut}</kbd>}
    </Command.Item>
  )
  const focusBack = useFocusBack(open)
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          {...focusBack}
          aria-describedby={undefined}
          className="paper -translate-x-1/2 fixed top-[12vh] left-1/2 z-50 w-[min(560px,94vw)] p-2 shadow-xl"
        >
          <Dialog.Title className="sr-only">{say.findAction}</Dialog.Title>
          <Command label={say.findAction}>
            <Command.Input autoFocus placeholder={say.whatDoYouWant} className="input mb-2 w-full" />
            <Command.List className="max-h-[50vh] overflow-auto">
              <Command.Empty className="p-3 text-ink-2">{say.nothingNameTryAnother}</Command.Empty>
              {[...added].flat().map((a) => item(a.name, a.act, a.shortcut))}
              {item(tour.title, () => openTour('beginning'))}
              {item(say.startRound, () => go('/rounds?start=1'))}
              {item(say.goDesk, () => go('/'))}
              {item(say.goRounds, () => go('/rounds'))}
              {item(say.goLists, () => go('/people/lists'))}
              {item(say.goAddressBook, () => go('/people/book'))}
              {item(say.goDoNotWrite, () => go('/people/do-not-write'))}
              {item(say.goLetters, () => go('/letters'))}
              {item(say.goOutTray, () => go('/out-tray'))}
              {item(say.goTray, () => go('/in-tray'))}
              {item(say.goMailboxes, () => go('/mailboxes'))}
              {item(say.goCopies, () => go('/copies'))}
              {item(say.checkRecord, () => go('/check-record'))}
              {asksPassword && item(say.goAccount, () => go('/account'))}
              {asksPassword && may.keep && item(say.goColleagues, () => go('/colleagues'))}
              {may.keep && item(say.goHappened, () => go('/happened'))}
              {asksPassword && item(say.signOut, () => void signOut().catch(tellFault))}
              {rounds.map((r) => item(say.openRound(r.title), () => go(`/rounds/${r.id}`)))}
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
