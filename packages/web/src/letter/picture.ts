import { routes } from '@hand-post/contract'
import type { Editor } from '@tiptap/core'
import { Image } from '@tiptap/extension-image'
import { ask, tellFault } from '../api.ts'
import { pictureAddress } from '../rounds/MessagePane.tsx'

/** The widest a picture stands in a letter, in pixels: what a 600 px message leaves between its margins. */
const widest = 568

const ours = /^\/api\/files\/([0-9a-f]{64})/

/** A picture of the letter. Only Hand Post's own are taken; a pasted page's pictures would be fetched from elsewhere. */
export const Picture = Image.extend({
  addAttributes: () => ({
    src: {
      default: '',
      parseHTML: (e) => `file:${ours.exec(e.getAttribute('src') ?? '')?.[1]}`,
      renderHTML: ({ src }) => ({ src: pictureAddress(src) }),
    },
    alt: { default: null },
    width: { default: null, parseHTML: (e) => Number(e.getAttribute('width')) || null },
  }),
  parseHTML: () => [{ tag: 'img[src^="/api/files/"]' }],
  addInputRules: () => [],
})

/** Stores pictures with the desk and puts them into the letter. */
export async function addPictures(editor: Editor, files: Iterable<File>): Promise<void> {
  for (const file of files) {
    try {
      const { src } = await ask(routes.addPicture, { query: { name: file.name || 'picture.png' }, file })
      const bitmap = await createImageBitmap(file).catch(() => null)
      const width = bitmap ? Math.min(bitmap.width, widest) : widest
      editor
        .chain()
        .focus()
        .insertContent({ type: 'image', attrs: { src, alt: null, width } })
        .run()
    } catch (error) {
      tellFault(error)
    }
  }
}

/** The picture files among what is dropped or pasted. */
export const pictureFiles = (data: DataTransfer | null): File[] =>
  [...(data?.files ?? [])].filter((f) => /^image\/(png|jpeg|gif|webp)$/.test(f.type))
