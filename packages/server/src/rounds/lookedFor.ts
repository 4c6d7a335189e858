/**
 * What a search over people is in SQL: each word is looked for in name and address, in any order, whatever its case.
 * @param first the number of the first placeholder that is free.
 * @returns conditions on `m`, each with its AND, and the values of their placeholders.
 */
export function wordsLookedFor(find: string, first: number): { where: string; values: string[] } {
  const words = find.toLowerCase().split(/\s+/).filter(Boolean)
  return {
    where: words
      .map((_, i) => `AND (m.address_key LIKE $${i + first} OR lower(m.person) LIKE $${i + first})`)
      .join(' '),
    values: words.map((one) => `%${one.replace(/[\\%_]/g, '\\$&')}%`),
  }
}
