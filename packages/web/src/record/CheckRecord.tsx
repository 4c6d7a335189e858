import { type RecordCheck, sizeWords } from '@hand-post/core'
import { CircleCheck, CircleX, FileCheck2 } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import { Link } from 'react-router'
import { DropArea } from '../shared/DropArea.tsx'
import { Button, Mark, Say } from '../shared/parts.tsx'
import type { CheckAsk, CheckSaid } from './checkWorker.ts'
import { checkRecord as say } from './words.ts'

const parts = ['seal', 'archive', 'pdf'] as const
type Part = (typeof parts)[number]

/** Checks a posting record against its seal and an archive of its messages: wherever these lie, and without signing in. */
export default function CheckRecord() {
  const [files, setFiles] = useState<Partial<Record<Part, File>>>({})
  const [said, setSaid] = useState<CheckSaid | null>(null)
  const worker = useRef<Worker>(null)
  const busy = said !== null && 'read' in said
  const end = () => {
    worker.current?.terminate()
    worker.current = null
  }
  useEffect(() => () => worker.current?.terminate(), [])
  const put = (part: Part, file: File | undefined) => {
    if (!file) return
    setFiles((before) => ({ ...before, [part]: file }))
    setSaid(null)
  }
  const check = () => {
    const { seal, archive, pdf = null } = files
    if (!seal || !archive) return
    end()
    const thread = new Worker(new URL('./checkWorker.ts', import.meta.url), { type: 'module' })
    worker.current = thread
    setSaid({ read: 0 })
    thread.onmessage = ({ data }: MessageEvent<CheckSaid>) => {
      setSaid(data)
      if (!('read' in data)) end()
    }
    thread.onerror = (event) => {
      event.preventDefault()
      setSaid({ fault: event.message })
      end()
    }
    thread.postMessage({ seal, archive, pdf } satisfies CheckAsk)
  }
  return (
    <main className="mx-auto max-w-3xl space-y-5 px-5 py-6">
      <header className="space-y-1">
        <p className="text-[14px] text-ink-2">
          {say.handPost} ·{' '}
          <Link to="/" className="text-post underline">
            {say.back}
          </Link>
        </p>
        <h1 className="text-2xl">{say.title}</h1>
        <p className="text-ink-2">{say.what}</p>
      </header>
      <div className="grid gap-4 sm:grid-cols-3">
        {parts.map((part) => (
          <Place key={part} part={part} file={files[part]} onFile={(file) => put(part, file)} />
        ))}
      </div>
      {busy ? (
        <div className="flex items-center gap-3">
          <p role="status" className="flex-1 text-[14px]">
            {say.checking(sizeWords(said.read), sizeWords(files.archive!.size))}
            <progress className="mt-1 block h-2 w-full" value={said.read} max={Math.max(1, files.archive!.size)} />
          </p>
          <Button
            onClick={() => {
              end()
              setSaid({ fault: say.stopped })
            }}
          >
            {say.stop}
          </Button>
        </div>
      ) : (
        <Button kind="primary" disabled={!files.seal || !files.archive} onClick={check}>
          <FileCheck2 aria-hidden size={16} /> {say.check}
        </Button>
      )}
      {said && 'fault' in said && (
        <Say tone="stop">
          <b>{say.cannot}.</b> {said.fault}
        </Say>
      )}
      {said && 'found' in said && <Found found={said.found} />}
    </main>
  )
}

function Place({ part, file, onFile }: { part: Part; file?: File; onFile: (file: File | undefined) => void }) {
  const { title, what, accept } = say.choose[part]
  return (
    <DropArea
      label={title}
      accept={accept}
      onFiles={([one]) => onFile(one)}
      className="flex min-h-28 flex-col justify-between gap-2 rounded-paper border border-dashed p-3"
      looks={['border-rule bg-sheet', 'border-post bg-post-tint']}
    >
      {(choose) => (
        <>
          <div>
            <h2 className="font-bold text-[15px]">{title}</h2>
            <p className="break-words text-[13px] text-ink-2">
              {file ? `${file.name}, ${sizeWords(file.size)}` : what}
            </p>
          </div>
          <p className="text-[13px]">
            {!file && `${say.drop} `}
            <button type="button" className="text-post underline" onClick={choose}>
              {file ? say.another : say.chooseFile}
            </button>
          </p>
        </>
      )}
    </DropArea>
  )
}

function Found({ found }: { found: RecordCheck }) {
  const { holds, faults, moreFaults, answers, others, files, pdf } = found
  return (
    <section aria-live="polite" aria-label={holds ? say.holds : say.fails} className="paper space-y-3 p-5">
      <h2 className="flex items-center gap-2 text-xl">
        {holds ? (
          <Mark tone="good" icon={CircleCheck}>
            {say.holds}
          </Mark>
        ) : (
          <Mark tone="stop" icon={CircleX}>
            {say.fails}
          </Mark>
        )}
      </h2>
      <p>{say.ofRound(found.round, found.madeAt)}</p>
      {faults.length > 0 && (
        <ul className="list-disc space-y-1 pl-5 text-stop">
          {faults.map((words) => (
            <li key={words}>{words}</li>
          ))}
          {moreFaults > 0 && <li>{say.more(moreFaults)}</li>}
        </ul>
      )}
      <ul className="list-disc space-y-1 pl-5">
        {holds && <li>{say.chain(found.entries)}</li>}
        <li>{say.letters(found)}</li>
        {found.unhashed > 0 && <li>{say.unhashed(found.unhashed)}</li>}
        {files > 0 && <li>{say.files(files)}</li>}
        {answers + others.length > 0 && <li>{say.beside(answers, others)}</li>}
        {say.pdf[pdf] !== '' && <li>{say.pdf[pdf]}</li>}
      </ul>
      <div>
        <h3 className="font-bold text-[13px]">{say.end}</h3>
        <p className="break-all font-mono text-[14px]">{found.end}</p>
        <p className="text-[13px] text-ink-2">{say.endHint}</p>
      </div>
    </section>
  )
}
