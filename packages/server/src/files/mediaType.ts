/** Media types (IANA) of the files that go with letters, by ending. */
// A map, because endings are what people call their files: “constructor” is an ending like any other.
const types = new Map(
  Object.entries({
    pdf: 'application/pdf',
    doc: 'application/msword',
    docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
    xls: 'application/vnd.ms-excel',
    xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
    odt: 'application/vnd.oasis.opendocument.text',
    ods: 'application/vnd.oasis.opendocument.spreadsheet',
    txt: 'text/plain',
    csv: 'text/csv',
    png: 'image/png',
    jpg: 'image/jpeg',
    jpeg: 'image/jpeg',
    gif: 'image/gif',
    webp: 'image/webp',
    zip: 'application/zip',
    ics: 'text/calendar',
  }),
)

/** The media type of a file by its name's ending; octet-stream when it is not a known one. */
export function typeOf(name: string): string {
  return types.get(name.slice(name.lastIndexOf('.') + 1).toLowerCase()) ?? 'application/octet-stream'
}
