/** What drafters leave in a letter to come back to. Common practice, no source. */
const patterns = [
  /\bX{3,}\b/g,
  /\[[\p{L}][^\]\n]{0,40}\]/gu,
  /<<[^>\n]{0,40}>>/g,
  /_{4,}/g,
  /\bTB[CDA]\b/g,
  /\?{3,}/g,
  /\{\{|\}\}/g,
]

/** The drafting marks that stand in a text, in order. */
export function draftingMarks(text: string): string[] {
  return patterns
    .flatMap((pattern) => [...text.matchAll(pattern)])
    .sort((a, b) => a.index - b.index)
    .map((match) => match[0])
}

/** How many single slips (a letter added, lost or changed) lie between two words; more than `most` counts as `most + 1`. */
export function slips(a: string, b: string, most = 3): number {
  if (Math.abs(a.length - b.length) > most) return most + 1
  let previous = Array.from({ length: b.length + 1 }, (_, i) => i)
  for (let i = 1; i <= a.length; i++) {
    const row = [i]
    for (let j = 1; j <= b.length; j++)
      row[j] = Math.min(previous[j] + 1, row[j - 1] + 1, previous[j - 1] + (a[i - 1] === b[j - 1] ? 0 : 1))
    previous = row
  }
  return Math.min(previous[b.length], most + 1)
}

const bare = (name: string) => name.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '')

/** The name among `names` that somebody who wrote `name` most likely meant; null when none is near. */
export function nearestName(name: string, names: string[]): string | null {
  const wanted = bare(name)
  let best: string | null = null
  let bestDistance = Math.max(1, Math.min(3, Math.floor(wanted.length / 3))) + 1
  for (const candidate of names) {
    const distance = slips(wanted, bare(candidate))
    if (distance < bestDistance) [best, bestDistance] = [candidate, distance]
  }
  return best ?? names.find((n) => wanted.length > 2 && (bare(n).includes(wanted) || wanted.includes(bare(n)))) ?? null
}
