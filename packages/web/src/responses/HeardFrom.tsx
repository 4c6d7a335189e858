import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { faultWords } from '../api.ts'
import { NewAddress } from '../rounds/NewAddress.tsx'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { moment } from '../shared/moment.ts'
import { Say } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { ReturnedFiles } from './ReturnedFiles.tsx'
import { heardFrom as say } from './words.ts'

/** What the chosen person's letter brought back, each thing with its words. */
export function HeardFrom() {
  const { round } = useWork()
  const { person } = usePerson()
  const heard = useQuery({ ...query.heardFrom(round.id, person?.id ?? 0), enabled: person !== null })
  if (heard.error) return <Say tone="stop">{faultWords(heard.error)}</Say>
  // The latest letter of whoever has had several.
  const of = heard.data?.letters.findLast((letter) => letter.rowId === person?.id)
  const failed = of?.outcome === 'refused' || of?.outcome === 'bounced'
  if (!of || (of.responses.length === 0 && !failed)) return null
  return (
    <section
      aria-label={say.whatCameBackFrom(of.person)}
      className="max-h-56 shrink-0 overflow-auto border-rule border-b bg-sheet-2 px-5 py-2"
    >
      <h2 className="flex items-baseline gap-3 text-[16px]">
        {of.person}
        <Link
          to={`/person?address=${encodeURIComponent(of.address)}`}
          className="font-sans text-[13px] text-post underline"
        >
          {say.allTheirLetters}
        </Link>
      </h2>
      {failed && (
        <div className="my-1.5">
          {of.outcome === 'refused' && (
            <p className="mb-1 text-[14px]">
              {say.refused} {of.reason}
            </p>
          )}
          <NewAddress key={of.messageId} roundId={round.id} rowId={of.rowId} person={of.person} address={of.address} />
        </div>
      )}
      <ul className="space-y-1 text-[14px]">
        {of.responses.map((r) => (
          <li key={r.id} className="flex gap-3">
            <span className="w-32 shrink-0 text-ink-2">{moment(r.at)}</span>
            <span className="min-w-0 whitespace-pre-line">
              {say.kinds[r.kind]}
              {say.by(r.client, r.country)}
              {r.machine !== null && say.machine[r.machine]}
              {r.of === 'copy' && say.whoHasCopyDoes(r.from, of.person)}
              {r.of === 'other' && say.anotherAddressCountsOnce(of.person)}
              {r.of === 'perhaps' && say.perhaps}
              {r.of === 'no' && say.no}
              {r.words && `: ${r.words}`}
              {r.forgotten && say.forgotten}
            </span>
          </li>
        ))}
      </ul>
      <ReturnedFiles files={of.returned} fetching={false} />
    </section>
  )
}
