import { addressOf, type ReturnedFile, routes } from '@hand-post/contract'
import { sizeWords } from '@hand-post/core'
import { Download, Eye, Paperclip } from 'lucide-react'
import { lazy, Suspense, useState } from 'react'
import { Button, Waiting } from '../shared/parts.tsx'
import { returnedFiles as say } from './words.ts'

const FileView = lazy(() => import('./FileView.tsx'))

/** Whether a file can be looked at here: a picture, or pages; nothing that was found to be wrong. */
export const canBeSeen = ({ hash, type, examined, fault }: ReturnedFile): boolean =>
  hash !== null &&
  examined &&
  (fault === null || fault.fault === 'wrongEnding') &&
  /^(image\/(png|jpeg|gif|webp)|application\/pdf)$/.test(type)

/** What is to be said of a file, beside its name and size. */
export const aboutFile = ({ why, ours, fault, examined, hash }: ReturnedFile): string =>
  why ??
  [ours && say.ours, fault ? say.faults[fault.fault](fault.detail) : hash !== null && !examined && say.examining]
    .filter(Boolean)
    .join(' ')

/** Files that came back with an answer: each is looked at without leaving, or saved. */
export function ReturnedFiles({ files, fetching }: { files: ReturnedFile[]; fetching: boolean }) {
  const [seen, setSeen] = useState<ReturnedFile | null>(null)
  if (files.length === 0 && !fetching) return null
  return (
    <section aria-label={say.files} className="space-y-1 text-[14px]">
      {fetching && <p className="text-ink-2">{say.fetching}</p>}
      <ul className="space-y-1">
        {files.map((file) => (
          <li key={file.id} className="flex flex-wrap items-center gap-x-2">
            <Paperclip aria-hidden size={14} className="shrink-0 text-ink-2" />
            <b className="min-w-0 break-all">{file.name}</b>
            <span className="text-[13px] text-ink-2">{sizeWords(file.size)}</span>
            {canBeSeen(file) && (
              <Button kind="quiet" aria-label={say.lookAt(file.name)} onClick={() => setSeen(file)}>
                <Eye aria-hidden size={14} /> {say.look}
              </Button>
            )}
            {file.hash !== null && file.examined && (
              <a
                className="inline-flex items-center gap-1 text-[13px] text-post underline"
                href={addressOf(routes.returnedFile, { params: { file: file.id } })}
                download={file.name}
                aria-label={say.saveOf(file.name)}
              >
                <Download aria-hidden size={14} /> {say.save}
              </a>
            )}
            {aboutFile(file) !== '' && <span className="basis-full pl-5 text-[13px] text-ask">{aboutFile(file)}</span>}
          </li>
        ))}
      </ul>
      {seen && (
        <Suspense fallback={<Waiting />}>
          <FileView file={seen} onClose={() => setSeen(null)} />
        </Suspense>
      )}
    </section>
  )
}
