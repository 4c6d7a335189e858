import { type RoundFileEntry, routes } from '@hand-post/contract'
import { X } from 'lucide-react'
import { queries, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.ts'

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
  const { round } = useWork()
  const remove = useChange(routes.removeFile, () => queries.invalidateQueries({ queryKey: ['round', round.id] }))
  return (
    <button
      type="button"
      aria-label={`Take ${file.name} out`}
      title="Take out"
      className="flex size-7 items-center justify-center hover:bg-stop-tint"
      onClick={() => remove.mutate({ params: { round: round.id, file: file.id } })}
    >
      <X aria-hidden size={14} />
    </button>
  )
}
