import clsx from 'clsx'
import { fromEvent } from 'file-selector'
import { type ReactNode, useRef, useState } from 'react'

/** The folders that a file lay in when it was dropped or chosen, separated by "/"; '' when it came alone. */
export function folderOf(file: File): string {
  const path = (file as { path?: string }).path || file.webkitRelativePath || ''
  return path
    .replace(/^(\.?\/)+/, '')
    .split('/')
    .slice(0, -1)
    .join('/')
}

/**
 * A place where files are dropped, or chosen by a button within it.
 * @param children draws what stands in it; it is given what opens the choice of files.
 */
export function DropArea({
  label,
  accept,
  multiple = false,
  folder = false,
  onFiles,
  className,
  looks,
  children,
}: {
  /** What the files are, for those who do not see the place. */
  label: string
  accept?: string
  multiple?: boolean
  /** The choice is of a folder, with everything in it. Folders can be dropped in any case. */
  folder?: boolean
  /** Files out of folders know their paths: see {@link folderOf}. */
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
        void fromEvent(e.nativeEvent).then((files) => onFiles(files.filter((one) => one instanceof File)))
      }}
      className={clsx(className, looks[over ? 1 : 0])}
    >
      {children(() => input.current?.click())}
      <input
        ref={input}
        type="file"
        accept={accept}
        multiple={multiple}
        // An attribute that the types do not know; every browser of today does.
        {...(folder ? { webkitdirectory: '' } : {})}
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
