import type { BoardSeen } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import type { ComponentProps } from 'react'
import { faultWords } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Say } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { BarsChart } from './BarsChart.tsx'
import { seenBy as say } from './words.ts'

/** Who opened the letters, with what, and which links they followed; with what is not known of it. */
export function SeenBy({
  width,
  name,
  link,
  setLink,
}: {
  width: number
  name: string
  /** The link whose followers are shown. */
  link: string | null
  setLink: (link: string | null) => void
}) {
  const { round } = useWork()
  const seen = useQuery(query.boardSeen(round.id))
  if (seen.error) return <Say tone="stop">{faultWords(seen.error)}</Say>
  if (!seen.data) return <div className="h-[190px]" />
  const { arrived, opened, machines, tracking, countries } = seen.data
  const half = width < 520 ? width : Math.floor((width - 24) / 2)
  /** Bars of their own under their heading. */
  const part = ({ title, label, what }: (typeof say)['programs'], bars: ComponentProps<typeof BarsChart>['bars']) => (
    <div style={{ width: half }}>
      <h4 className="text-[13px] text-ink-2">{say.ofOpened(title, opened)}</h4>
      <BarsChart
        title={title}
        name={`${name}, ${title}`}
        width={half}
        label={label}
        heads={[what, say.letters]}
        bars={bars}
        of={opened}
      />
    </div>
  )
  return (
    <div className="space-y-2 text-[14px]">
      <p>
        {say.opened(opened, arrived)}{' '}
        {machines.length > 0 && <span className="text-ink-2">{say.machines(machines)}</span>}
      </p>
      <p className="text-[13px] text-ink-2">
        {!tracking.opens && `${say.noOpens} `}
        {say.honest}
      </p>
      {opened === 0 ? (
        <p className="py-4 text-center text-ink-2">{say.noneYet}</p>
      ) : (
        <div className="flex flex-wrap gap-x-6 gap-y-2">
          {part(say.programs, bars(seen.data))}
          {part(
            say.onDevices,
            seen.data.devices.map(({ device, letters }) => ({
              words: device === null ? say.unknown : say.devices[device],
              n: letters,
              rest: device === null,
            })),
          )}
          {countries &&
            part(
              say.fromCountries,
              countries.map(({ country, letters }) => ({
                words: country === null ? say.unknown : say.nameOfCountry(country),
                n: letters,
                rest: country === null,
              })),
            )}
        </div>
      )}
      <Links seen={seen.data} link={link} setLink={setLink} />
    </div>
  )
}

/** A bar for each program; what was fetched in somebody's place, and what does not say what it is, stand for themselves. */
const bars = ({ programs, proxied }: BoardSeen) => [
  ...programs.map(({ program, letters }) => ({
    words: program ?? say.unknown,
    n: letters,
    rest: program === null,
  })),
  ...(proxied > 0 ? [{ words: say.proxied, n: proxied, rest: true }] : []),
]

/** The links of the letter; a click shows who followed one. */
function Links({
  seen: { links, moreLinks, arrived, tracking },
  link,
  setLink,
}: {
  seen: BoardSeen
  link: string | null
  setLink: (link: string | null) => void
}) {
  if (!tracking.clicks) return <p className="text-[13px] text-ink-2">{say.noLinks}</p>
  if (links.length === 0) return null
  return (
    <section aria-label={say.links}>
      <h4 className="text-[13px] text-ink-2">{say.links}</h4>
      <ul className="max-h-40 overflow-auto">
        {links.map(({ address, letters }) => (
          <li key={address}>
            <button
              type="button"
              aria-pressed={link === address}
              title={say.whoFollowed(address)}
              onClick={() => setLink(link === address ? null : address)}
              className={clsx(
                'flex min-h-[24px] w-full items-baseline gap-3 rounded-paper px-1 text-left',
                link === address ? 'bg-post-tint' : 'hover:bg-sheet-2',
              )}
            >
              <b className="w-32 shrink-0">{say.followed(letters, arrived)}</b>
              <span className="min-w-0 break-all">{address}</span>
            </button>
          </li>
        ))}
      </ul>
      <p className="text-[13px] text-ink-2">
        {moreLinks > 0 && `${say.more(moreLinks)} `}
        {say.withoutQuery}
      </p>
    </section>
  )
}
