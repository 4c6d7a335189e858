import { lookup } from 'mime-types'

/**
 * The media type (IANA) of a file by its name's ending; octet-stream when it is not a known one. So is a message as a file: as
 * message/rfc822 it would have to go without an encoding (RFC 2046, section 5.2.1), and every octet of a file must arrive.
 */
export function typeOf(name: string): string {
  const type = lookup(name)
  return type && !/^(message|multipart)\//.test(type) ? type : 'application/octet-stream'
}
