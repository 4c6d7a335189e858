import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useFormContext } from 'react-hook-form'
import { faultWords } from '../api.ts'
import { Button, Say } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import type { MailboxValues } from './mailboxValues.ts'
import { folderFields as say } from './words.ts'

/** What lies in these is no answer, or is looked into by a setting of its own. */
const notOffered = new Set(['\\Sent', '\\Drafts', '\\Trash', '\\Junk', '\\All', '\\Flagged', '\\Inbox'])

/** Further folders of a mailbox in which answers are looked for, as its host lists them. */
export function FolderFields({ mailboxId }: { mailboxId: number }) {
  const { watch, setValue } = useFormContext<MailboxValues>()
  const chosen = watch('folders')
  const [asked, setAsked] = useState(false)
  // Only when it is wanted: the mailbox is opened for it.
  const listed = useQuery({ ...query.mailFolders(mailboxId), enabled: asked })
  const offered = (listed.data?.folders ?? [])
    .filter(({ path, use }) => path.toUpperCase() !== 'INBOX' && !(use && notOffered.has(use)))
    .map(({ path }) => path)
  const gone = listed.data ? chosen.filter((path) => !offered.includes(path)) : []
  const put = (path: string, on: boolean) =>
    setValue('folders', on ? [...chosen, path] : chosen.filter((one) => one !== path), { shouldDirty: true })
  if (!asked)
    return (
      <p className="mt-2 flex flex-wrap items-center gap-2 text-[14px]">
        {chosen.length > 0 && say.chosen(chosen)}
        <Button onClick={() => setAsked(true)}>{say.choose}</Button>
      </p>
    )
  if (listed.error) return <Say tone="ask">{faultWords(listed.error)}</Say>
  if (!listed.data) return <p className="mt-2 text-[14px] text-ink-2">{say.waiting}</p>
  if (offered.length + gone.length === 0) return <p className="mt-2 text-[14px] text-ink-2">{say.none}</p>
  return (
    <ul aria-label={say.folders} className="mt-1 grid max-h-48 gap-x-4 overflow-auto sm:grid-cols-2">
      {[...offered, ...gone].map((path) => (
        <li key={path}>
          <label className="flex items-center gap-2 py-0.5">
            <input
              type="checkbox"
              className="size-4 accent-post"
              checked={chosen.includes(path)}
              onChange={(e) => put(path, e.target.checked)}
            />
            <span className="truncate">{gone.includes(path) ? say.gone(path) : path}</span>
          </label>
        </li>
      ))}
    </ul>
  )
}
