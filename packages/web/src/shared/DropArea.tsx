import clsx from 'clsx'
import { type ReactNode, useRef, useState } from 'react'

/**
 * A place where files are dropped, or chosen by a button within it.
 * @param children draws what stands in it; it is given what opens the choice of files.
 */
export function DropArea({
  label,
  accept,
  multiple = false,
  onFiles,
  className,
  looks,
  children,
}: {
  /** What the files are, for those who do not see the place. */
  label: string
  accept?: string
  multiple?: boolean
  onFiles: (files: File[]) => void
  className: string
  /** Its further looks: at rest, and while something is held over it. */
  looks: [rest: string, over: string]
  children: (choose: () => void) => ReactNode
}) {
  const input = useRef<HTMLInputElement>(null)
  const [over, setOver] = useState(false)
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: dropping is a second way; the button within is the first
    <div
      onDragOver={(e) => {
        e.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault()
        setOver(false)
        onFiles([...e.dataTransfer.files])
      }}
      className={clsx(className, looks[over ? 1 : 0])}
    >
      {children(() => input.current?.click())}
      <input
        ref={input}
        type="file"
        accept={accept}
        multiple={multiple}
        tabIndex={-1}
        aria-label={label}
        className="sr-only"
        onChange={(e) => {
          onFiles([...(e.target.files ?? [])])
          e.target.value = ''
        }}
      />
    </div>
  )
}
