import { routes } from '@hand-post/contract'
import { type Block, changeBlocks, type LetterDocument, picturesOf, readHtml } from '@hand-post/core'
import type { Editor } from '@tiptap/core'
import { toast } from 'sonner'
import { ask, tellFault } from '../api.ts'

/** Pictures that came within what was pasted, stored with the desk; the letter names them by their content. */
async function keepPictures(body: LetterDocument): Promise<LetterDocument> {
  const kept = new Map<string, string>()
  for (const src of picturesOf({ body })) {
    if (!src.startsWith('data:')) continue
    const file = await (await fetch(src)).blob()
    const { src: own } = await ask(routes.addPicture, { query: { name: `picture.${file.type.split('/')[1]}` }, file })
    kept.set(src, own)
  }
  return changeBlocks(body, (part) =>
    part.type === 'image'
      ? { ...part, attrs: { ...part.attrs, src: kept.get(part.attrs.src) ?? part.attrs.src } }
      : part,
  )
}

/**
 * Puts HTML from a word processor or a web page into the letter as structure, and says what was left out.
 * What was copied within the editor itself is not for here.
 */
export async function pasteHtml(editor: Editor, html: string): Promise<void> {
  const { body, removed } = readHtml(html)
  try {
    const { content } = picturesOf({ body }).some((src) => src.startsWith('data:')) ? await keepPictures(body) : body
    const [only] = content as Block[]
    // A few words go into the line where the cursor stands.
    if (content.length === 1 && only.type === 'paragraph') {
      if (only.content) editor.chain().focus().insertContent(only.content).run()
    } else editor.chain().focus().insertContent(content).run()
  } catch (error) {
    tellFault(error)
  }
  if (removed.length > 0) toast(removed.join(' '), { duration: 12_000 })
}
