import { addressOf, type ReturnedFile, routes } from '@hand-post/contract'
import { sizeWords } from '@hand-post/core'
import {
  GlobalWorkerOptions,
  getDocument,
  type PDFDocumentLoadingTask,
  type PDFDocumentProxy,
  VerbosityLevel,
} from 'pdfjs-dist'
import workerAddress from 'pdfjs-dist/build/pdf.worker.min.mjs?url'
import { useEffect, useRef, useState } from 'react'
import { Say, Waiting } from '../shared/parts.tsx'
import { Sheet } from '../shared/Sheet.tsx'
import { fileView as say } from './words.ts'

// Pages are read and made in a worker of the library's own.
GlobalWorkerOptions.workerSrc = workerAddress

/** How many pages are drawn. */
const maxPages = 40

/** A file that came back, looked at without leaving: a picture, or the pages of a PDF. Nothing in it runs, and nothing is fetched for it. */
export default function FileView({ file, onClose }: { file: ReturnedFile; onClose: () => void }) {
  const address = addressOf(routes.returnedFile, { params: { file: file.id } })
  return (
    <Sheet title={file.name} wide onClose={onClose}>
      <p className="border-rule border-b px-5 py-1.5 text-[13px] text-ink-2">
        {sizeWords(file.size)}{' '}
        <a className="text-post underline" href={address} download={file.name}>
          {say.save}
        </a>
      </p>
      <div className="min-h-0 flex-1 overflow-auto bg-blotter p-4">
        {file.type === 'application/pdf' ? (
          <Pages address={address} name={file.name} />
        ) : (
          <Picture address={address} name={file.name} />
        )}
      </div>
    </Sheet>
  )
}

function Picture({ address, name }: { address: string; name: string }) {
  const [broken, setBroken] = useState(false)
  if (broken) return <Say tone="stop">{say.noPicture}</Say>
  return <img src={address} alt={name} className="mx-auto max-w-full bg-white" onError={() => setBroken(true)} />
}

function Pages({ address, name }: { address: string; name: string }) {
  const [document, setDocument] = useState<PDFDocumentProxy | null>(null)
  const [fault, setFault] = useState<string | null>(null)
  useEffect(() => {
    const leave = new AbortController()
    let task: PDFDocumentLoadingTask | null = null
    const load = async () => {
      const answer = await fetch(address, { signal: leave.signal })
      if (!answer.ok) return setFault(say.notThere)
      const data = await answer.arrayBuffer()
      if (leave.signal.aborted) return
      task = getDocument({ data, verbosity: VerbosityLevel.ERRORS, isEvalSupported: false, enableXfa: false })
      setDocument(await task.promise)
    }
    load().catch((error: Error) => {
      if (!leave.signal.aborted) setFault(error.name === 'PasswordException' ? say.locked : say.noPages)
    })
    return () => {
      leave.abort()
      void task?.destroy()
    }
  }, [address])
  if (fault) return <Say tone="stop">{fault}</Say>
  if (!document) return <Waiting />
  const shown = Math.min(document.numPages, maxPages)
  return (
    <div className="space-y-3">
      {Array.from({ length: shown }, (_, i) => (
        <Page key={i} document={document} n={i + 1} name={name} />
      ))}
      {document.numPages > shown && <Say>{say.more(shown, document.numPages)}</Say>}
    </div>
  )
}

/** One page, as wide as there is room for. */
function Page({ document, n, name }: { document: PDFDocumentProxy; n: number; name: string }) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const [broken, setBroken] = useState(false)
  useEffect(() => {
    let over = false
    let stop = () => {}
    const draw = async () => {
      const page = await document.getPage(n)
      const target = canvas.current
      if (over || !target) return
      const wide = target.parentElement!.clientWidth
      const { width } = page.getViewport({ scale: 1 })
      // No larger than a screen needs, however large the page says it is.
      const viewport = page.getViewport({ scale: Math.min(4, (wide * Math.min(2, devicePixelRatio)) / width) })
      target.width = Math.min(8000, Math.ceil(viewport.width))
      target.height = Math.min(12_000, Math.ceil(viewport.height))
      const task = page.render({ canvas: target, viewport })
      stop = () => task.cancel()
      await task.promise
    }
    draw().catch((error: Error) => {
      if (!over && error.name !== 'RenderingCancelledException') setBroken(true)
    })
    return () => {
      over = true
      stop()
    }
  }, [document, n])
  return broken ? (
    <Say tone="stop">{say.noPage(n)}</Say>
  ) : (
    <canvas
      ref={canvas}
      role="img"
      aria-label={say.page(n, document.numPages, name)}
      className="block w-full bg-white shadow"
    />
  )
}
