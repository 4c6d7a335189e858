import { XmlFault } from '../../files/sax.ts'
import { type UnpackLimits, unpack, ZipFault } from '../../files/zip.ts'
import { WorkbookFault } from './limits.ts'
import { readOds } from './ods.ts'
import { readXlsx, type WorkbookRead } from './xlsx.ts'

/** What a workbook may unpack to: beyond is no table but a trap. */
export const unpacking: UnpackLimits = { largest: 400_000_000, ratio: 200, always: 50_000_000, most: 5000 }

/** A workbook is locked with a password. */
export class WorkbookLocked extends Error {}

/**
 * Reads a workbook, .xlsx (ECMA-376) or .ods (ISO/IEC 26300): which it is, is told from its content.
 * @param language of names and separators; left out, it is found.
 * @throws WorkbookLocked; WorkbookFault with words for people, from "it …" on.
 */
export async function readWorkbook(given: Buffer, language?: string): Promise<WorkbookRead> {
  // Pictures and whatever else lies in a workbook do not concern its tables.
  const parts = await unpack(given, unpacking, (path) => /\.(xml|rels)$|^mimetype$/i.test(path)).catch((error) => {
    if (!(error instanceof ZipFault)) throw error
    if (error.kind === 'locked') throw new WorkbookLocked()
    throw new WorkbookFault(
      error.kind === 'damaged'
        ? `${given.includes('xl/workbook') || given.includes('content.xml') ? 'the workbook is damaged or not whole' : 'it is a packed file, but not a workbook'}. Open it and save it again as .xlsx, .ods or .csv.`
        : `${error.message}. If it really is yours, save the sheet as .csv.`,
    )
  })
  const openDocument = String(parts.get('mimetype') ?? '').startsWith('application/vnd.oasis.opendocument.spreadsheet')
  if (given.includes('xl/workbook.bin') && !parts.has('xl/workbook.xml'))
    throw new WorkbookFault(
      'it is a workbook in a binary form that is not read here. Open it and save it as .xlsx, .ods or .csv.',
    )
  if (
    openDocument &&
    (!parts.has('content.xml') || /<[^>]{0,20}encryption-data/.test(String(parts.get('META-INF/manifest.xml') ?? '')))
  )
    throw new WorkbookLocked()
  if (!openDocument && !parts.has('xl/workbook.xml'))
    throw new WorkbookFault('it is a packed file, but not a workbook. Choose a .xlsx, .ods or .csv file.')
  try {
    return openDocument ? readOds(parts, language) : readXlsx(parts, language)
  } catch (error) {
    if (error instanceof WorkbookFault)
      throw new WorkbookFault(`${error.message} Open it, save it again, and choose the new file.`)
    if (error instanceof XmlFault)
      throw new WorkbookFault(
        `the workbook is damaged or not whole (${error.message.slice(0, 200)}). Open it and save it again.`,
      )
    throw error
  }
}
