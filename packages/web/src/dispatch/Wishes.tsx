import type { Mailbox, RoundDispatch } from '@hand-post/contract'
import { addressesOf } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useMemo } from 'react'
import { useLetter, useWork } from '../rounds/RoundContext.tsx'
import { query } from '../shared/queries.ts'
import { OrderField, OwnTimesFields } from './OwnTimesFields.tsx'
import { PaceFields } from './PaceFields.tsx'
import { wishes as say } from './words.ts'

/** When, how fast, and what to find out afterwards. */
export function Wishes({ mailbox }: { mailbox: Pick<Mailbox, 'timeZone' | 'hours'> }) {
  const { round, change } = useWork()
  const health = useQuery(query.health()).data
  const { letter } = useLetter()
  const hasLinks = useMemo(() => addressesOf(letter).some((href) => /^\s*(?:https?:|\{\{)/i.test(href)), [letter])
  const onPace = useCallback((dispatch: Partial<RoundDispatch>) => void change({ dispatch }), [change])
  const tick = (name: 'opens' | 'clicks' | 'receipts', label: string) => (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        className="size-4 accent-post"
        disabled={letter.plain && name !== 'receipts'}
        checked={round.tracking[name]}
        onChange={(e) => void change({ tracking: { [name]: e.target.checked } })}
      />
      {label}
    </label>
  )
  return (
    <section aria-label={say.wishes} className="space-y-3 border-rule border-b px-5 py-4">
      <PaceFields pace={round.dispatch} mailbox={mailbox} onChange={onPace} />
      {round.list && <OrderField order={round.dispatch.order} list={round.list} onChange={onPace} />}
      {round.list && (
        <OwnTimesFields times={round.dispatch.times} list={round.list} mailbox={mailbox} onChange={onPace} />
      )}
      <fieldset className="flex flex-wrap items-center gap-x-5 gap-y-1">
        <legend className="float-left mr-5 font-bold text-[13px]">{say.keepTrack}</legend>
        {tick('opens', say.whoOpensSmallPicture)}
        {tick('clicks', say.whoFollowsLinks)}
        {letter.plain && <p className="min-w-full text-[13px] text-ink-2">{say.plainUntracked}</p>}
        {round.tracking.clicks && !hasLinks && (
          <p className="min-w-full text-[13px] text-ask">{say.thereNoLinkLetter}</p>
        )}
        {tick('receipts', say.whoHasReadAsking)}
        {health?.publicIsLocal && (round.tracking.opens || round.tracking.clicks) && (
          <p className="min-w-full text-[13px] text-ask">{say.publicAddressMachineOnly}</p>
        )}
      </fieldset>
    </section>
  )
}
