import { useQuery } from '@tanstack/react-query'
import { query } from '../shared/queries.ts'
import { useWork } from './RoundContext.tsx'

/** From which share of the list on a column is blank for many: then to write nothing is the likelier wish. */
const many = 0.1

/** For how many of the list a column is blank, by its heading; null until it is known, and where there is no such column. */
export function useBlanks(heading: string): { blank: number; of: number; many: boolean } | null {
  const { list } = useWork().round
  const column = list?.columns.find((c) => c.name.trim().toLowerCase() === heading.trim().toLowerCase())
  const found = useQuery({
    ...query.columnValues(list?.id ?? 0, list?.version ?? 0, column?.id ?? '', ''),
    enabled: column !== undefined,
  }).data
  if (!list || !found) return null
  return { blank: found.blank, of: list.rowCount, many: found.blank > many * list.rowCount }
}
