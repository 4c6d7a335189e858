import { readFile } from 'node:fs/promises'
import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import type { CountryResponse } from 'mmdb-lib'

/** Tells the country that an address of the network is registered in. */
export interface Countries {
  /** @returns its code (ISO 3166-1); undefined for addresses of no country, as those of one's own machine are. */
  of(address: string): string | undefined
}

/** The data of the address registries that are in the public domain, as a package brings them: it is read here, and nobody is asked. */
const registry = '@ip-location-db/geo-whois-asn-country-mmdb'

/** Reads the data of the address registries into memory. */
export async function readCountries(): Promise<Countries> {
  const { Reader } = await import('mmdb-lib')
  const folder = dirname(createRequire(import.meta.url).resolve(`${registry}/package.json`))
  const reader = new Reader<CountryResponse & { country_code?: string }>(
    await readFile(join(folder, 'geo-whois-asn-country.mmdb')),
  )
  return {
    of(address) {
      try {
        const found = reader.get(address.replace(/^::ffff:/i, ''))
        const code = found?.country_code ?? found?.country?.iso_code
        return code !== undefined && /^[A-Z]{2}$/.test(code) ? code : undefined
      } catch {
        // What is no address has no country.
        return undefined
      }
    },
  }
}
