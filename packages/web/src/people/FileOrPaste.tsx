import { type Reading, routes } from '@hand-post/contract'
import { ClipboardPaste, FileUp } from 'lucide-react'
import { useRef, useState } from 'react'
import { ask, faultWords } from '../api.ts'
import { DropArea } from '../shared/DropArea.tsx'
import { Button, Labelled, Say } from '../shared/parts.tsx'
import { fileOrPaste as say } from './words.ts'

/** Reads a table from a file, or from what is pasted. */
export function FileOrPaste({ onRead }: { onRead: (reading: Reading) => void }) {
  const [fault, setFault] = useState<string | null>(null)
  const [busy, setBusy] = useState<string | null>(null)
  const [pasted, setPasted] = useState('')
  const stop = useRef<AbortController>(undefined)
  const read = async (name: string, file: Blob, words: string, asPasted: boolean) => {
    setFault(null)
    setBusy(words)
    stop.current = new AbortController()
    try {
      const query = { name, ...(asPasted ? { pasted: 'yes' as const } : {}) }
      onRead(await ask(routes.readFile, { query, file, signal: stop.current.signal }))
    } catch (error) {
      if (!stop.current.signal.aborted) setFault(faultWords(error))
    }
    setBusy(null)
  }
  return (
    <>
      <DropArea
        label={say.fileList}
        accept=".csv,.tsv,.txt,.xlsx,.xlsm,.ods,.vcf"
        onFiles={(files) => files[0] && void read(files[0].name, files[0], say.reading(files[0].name), false)}
        className="mt-4 rounded-paper border-2 border-dashed p-6 text-center"
        looks={['border-rule', 'border-post bg-post-tint']}
      >
        {(choose) => (
          <>
            <FileUp aria-hidden className="mx-auto text-ink-2" size={28} />
            <p className="my-2">{say.dropFileHereOr}</p>
            <Button kind="primary" onClick={choose} disabled={busy !== null}>
              {say.chooseFile}
            </Button>
            <p className="mt-2 text-[13px] text-ink-2">{say.csvTsvTxtXlsx}</p>
          </>
        )}
      </DropArea>
      <Labelled label={say.orPasteCellsFrom} className="mt-4">
        <textarea
          className="input h-24 w-full font-mono text-[13px]"
          value={pasted}
          placeholder={say.adaPenroseAdaQuaymail}
          onChange={(e) => setPasted(e.target.value)}
        />
      </Labelled>
      <Button
        className="mt-1"
        disabled={pasted.trim() === '' || busy !== null}
        onClick={() => void read('Pasted', new Blob([pasted]), say.readingWhatPasted, true)}
      >
        <ClipboardPaste aria-hidden size={16} /> {say.readWhatPasted}
      </Button>
      {busy && (
        <p role="status" className="mt-3 flex items-center justify-between">
          {busy} <Button onClick={() => stop.current?.abort()}>{say.cancel}</Button>
        </p>
      )}
      {fault && (
        <div role="alert" className="mt-3">
          <Say tone="stop">{fault}</Say>
        </div>
      )}
    </>
  )
}
