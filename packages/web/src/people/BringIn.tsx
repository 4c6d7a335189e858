import type { List, Reading } from '@hand-post/contract'
import { useState } from 'react'
import { Button } from '../shared/parts.tsx'
import { SearchList } from '../shared/SearchList.tsx'
import { FileOrPaste } from './FileOrPaste.tsx'
import { Found } from './Found.tsx'
import { FromGroups, FromNothing, FromRound } from './makeFrom.tsx'
import { bringIn as say } from './words.ts'

/** Brings in a list: from a file, pasted, typed, from contact groups, an earlier round, or one that is here already. */
export function BringIn({
  title = say.bringList,
  lists = [],
  onDone,
  onCancel,
}: {
  title?: string
  /** Lists that are here already and can be taken as they are. */
  lists?: List[]
  onDone: (list: List) => void
  onCancel?: () => void
}) {
  const [reading, setReading] = useState<Reading | null>(null)
  if (reading) return <Found reading={reading} onDone={onDone} onBack={() => setReading(null)} />
  return (
    <div className="mx-auto max-w-3xl p-6">
      <h2 className="text-xl">{title}</h2>
      <p className="mt-1 text-ink-2">{say.listTableOneRow}</p>
      <div className="grid gap-x-8 gap-y-4 md:grid-cols-[3fr_2fr]">
        <div>
          <FileOrPaste onRead={setReading} />
          {onCancel && (
            <Button kind="quiet" className="mt-3" onClick={onCancel}>
              {say.notNow}
            </Button>
          )}
        </div>
        <div className="mt-4 space-y-4 text-[14px]">
          {lists.length > 0 && (
            <section aria-label={say.listsHere}>
              <h3 className="text-[15px]">{say.listHereAlready}</h3>
              <SearchList
                label={say.lists}
                items={lists.map((l) => ({ id: l.id, name: l.name, more: say.nRows(l.rowCount) }))}
                onChoose={(id) => onDone(lists.find((l) => l.id === id)!)}
              />
            </section>
          )}
          <FromGroups onDone={onDone} />
          <FromRound onDone={onDone} />
          <FromNothing onDone={onDone} />
        </div>
      </div>
    </div>
  )
}
