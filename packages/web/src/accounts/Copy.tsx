import { Check, Copy as CopyMark } from 'lucide-react'
import { useState } from 'react'
import { tellFault } from '../api.ts'
import { Button } from '../shared/parts.tsx'
import { colleagues as say } from './words.ts'

/** Puts a text on the clipboard, and says so. */
export function Copy({ text, children }: { text: string; children: string }) {
  const [copied, setCopied] = useState(false)
  return (
    <Button
      onClick={() =>
        navigator.clipboard.writeText(text).then(
          () => setCopied(true),
          (error) => tellFault(error),
        )
      }
    >
      {copied ? <Check aria-hidden size={16} /> : <CopyMark aria-hidden size={16} />} {copied ? say.copied : children}
    </Button>
  )
}
