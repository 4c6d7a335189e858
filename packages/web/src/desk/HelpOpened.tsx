import { useQuery } from '@tanstack/react-query'
import { HelpCircle } from 'lucide-react'
import { Popover } from 'radix-ui'
import { Button } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { openTour } from '../shared/tour.ts'
import { topLine as say, tour } from './words.ts'

/** The help of the top line, open; its button opens and closes it from then on. */
export default function HelpOpened() {
  const health = useQuery(query.health()).data
  return (
    <Popover.Root defaultOpen>
      <Popover.Trigger asChild>
        <Button aria-label={say.help}>
          <HelpCircle aria-hidden size={16} />
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="paper z-50 w-96 space-y-2 p-4 shadow-lg">
          <Popover.Close asChild>
            <Button kind="primary" onClick={() => openTour('beginning')}>
              {tour.title}
            </Button>
          </Popover.Close>
          <p>
            <kbd>{say.ctrlK}</kbd> {say.findsEveryActionRound} <kbd>{say.alt}</kbd> {say.and} <kbd>{say.alt2}</kbd>{' '}
            {say.goFromPersonPerson} <kbd>{say.alt1}</kbd> {say.to} <kbd>{say.alt6}</kbd> {say.fromStageStage}
          </p>
          {health && (
            <p className="text-[13px] text-ink-2">
              {say.picturesLinksLettersGo(health.publicAddress, health.publicIsLocal)}
            </p>
          )}
          <p className="text-[13px]">
            <a className="text-post underline" href="/api/openapi.json">
              {say.apiDescribed}
            </a>
          </p>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
