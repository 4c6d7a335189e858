import { type Cell, type Column, cellWriter, type Field, inCase, parseTemplate, type Row } from '@hand-post/core'
import { xmlFault } from '../files/xml.ts'
import { packStored, type UnpackLimits, unpack, ZipFault } from '../files/zip.ts'
import { Refusal } from '../problem.ts'

/** What a model may unpack to, how long (octets) and deep its text may be, and how many fields may stand in it. */
const unpacking: UnpackLimits = { largest: 150_000_000, ratio: 200, always: 20_000_000, most: 5000 }
const longestText = 5_000_000
const textLimits = { tags: 200_000, depth: 200 }
const maxFields = 2000

const notAModel = (name: string, why: string) =>
  new Refusal(422, `“${name}” cannot be used as a model: ${why} Nothing was changed.`, 'Not a model')

/** A .docx document with typed fields in it, ready to be filled in. */
export interface Model {
  /** Fields that match no column, each name once. */
  unknown: string[]
  /** One person's document. */
  fill: (row: Row) => Buffer
}

/**
 * Reads a model: a .docx document (ECMA-376) whose fields stand in double braces, as in the letter.
 * @throws Refusal in words when it is none, or its braces do not fit together.
 */
export async function readModel(bytes: Buffer, name: string, columns: Column[]): Promise<Model> {
  if (bytes.subarray(0, 2).toString('latin1') !== 'PK' || !bytes.includes('word/document.xml'))
    throw notAModel(name, 'it is not a .docx document.')
  const parts = await unpack(bytes, unpacking, () => true).catch((error) => {
    if (!(error instanceof ZipFault)) throw error
    throw notAModel(name, `${error.message}. Open it and save it again.`)
  })
  let fields = 0
  for (const [path, content] of parts) {
    if (!/\.xml$/i.test(path)) continue
    const text = content.toString('latin1')
    fields += text.split('{{').length - 1
    const fault =
      content.length > longestText
        ? 'it is longer than any letter.'
        : fields > maxFields
          ? `it has more than ${maxFields.toLocaleString('en-GB')} fields.`
          : xmlFault(text, textLimits)
    if (fault !== null) throw notAModel(name, `${fault} Make it shorter, or open it and save it again.`)
  }
  const checked = packStored(parts)
  // Loaded when a model first wants them.
  const [{ default: Docxtemplater }, { default: PizZip }] = await Promise.all([
    import('docxtemplater'),
    import('pizzip'),
  ])
  const exact = new Map(columns.map((c) => [c.name, c]))
  const folded = new Map(columns.map((c) => [c.name.trim().toLowerCase(), c]))
  const unknown = new Set<string>()
  const writers = new Map<string, (row: Row) => string>()
  const writerOf = (tag: string): ((row: Row) => string) => {
    const [field] = parseTemplate(`{{${tag}}}`)
    const column =
      typeof field === 'string' ? undefined : (exact.get(field.column) ?? folded.get(field.column.trim().toLowerCase()))
    if (typeof field === 'string' || !column) {
      unknown.add(tag)
      return () => ''
    }
    return writerOfField(field, column)
  }
  const open = () =>
    new Docxtemplater(new PizZip(checked), {
      delimiters: { start: '{{', end: '}}' },
      linebreaks: true,
      errorLogging: false,
      // Only fields: whatever else a tag might mean to the library is a field of that name here.
      parser: (tag: string) => ({
        get: (row: Row) => {
          const key = tag.trim()
          let writer = writers.get(key)
          if (!writer) {
            writer = writerOf(key)
            writers.set(key, writer)
          }
          return writer(row)
        },
      }),
      nullGetter: () => '',
    })
  try {
    // Filled in once for nobody: what does not fit together is said before anything is made.
    open().render({ id: 0, position: '', cells: {} })
  } catch (error) {
    const { properties } = error as {
      properties?: { errors?: { properties?: { explanation?: string } }[]; explanation?: string }
    }
    const why = properties?.errors?.map((e) => e.properties?.explanation).find(Boolean) ?? properties?.explanation
    throw notAModel(name, why ? `${why.replace(/\.$/, '')}.` : 'it is damaged or not whole. Open it and save it again.')
  }
  return {
    unknown: [...unknown],
    fill: (row) => {
      const document = open()
      document.render(row)
      return document.getZip().generate({ type: 'nodebuffer', compression: 'DEFLATE' })
    },
  }
}

function writerOfField(field: Field, column: Column): (row: Row) => string {
  const write = cellWriter(column, field.format)
  return (row) => {
    const value = write(row.cells[column.id] as Cell | undefined)
    const cased = field.letterCase ? inCase(value, field.letterCase) : value
    return cased.trim() === '' ? (field.standIn ?? '') : cased
  }
}
