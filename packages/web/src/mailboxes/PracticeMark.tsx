import { useQuery } from '@tanstack/react-query'
import { FlaskConical } from 'lucide-react'
import { Mark } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { practice } from './words.ts'

/** Says of whatever leaves from a mailbox that it is for practice, and reaches nobody real; nothing for a mailbox in earnest. */
export function PracticeMark({ mailboxId }: { mailboxId: number | undefined }) {
  const mailbox = useQuery(query.mailboxes()).data?.find((m) => m.id === mailboxId)
  if (!mailbox?.practice) return null
  return (
    <span title={practice.more}>
      <Mark tone="note" icon={FlaskConical}>
        {practice.mark}
      </Mark>
    </span>
  )
}
