import { type MessageLine, routes } from '@hand-post/contract'
import { Ellipsis } from 'lucide-react'
import { DropdownMenu } from 'radix-ui'
import { useState } from 'react'
import { stale, useChange } from '../api.ts'
import { useMay } from '../shared/me.ts'
import { Ask, Button } from '../shared/parts.tsx'
import { letterMenu as say } from './words.ts'

const item =
  'block w-full cursor-pointer rounded-paper px-3 py-1.5 text-left outline-none data-[highlighted]:bg-post-tint'

/** What can be done with one letter that waits: sent first, sent last, by whoever may post, or withdrawn. */
export function LetterMenu({ message }: { message: MessageLine }) {
  const [asking, setAsking] = useState(false)
  const may = useMay()
  const fresh = () => stale()
  const move = useChange(routes.moveLetter, fresh)
  const withdraw = useChange(routes.withdrawLetter, () => {
    setAsking(false)
    return fresh()
  })
  if (message.state !== 'waiting' && message.state !== 'retrying') return null
  const params = { message: message.id }
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button kind="quiet" className="px-1 py-0" aria-label={say.more(message.person)}>
            <Ellipsis aria-hidden size={16} />
          </Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" className="paper z-50 p-1 text-[14px] shadow-lg">
            {may.post && (
              <>
                <DropdownMenu.Item className={item} onSelect={() => move.mutate({ params, body: { to: 'first' } })}>
                  {say.first}
                </DropdownMenu.Item>
                <DropdownMenu.Item className={item} onSelect={() => move.mutate({ params, body: { to: 'last' } })}>
                  {say.last}
                </DropdownMenu.Item>
              </>
            )}
            <DropdownMenu.Item className={item} onSelect={() => setAsking(true)}>
              {say.withdraw}
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <Ask
        open={asking}
        onClose={() => setAsking(false)}
        title={say.withdrawTitle(message.person)}
        act={
          <Button kind="primary" disabled={withdraw.isPending} onClick={() => withdraw.mutate({ params })}>
            {say.withdrawIt}
          </Button>
        }
      >
        <p>{say.withdrawn}</p>
      </Ask>
    </>
  )
}
