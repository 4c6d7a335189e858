import { type Row, shown } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { cellIn } from '../people/packed.ts'
import { baseName, compileName, endingOf, exactKey, type Near, namesInCell, nearFiles, safeName } from './names.ts'

/** A file of the round, known by its name as it was given. */
export interface RoundFile {
  id: number
  name: string
  /** The folders that it lay in when it was added, separated by "/"; '' when it was added alone. */
  folder: string
  /** SHA-256 of its content. */
  hash: string
  /** Bytes as stored. */
  size: number
  /** `common` goes to everybody, `own` to whom it belongs. */
  role: 'common' | 'own'
}

/** How own files find their people. */
export interface Matching {
  /** The column whose cells name them, by id. */
  column: string | null
  /** A name with fields in it, as {@link compileName} takes it. */
  pattern: string | null
  /** Files given to a person by hand: file ids by row id. */
  byHand: ReadonlyMap<number, number[]>
  /** Files made for people: file id by row id. */
  made: ReadonlyMap<number, number>
  /** What own files are called on the way out, with fields in it; the ending stays. Null leaves their names. */
  sentAs: string | null
  /** What files that are made are called, with fields in it; left out where none are made. */
  madeName?: string | null
}
export const noMatching: Matching = { column: null, pattern: null, byHand: new Map(), made: new Map(), sentAs: null }

/** A file on its way with a message. */
export interface EnclosedFile extends RoundFile {
  /** The name it has in the message. */
  sentAs: string
  by: 'common' | 'column' | 'pattern' | 'hand' | 'made'
}

/** A name for which there is no file. */
export interface MissingFile {
  name: string
  by: 'column' | 'pattern'
  near: Near<RoundFile> | null
}

/** One person's enclosures. */
export interface Enclosed {
  files: EnclosedFile[]
  missing: MissingFile[]
  /** Names for which there are several files with other contents: which is meant nobody can tell. */
  doubtful: { name: string; files: RoundFile[] }[]
}

export type Encloser = (row: Row, rows?: Row[]) => Enclosed

/** What files are found by, made once for as long as they are the same. */
const indexes = new WeakMap<RoundFile[], ReturnType<typeof indexed>>()
function indexOf(files: RoundFile[]): ReturnType<typeof indexed> {
  let index = indexes.get(files)
  if (!index) {
    index = indexed(files)
    indexes.set(files, index)
  }
  return index
}
function indexed(files: RoundFile[]) {
  const own = files.filter((f) => f.role === 'own')
  const byName = new Map<string, RoundFile[]>()
  for (const file of own) {
    const key = exactKey(file.name)
    const same = byName.get(key)
    if (same) same.push(file)
    else byName.set(key, [file])
  }
  return {
    common: files.filter((f) => f.role === 'common'),
    byName,
    byId: new Map(own.map((f) => [f.id, f])),
    near: nearFiles(own),
  }
}

/**
 * Prepares the files of a round for matching: the returned function gives each message its common files and the own ones of
 * its row or, where it is for several, of all its rows. A name with folders is a file that lay there; a bare name is any of
 * that name.
 */
export function encloser(files: RoundFile[], columns: Column[], matching: Matching): Encloser {
  const { common, byName, byId, near } = indexOf(files)
  const pattern = matching.pattern ? compileName(matching.pattern, columns) : null
  const outgoing = matching.sentAs ? compileName(matching.sentAs, columns) : null
  const { column } = matching

  /** The files that a name, with or without folders, may mean. */
  const named = (path: string): RoundFile[] => {
    const same = byName.get(exactKey(baseName(path))) ?? []
    const folder = exactKey(path.slice(0, Math.max(0, path.lastIndexOf('/'))))
    const there =
      folder === ''
        ? same
        : same.filter(
            (f) =>
              `/${folder}/`.endsWith(`/${exactKey(f.folder)}/`) || `/${exactKey(f.folder)}/`.endsWith(`/${folder}/`),
          )
    // A path from another machine says nothing about folders here.
    return there.length > 0 ? there : same
  }

  return (row, rows = [row]) => {
    const enclosed: Enclosed = { files: [], missing: [], doubtful: [] }
    const had = new Set<number>()
    const take = (file: RoundFile, by: EnclosedFile['by']) => {
      if (had.has(file.id)) return
      had.add(file.id)
      enclosed.files.push({ ...file, sentAs: file.name, by })
    }
    const look = (path: string, by: 'column' | 'pattern') => {
      const found = named(path)
      if (found.length === 0) enclosed.missing.push({ name: baseName(path), by, near: near(baseName(path)) })
      else if (found.some((f) => f.hash !== found[0].hash))
        enclosed.doubtful.push({ name: baseName(path), files: found })
      else take(found[0], by)
    }
    for (const file of common) take(file, 'common')
    if (column !== null)
      for (const name of new Set(rows.flatMap((one) => namesInCell(shown(cellIn(one, column)))))) look(name, 'column')
    if (pattern) {
      const names = new Set(rows.map(pattern.of).filter((name) => name !== null))
      for (const name of names) look(name, 'pattern')
    }
    for (const one of rows)
      for (const id of matching.byHand.get(one.id) ?? []) {
        const file = byId.get(id)
        if (file) take(file, 'hand')
      }
    const made = byId.get(matching.made.get(row.id) ?? -1)
    const name = outgoing?.of(row) ?? null
    if (name !== null)
      for (const file of enclosed.files) if (file.by !== 'common') file.sentAs = outgoingName(name, file.name)
    // What was given by hand stands for what a name did not find.
    const given = enclosed.files.filter((f) => f.by === 'hand').length
    if (given >= enclosed.missing.length + enclosed.doubtful.length) {
      enclosed.missing = []
      enclosed.doubtful = []
    }
    // What is made has its own name.
    if (made) take(made, 'made')
    const used = new Set<string>()
    for (const file of enclosed.files) file.sentAs = freshName(file.sentAs, used)
    return enclosed
  }
}

/** A name on the way out: safe, with the ending of the file itself. */
function outgoingName(name: string, file: string): string {
  const ending = endingOf(file)
  return safeName(ending !== '' && endingOf(name) === ending ? name : `${name}${ending}`)
}

/** A name that none of those used has: "permit.pdf", then "permit (2).pdf". */
function freshName(name: string, used: Set<string>): string {
  const ending = /\.[\p{L}\p{N}]{1,8}$/u.exec(name)?.[0] ?? ''
  let fresh = name
  for (let n = 2; used.has(fresh.toLowerCase()); n++)
    fresh = `${name.slice(0, name.length - ending.length)} (${n})${ending}`
  used.add(fresh.toLowerCase())
  return fresh
}
