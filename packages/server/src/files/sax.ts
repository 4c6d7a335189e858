import { SaxesParser } from 'saxes'

/** What is told of an XML document while it is read. Names bear the prefixes that the reader asked for. */
export interface XmlHandler {
  open(name: string, attributes: Record<string, string>): void
  text?(text: string): void
  close?(name: string): void
}

/** How deep parts may stand within one another, and how many characters are handed to the parser at a time. */
const deepest = 200
const atOnce = 500_000

/** A document is no well-formed XML, or goes beyond what is read. */
export class XmlFault extends Error {}

/**
 * Reads an XML document (XML 1.0) from its beginning to its end, in one pass. Entities of its own are not known, so that none swells.
 * @param namespaces by address, the prefix under which names of each are told; '' for none. Whatever prefixes the document has itself.
 * @throws XmlFault in words for the log, when it is not well-formed.
 */
export function readXml(content: Buffer, namespaces: Record<string, string>, handler: XmlHandler): void {
  const parser = new SaxesParser({ xmlns: false, position: false })
  const fail = (why: string): never => {
    throw new XmlFault(why)
  }
  let depth = 0
  // Prefixes of the document that are called otherwise by the reader; nearly always there are none.
  const renamed = new Map<string, string>()
  const rename = (name: string, isAttribute: boolean): string => {
    const colon = name.indexOf(':')
    const prefix = colon < 0 ? '' : name.slice(0, colon)
    // An attribute without a prefix is in no namespace (Namespaces in XML 1.0, section 6.2).
    if (isAttribute && prefix === '') return name
    const wanted = renamed.get(prefix)
    if (wanted === undefined) return name
    return wanted === '' ? name.slice(colon + 1) : `${wanted}:${name.slice(colon + 1)}`
  }
  parser.on('error', () => fail('it is not well-formed XML'))
  parser.on('opentag', (tag) => {
    if (++depth > deepest) fail('its parts stand deeper within one another than those of any document do')
    let attributes = tag.attributes as Record<string, string>
    for (const name in attributes) {
      if (name !== 'xmlns' && !name.startsWith('xmlns:')) continue
      const wanted = namespaces[attributes[name]]
      const prefix = name === 'xmlns' ? '' : name.slice(6)
      if (wanted !== undefined && wanted !== prefix) renamed.set(prefix, wanted)
    }
    if (renamed.size === 0) {
      handler.open(tag.name, attributes)
      return
    }
    const own = attributes
    attributes = Object.create(null)
    for (const name in own) attributes[rename(name, true)] = own[name]
    handler.open(rename(tag.name, false), attributes)
  })
  parser.on('closetag', (tag) => {
    depth--
    handler.close?.(renamed.size === 0 ? tag.name : rename(tag.name, false))
  })
  if (handler.text) {
    const told = handler.text.bind(handler)
    parser.on('text', told)
    parser.on('cdata', told)
  }
  const decoder = new TextDecoder(encodingOf(content), { fatal: false })
  for (let at = 0; at < content.length; at += atOnce)
    parser.write(decoder.decode(content.subarray(at, at + atOnce), { stream: true }))
  parser.write(decoder.decode())
  parser.close()
}

/** The encoding of an XML document by its byte order mark or its declaration (XML 1.0, appendix F); UTF-8 where it says nothing. */
function encodingOf(content: Buffer): string {
  if (content[0] === 0xff && content[1] === 0xfe) return 'utf-16le'
  if (content[0] === 0xfe && content[1] === 0xff) return 'utf-16be'
  const said = /^<\?xml[^>]{0,200}encoding\s{0,9}=\s{0,9}["']([\w-]{1,40})/.exec(
    content.toString('latin1', 0, 300),
  )?.[1]
  try {
    return said ? new TextDecoder(said).encoding : 'utf-8'
  } catch {
    return 'utf-8'
  }
}
