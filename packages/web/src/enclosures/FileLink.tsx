import type { RoundFileEntry } from '@hand-post/contract'
import { X } from 'lucide-react'
import { useWork } from '../rounds/RoundContext.tsx'
import { useTakeOut } from './useTakeOut.ts'
import { fileLink as say } from './words.ts'

/** The names that several files of a round have: then the folder tells them apart. */
const repeated = new WeakMap<RoundFileEntry[], ReadonlySet<string>>()
function repeatedNames(files: RoundFileEntry[]): ReadonlySet<string> {
  let names = repeated.get(files)
  if (!names) {
    const all = files.map(({ name }) => name).sort()
    names = new Set(all.filter((name, i) => name === all[i - 1]))
    repeated.set(files, names)
  }
  return names
}

/** What a file is called where one looks for it: with its folder, where another file of the round has the same name. */
export function FileCalled({ file }: { file: RoundFileEntry }) {
  const { round } = useWork()
  if (!repeatedNames(round.files).has(file.name)) return file.name
  return (
    <>
      {file.name} <span className="text-[13px] text-ink-2">{say.inIt(file.folder)}</span>
    </>
  )
}

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
      <FileCalled file={file} />
    </a>
  )
}

/** Takes a file out of the round. */
export function RemoveFile({ file }: { file: RoundFileEntry }) {
  const takeOut = useTakeOut()
  return (
    <button
      type="button"
      aria-label={say.takeOut(file.name)}
      title={say.takeOut2}
      className="flex size-7 items-center justify-center hover:bg-stop-tint"
      onClick={() => void takeOut([file])}
    >
      <X aria-hidden size={14} />
    </button>
  )
}
