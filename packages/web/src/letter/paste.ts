import { type Block, changeBlocks, type LetterDocument, picturesOf, readHtml } from '@hand-post/core'
import type { Editor } from '@tiptap/core'
import { toast } from 'sonner'
import { faultWords, Told } from '../api.ts'
import { keepPicture } from './picture.ts'
import { paste as say } from './words.ts'

/** The picture that a data address holds (RFC 2397); null when it holds none. Taken apart here: the page may fetch nothing but from its own desk. */
export function pictureIn(src: string): File | null {
  const [, type, base64, data] = /^data:(image\/(?:png|jpeg|gif|webp))((?:;[^,;]{1,100}){0,5}),(.*)$/is.exec(src) ?? []
  if (type === undefined) return null
  try {
    const text = /;base64$/i.test(base64) ? atob(decodeURIComponent(data)) : decodeURIComponent(data)
    const bytes = Uint8Array.from(text, (character) => character.charCodeAt(0))
    return new File([bytes], `picture.${type.split('/')[1]}`, { type: type.toLowerCase() })
  } catch {
    return null
  }
}

/**
 * Stores the pictures that came within what was pasted with the desk; the letter names them by their content. One that cannot be kept
 * goes, and its words stay.
 */
async function keepPictures(body: LetterDocument): Promise<{ body: LetterDocument; lost: string[] }> {
  const kept = new Map<string, { src: string; width: number } | null>()
  const lost: string[] = []
  for (const src of picturesOf({ body })) {
    if (!src.startsWith('data:')) continue
    const file = pictureIn(src)
    try {
      if (!file) throw new Told(say.notPngJpegGif)
      kept.set(src, await keepPicture(file))
    } catch (error) {
      kept.set(src, null)
      lost.push(faultWords(error))
    }
  }
  const gone = (part: { type: string; attrs?: unknown }) =>
    part.type === 'image' && kept.get((part.attrs as { src: string }).src) === null
  const changed = changeBlocks(body, (part) => {
    const own = part.type === 'image' ? kept.get(part.attrs.src) : undefined
    if (part.type === 'image' && own)
      return { ...part, attrs: { ...part.attrs, src: own.src, width: part.attrs.width ?? own.width } }
    return 'content' in part && part.content?.some(gone)
      ? ({ ...part, content: part.content.filter((inner) => !gone(inner)) } as typeof part)
      : part
  })
  const content = changed.content.filter((block) => !gone(block))
  return { body: { type: 'doc', content: content.length > 0 ? content : [{ type: 'paragraph' }] }, lost }
}

/**
 * Puts HTML from a word processor or a web page into the letter as structure, and says what was left out.
 * What was copied within the editor itself is not for here.
 */
export async function pasteHtml(editor: Editor, html: string): Promise<void> {
  const { body, removed } = readHtml(html)
  const {
    body: { content },
    lost,
  } = await keepPictures(body)
  const [only] = content as Block[]
  // A few words go into the line where the cursor stands.
  if (content.length === 1 && only.type === 'paragraph') {
    if (only.content) editor.chain().focus().insertContent(only.content).run()
  } else editor.chain().focus().insertContent(content).run()
  const said = [...removed, ...(lost.length > 0 ? [say.picturesCouldNotKept(lost.length, lost[0])] : [])]
  if (said.length > 0) toast(said.join(' '), { duration: 12_000 })
}
