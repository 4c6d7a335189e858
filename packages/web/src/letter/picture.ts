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

/** A picture no larger than a sharp screen shows it in a letter: twice as many dots as pixels. Moving ones stay as they are. */
async function scaled(file: File): Promise<{ kept: File; width: number }> {
  const bitmap = await createImageBitmap(file).catch(() => null)
  const width = bitmap ? Math.min(bitmap.width, widest) : widest
  if (!bitmap || bitmap.width <= 2 * widest || file.type === 'image/gif') return { kept: file, width }
  const canvas = new OffscreenCanvas(2 * widest, Math.round((bitmap.height * 2 * widest) / bitmap.width))
  const context = canvas.getContext('2d')!
  context.imageSmoothingQuality = 'high'
  context.drawImage(bitmap, 0, 0, canvas.width, canvas.height)
  // A photograph stays one; what may be see-through or drawn keeps its form.
  const type = file.type === 'image/jpeg' ? 'image/jpeg' : 'image/png'
  const smaller = await canvas.convertToBlob({ type, quality: 0.85 })
  if (smaller.size >= file.size) return { kept: file, width }
  const name = `${file.name.replace(/\.[^.]*$/, '') || 'picture'}.${type === 'image/jpeg' ? 'jpg' : 'png'}`
  return { kept: new File([smaller], name, { type }), width }
}

/** Stores a picture with the desk; gives by what the letter names it, and how wide it stands there (pixels). */
export async function keepPicture(file: File): Promise<{ src: string; width: number }> {
  const { kept, width } = await scaled(file)
  const { src } = await ask(routes.addPicture, { query: { name: kept.name || 'picture.png' }, file: kept })
  return { src, width }
}

/** Stores pictures with the desk and puts them into the letter. */
export async function addPictures(editor: Editor, files: Iterable<File>): Promise<void> {
  for (const file of files) {
    try {
      const { src, width } = await keepPicture(file)
      editor
        .chain()
        .focus()
        .insertContent({ type: 'image', attrs: { src, alt: null, width } })
        .run()
      // It is in hand, so that its words are asked for.
      let at: number | null = null
      editor.state.doc.descendants((node, pos) => {
        if (node.type.name === 'image' && node.attrs.src === src) at = pos
      })
      if (at !== null) editor.commands.setNodeSelection(at)
    } catch (error) {
      tellFault(error)
    }
  }
}

/** The picture files among what is dropped or pasted. */
export const pictureFiles = (data: DataTransfer | null): File[] =>
  [...(data?.files ?? [])].filter((f) => /^image\/(png|jpeg|gif|webp)$/.test(f.type))
