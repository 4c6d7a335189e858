import type { RoundFileEntry } from '@hand-post/contract'
import { X } from 'lucide-react'
import { useTakeOut } from './useTakeOut.ts'

/** A file of the round by its name, which opens it. */
export function FileLink({ file }: { file: RoundFileEntry }) {
  return (
    <a
      className="text-post underline"
      target="_blank"
      rel="noreferrer"
      title={file.folder ? `${file.folder}/${file.name}` : undefined}
      href={`/api/files/${file.hash}?name=${encodeURIComponent(file.name)}`}
    >
      {file.name}
    </a>
  )
}

/** Takes a file out of the round. */
export function RemoveFile({ file }: { file: RoundFileEntry }) {
  const takeOut = useTakeOut()
  return (
    <button
      type="button"
      aria-label={`Take ${file.name} out`}
      title="Take out"
      className="flex size-7 items-center justify-center hover:bg-stop-tint"
      onClick={() => void takeOut(file)}
    >
      <X aria-hidden size={14} />
    </button>
  )
}
