import { fileFacts as say } from './words.ts'
/** What is wrong with a content, whatever it is called. */
export type ContentFault = 'executable' | 'macros' | 'locked' | 'broken' | 'swells'
/** What can be wrong with a file as such, whoever gets it. */
export const fileFaults = ['executable', 'macros', 'locked', 'broken', 'swells', 'empty', 'wrongEnding'] as const
export type FileFault = (typeof fileFaults)[number]

/** What is known of a file's content once it was examined. */
export interface FileFacts {
  /** The ending that the content itself asks for; null when it tells nothing. */
  kind: string | null
  fault: ContentFault | null
  /** What says so, in words: what it is inside, or which part of it. */
  detail: string
  /** Its words, for the guard; null when it has none that can be read. */
  text: string | null
}

/** Endings of files that run when they are opened. Common practice of mail hosts, which refuse them; no one source. */
const runs = new Set(
  'exe com scr pif bat cmd msi msp msix appx jar js jse vbs vbe wsf wsh ps1 psm1 hta cpl lnk reg sh app dmg apk gadget inf iso img vhd'.split(
    ' ',
  ),
)
/** Endings of documents that may carry macros by their very name (ECMA-376's macro-enabled types). */
const macroEndings = new Set('docm dotm xlsm xltm xlsb xlam pptm potm ppsm ppam'.split(' '))

const plainEnding = (name: string) => name.slice(name.lastIndexOf('.') + 1).toLowerCase()

/** Whether a file of this name runs when it is opened. */
export const runsByName = (name: string): boolean => name.includes('.') && runs.has(plainEnding(name))
/** Whether a file of this name is a document that carries macros. */
export const macrosByName = (name: string): boolean => name.includes('.') && macroEndings.has(plainEnding(name))

/** Endings that mean the same content. */
const sameContent = [
  ['jpg', 'jpeg', 'jpe', 'jfif'],
  ['tif', 'tiff'],
  ['htm', 'html', 'xhtml'],
  ['doc', 'xls', 'ppt', 'msg', 'cfb', 'dot', 'pps', 'pub', 'vsd'],
  ['mp4', 'm4v', 'mov'],
  ['ogg', 'oga', 'ogv'],
  ['gz', 'tgz'],
  // Drawings are kept as PDF under an ending of their own.
  ['pdf', 'ai'],
]
/** Endings whose files have a content that can be told by its first bytes; of others nothing is said. */
const tellable = new Set(
  'pdf docx xlsx pptx odt ods odp jpg jpeg png gif webp tif tiff doc xls ppt zip rtf gz 7z rar bmp'.split(' '),
)

/**
 * Whether a name's ending belies the content.
 * @param kind the ending that the content itself asks for, or null when it tells nothing.
 */
export function extensionMismatch(name: string, kind: string | null): boolean {
  const ending = plainEnding(name)
  if (!name.includes('.') || ending === kind) return false
  if (kind === null) return tellable.has(ending)
  // Whatever is packed as a zip may have an ending of its own (.ods, .jar, .kmz).
  if (kind === 'zip') return tellable.has(ending)
  if (sameContent.some((same) => same.includes(ending) && same.includes(kind))) return false
  return tellable.has(ending) || tellable.has(kind)
}

/** What is wrong with a file: by its content as far as that was examined, else by its name. With what says so. */
export function faultOf(
  { name, size }: { name: string; size: number },
  facts: FileFacts | undefined,
): { fault: FileFault; detail: string } | null {
  if (size === 0) return { fault: 'empty', detail: '' }
  if (facts?.fault) return { fault: facts.fault, detail: facts.detail }
  if (runsByName(name)) return { fault: 'executable', detail: '' }
  if (macrosByName(name)) return { fault: 'macros', detail: '' }
  if (facts && extensionMismatch(name, facts.kind))
    return {
      fault: 'wrongEnding',
      detail: facts.kind === null ? say.contentSomethingElse : say.content(facts.kind.toUpperCase()),
    }
  return null
}
