import { Files } from 'lucide-react'
import { DropArea } from '../shared/DropArea.tsx'
import { Button } from '../shared/parts.tsx'

/** A place to choose files, or drop them. */
export function AddFiles({ label, onFiles }: { label: string; onFiles: (files: File[]) => void }) {
  return (
    <DropArea
      label={`${label}: choose`}
      multiple
      onFiles={onFiles}
      className="inline-block rounded-paper outline-dashed outline-1 outline-offset-2"
      looks={['outline-rule', 'bg-post-tint outline-post']}
    >
      {(choose) => (
        <Button onClick={choose} title="Choose files, or drop them here">
          <Files aria-hidden size={16} /> {label}
        </Button>
      )}
    </DropArea>
  )
}
