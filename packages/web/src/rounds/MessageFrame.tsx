import { letterStyle } from '@hand-post/core'
import clsx from 'clsx'
import { useEffect, useRef, useState } from 'react'
import { scriptsAddress } from '../shared/scripts.ts'
import { messageFrame as say } from './words.ts'

/** How a message is looked at: what its reader's mail program might make of it. */
export interface Looks {
  /** Pixels that its reader's window is wide; null as wide as there is room. */
  width: 375 | 600 | null
  dark: boolean
  pictures: boolean
  /** Values of fields are tinted, here only. */
  tint: boolean
}
export const plainLooks: Looks = { width: null, dark: false, pictures: true, tint: true }

const frameStyle =
  '[data-field]{background:#dcedeb;color:#15242b;border-radius:3px;box-shadow:0 0 0 1px #dcedeb}[data-field=""]{background:#fbeaea;color:#9e2328;box-shadow:0 0 0 1px #9e2328}.no-picture{display:inline-block;border:1px solid #999;padding:4px 8px;font:13px Arial,sans-serif}'
// What a letter says for the dark, as if it were dark; and else as if it never were, whatever this desk is like.
const inTheDark = letterStyle.replace(/^@media[^{]*\{(.*)\}$/s, '$1')

// No scripts (the sandbox), nothing fetched from elsewhere (the policy): only the desk's own pictures and typefaces.
const frameStart = (dark: boolean) =>
  `<!doctype html><html lang="en"${dark ? ' style="color-scheme:dark"' : ''}><head><title>Message</title><meta http-equiv="Content-Security-Policy" content="default-src 'none'; img-src ${location.origin} data:; style-src 'unsafe-inline' ${location.origin}; font-src ${location.origin}"><link rel="stylesheet" href="${scriptsAddress}"><style>${dark ? inTheDark : ''}${frameStyle}</style></head><body></body></html>`

/** Shows a message that has no looks. */
export const PlainText = ({ text }: { text: string }) => (
  <pre className="min-h-0 flex-1 overflow-auto whitespace-pre-wrap p-4 font-mono text-[13px]">{text}</pre>
)

/** Has keys heard around a frame that were pressed in it: whoever clicked into a message goes on to the next person as from anywhere else. */
function hearKeysOf(frame: HTMLIFrameElement): void {
  frame.contentWindow?.addEventListener('keydown', (event) => {
    const here = new KeyboardEvent('keydown', event)
    if (!frame.dispatchEvent(here)) event.preventDefault()
  })
}

/** Shows a message's HTML in a sandboxed frame. The frame stays and only its body changes, so that typing does not flicker. */
export function MessageFrame({ html, looks = plainLooks }: { html: string; looks?: Looks }) {
  const frame = useRef<HTMLIFrameElement>(null)
  const [loaded, setLoaded] = useState(0)
  useEffect(() => {
    const body = frame.current?.contentDocument?.body
    if (!body || loaded === 0) return
    const parsed = new DOMParser().parseFromString(html, 'text/html').body
    // What would be fetched from elsewhere is not shown: to look at a letter must not count as opening it.
    for (const picture of parsed.querySelectorAll('img[src^="http"]')) picture.remove()
    if (!looks.pictures)
      for (const picture of parsed.querySelectorAll('img')) {
        const words = parsed.ownerDocument.createElement('span')
        words.className = 'no-picture'
        words.textContent = picture.alt || say.pictureWithoutWords
        picture.replaceWith(words)
      }
    body.innerHTML = parsed.innerHTML
    body.style.cssText = parsed.style.cssText
    body.className = parsed.className
  }, [html, loaded, looks.pictures])
  return (
    <div className={clsx('flex min-h-0 flex-1 overflow-x-auto', looks.width !== null && 'bg-blotter')}>
      <iframe
        key={looks.dark ? 'dark' : 'light'}
        ref={frame}
        title={say.message}
        sandbox="allow-same-origin"
        srcDoc={frameStart(looks.dark)}
        onLoad={({ currentTarget }) => {
          hearKeysOf(currentTarget)
          setLoaded((n) => n + 1)
        }}
        style={looks.width === null ? undefined : { width: looks.width }}
        className={clsx(
          'h-full rounded-paper',
          looks.width === null ? 'w-full' : 'mx-auto shrink-0',
          looks.dark ? 'bg-[#1b2326]' : 'bg-white',
        )}
      />
    </div>
  )
}
