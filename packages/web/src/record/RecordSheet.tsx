import { type ArchiveForm, addressOf, archiveForms, routes } from '@hand-post/contract'
import { sizeWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Download, FileCheck2, FileText, Lock, LockOpen } from 'lucide-react'
import { useState } from 'react'
import { Link } from 'react-router'
import { ask, faultWords, stale } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Making, useMaking } from '../shared/making.tsx'
import { Button, Mark, Say, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { Ending } from './Ended.tsx'
import { Forgetting } from './Forgetting.tsx'
import { Happened } from './Happened.tsx'
import { NextTime } from './NextTime.tsx'
import { happened, recordSheet as say } from './words.ts'

/** The posting record of a round, and the archive of its messages. */
export function RecordSheet({ onClose }: { onClose: () => void }) {
  const { round } = useWork()
  const about = useQuery(query.postingRecords(round.id))
  return (
    <Sheet title={say.title} onClose={onClose}>
      <div className="min-h-0 flex-1 space-y-6 overflow-auto px-5 py-4">
        {about.error ? (
          <Say tone="stop">{faultWords(about.error)}</Say>
        ) : about.data ? (
          <>
            <Records {...about.data} />
            <Archive sent={about.data.sent} answers={about.data.answers} />
            <Ending finished={about.data.unfinished.length === 0} />
            <Forgetting />
            <NextTime />
            <section aria-label={happened.title} className="space-y-2">
              <h3 className="font-bold">{happened.title}</h3>
              <div className="border border-rule">
                <Happened round={round.id} />
              </div>
            </section>
          </>
        ) : (
          <Waiting />
        )}
      </div>
    </Sheet>
  )
}

function Records({
  unfinished,
  records,
}: {
  unfinished: string[]
  records: { id: number; madeAt: number; end: string | null; letters: number }[]
}) {
  const { round } = useWork()
  const { busy, fault, start, stop } = useMaking<unknown>()
  const make = () =>
    start(async (signal) => {
      await ask(routes.makePostingRecord, { params: { round: round.id }, signal })
      await stale(keys.ofRound(round.id, 'records'))
    })
  return (
    <section aria-label={say.record} className="space-y-2">
      <h3 className="font-bold">{say.record}</h3>
      <p className="text-[14px] text-ink-2">{say.what}</p>
      {unfinished.length > 0 && (
        <Say tone="ask">
          {say.unfinished}
          <ul className="list-disc pl-5">
            {unfinished.map((words) => (
              <li key={words}>{words}</li>
            ))}
          </ul>
        </Say>
      )}
      {busy ? (
        <Making of={round.id} stop={stop} />
      ) : (
        <Button kind="primary" onClick={() => void make()}>
          <FileText aria-hidden size={16} /> {say.make}
        </Button>
      )}
      {fault && <Say tone="stop">{fault}</Say>}
      {records.length === 0 ? (
        <p className="text-[14px] text-ink-2">{say.none}</p>
      ) : (
        <ul aria-label={say.made} className="border border-rule">
          {records.map((one) => (
            <li
              key={one.id}
              className="flex flex-wrap items-center gap-x-3 gap-y-1 border-rule border-b px-3 py-1.5 last:border-b-0"
            >
              <span className="flex-1">{say.line(one.madeAt, one.letters)}</span>
              {one.end === null ? (
                <Mark tone="ask" icon={LockOpen}>
                  {say.notSealed}
                </Mark>
              ) : (
                <Mark tone="good" icon={Lock}>
                  {say.sealed}
                </Mark>
              )}
              <a
                className="text-post underline"
                href={addressOf(routes.postingRecordPdf, { params: { record: one.id } })}
                download
              >
                {say.pdf}
              </a>
              {one.end !== null && (
                <a
                  className="text-post underline"
                  href={addressOf(routes.postingRecordSeal, { params: { record: one.id } })}
                  download
                >
                  {say.seal}
                </a>
              )}
            </li>
          ))}
        </ul>
      )}
      <p className="text-[14px]">
        <Link to="/check-record" className="text-post underline">
          <FileCheck2 aria-hidden size={15} className="mr-1 inline" />
          {say.check}
        </Link>{' '}
        <span className="text-ink-2">{say.checkHint}</span>
      </p>
    </section>
  )
}

function Archive({ sent, answers }: { sent: number; answers: number }) {
  const { round } = useWork()
  const [as, setAs] = useState<ArchiveForm>('zip')
  const [withAnswers, setWithAnswers] = useState(false)
  const { busy, made, fault, start, stop } = useMaking<{ archive: string; name: string; size: number }>()
  const make = () =>
    start((signal) =>
      ask(routes.makeArchive, {
        params: { round: round.id },
        body: { as, answers: as === 'zip' && withAnswers },
        signal,
      }),
    )
  return (
    <section aria-label={say.archive} className="space-y-2">
      <h3 className="font-bold">{say.archive}</h3>
      <p className="text-[14px] text-ink-2">{sent === 0 ? say.nothingSent : say.archiveWhat(sent)}</p>
      {sent > 0 && (
        <>
          <fieldset disabled={busy} className="space-y-1">
            <legend className="font-bold text-[13px]">{say.as}</legend>
            {[...archiveForms].reverse().map((one) => (
              <div key={one}>
                <label className="flex items-baseline gap-2">
                  <input
                    type="radio"
                    name="archive-form"
                    className="size-4 shrink-0 translate-y-0.5 accent-post"
                    checked={as === one}
                    onChange={() => setAs(one)}
                  />
                  {say.forms[one]}
                </label>
                {one === 'zip' && answers > 0 && (
                  <label className="flex items-baseline gap-2 pl-6">
                    <input
                      type="checkbox"
                      className="size-4 shrink-0 translate-y-0.5 accent-post"
                      checked={as === 'zip' && withAnswers}
                      disabled={as !== 'zip'}
                      onChange={(e) => setWithAnswers(e.target.checked)}
                    />
                    {say.withAnswers(answers)}
                  </label>
                )}
              </div>
            ))}
          </fieldset>
          {busy ? <Making of={round.id} stop={stop} /> : <Button onClick={() => void make()}>{say.makeArchive}</Button>}
          {fault && <Say tone="stop">{fault}</Say>}
          {made && (
            <Say tone="good">
              {say.ready(made.name, sizeWords(made.size))}{' '}
              <a
                className="font-bold text-post underline"
                href={addressOf(routes.archive, { params: { archive: made.archive } })}
                download
              >
                <Download aria-hidden size={15} className="inline" /> {say.save}
              </a>
            </Say>
          )}
        </>
      )}
    </section>
  )
}
