import { Files, FolderOpen } from 'lucide-react'
import { DropArea } from '../shared/DropArea.tsx'
import { Button } from '../shared/parts.tsx'

/** A place to choose files or a folder, or drop them. */
export function AddFiles({
  label,
  folder = false,
  onFiles,
}: {
  label: string
  folder?: boolean
  onFiles: (files: File[]) => void
}) {
  return (
    <DropArea
      label={`${label}: choose`}
      multiple
      folder={folder}
      onFiles={onFiles}
      className="inline-block rounded-paper outline-dashed outline-1 outline-offset-2"
      looks={['outline-rule', 'bg-post-tint outline-post']}
    >
      {(choose) => (
        <Button onClick={choose} title="Choose, or drop files, a folder or a zip here">
          {folder ? <FolderOpen aria-hidden size={16} /> : <Files aria-hidden size={16} />} {label}
        </Button>
      )}
    </DropArea>
  )
}
