import { Files, FolderOpen } from 'lucide-react'
import { DropArea } from '../shared/DropArea.tsx'
import { Button } from '../shared/parts.tsx'
import { addFiles as say } from './words.ts'

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
      label={say.choose(label)}
      multiple
      folder={folder}
      onFiles={onFiles}
      className="inline-block rounded-paper outline-dashed outline-1 outline-offset-2"
      looks={['outline-rule', 'bg-post-tint outline-post']}
    >
      {(choose) => (
        <Button onClick={choose} title={say.chooseOrDropFiles}>
          {folder ? <FolderOpen aria-hidden size={16} /> : <Files aria-hidden size={16} />} {label}
        </Button>
      )}
    </DropArea>
  )
}
