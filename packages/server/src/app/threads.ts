import type { Lanes } from '../threads/compute.ts'
import type { LaneLimits } from '../threads/lane.ts'
import type { Jobs } from './jobs.ts'

const minutes = (n: number) => n * 60_000
const all = new URL('./jobs.ts', import.meta.url).href
const mail = new URL('./mailThread.ts', import.meta.url).href

/**
 * The computing threads. What comes from outside has threads of its own, so that no file and no message can hold up posting or the
 * proof; and each has its limits.
 */
const lanes = {
  /** Never waited for longer than a blink. */
  quick: { memory: 2048, young: 32, patience: minutes(5), forgets: false, restsFor: null, reads: false, jobs: all },
  /** Proofs, posts, and whatever else goes over whole rounds. */
  long: { memory: 4096, young: 32, patience: minutes(10), forgets: true, restsFor: null, reads: false, jobs: all },
  /** Posts of many letters, which take minutes: others have theirs proofed meanwhile. A thread that has to begin for it would hold up few. */
  posting: {
    memory: 4096,
    young: 32,
    patience: minutes(10),
    forgets: true,
    restsFor: minutes(1),
    reads: false,
    jobs: all,
  },
  /** Gives letters their times, where many wait in a mailbox: nothing is sent until it is done. */
  planning: {
    memory: 1024,
    young: 16,
    patience: minutes(10),
    forgets: true,
    restsFor: minutes(1),
    reads: false,
    jobs: all,
  },
  /** Reads tables, cards, letters and models that are given. */
  reading: {
    memory: 1024,
    young: 32,
    patience: minutes(2),
    forgets: true,
    restsFor: minutes(1),
    reads: true,
    jobs: all,
  },
  /** Goes through the contents of files, which may take minutes. */
  files: { memory: 768, young: 16, patience: minutes(2), forgets: true, restsFor: minutes(1), reads: true, jobs: all },
  /** Makes papers and packs of whole rounds, and hands them to the practice mailbox: nothing else waits for that. */
  papers: {
    memory: 3072,
    young: 16,
    patience: minutes(10),
    forgets: true,
    restsFor: minutes(1),
    reads: false,
    jobs: all,
  },
  /** Reads mail, and holds nothing else. */
  mail: {
    memory: 256,
    young: 16,
    patience: minutes(0.5),
    forgets: true,
    restsFor: minutes(1),
    reads: true,
    jobs: mail,
  },
} satisfies Record<string, LaneLimits>
type LaneName = keyof typeof lanes

/** Where each job runs; those that are not named go over whole rounds. */
const laneOf: Partial<Record<keyof Jobs, LaneName>> = {
  counts: 'quick',
  namesOf: 'quick',
  people: 'quick',
  leftOut: 'quick',
  secondEyes: 'quick',
  editList: 'quick',
  undoEdit: 'quick',
  order: 'quick',
  derivedRows: 'quick',
  rowAsItIs: 'quick',
  rowsOfAddresses: 'quick',
  findCells: 'quick',
  rowsWith: 'quick',
  tryRecipe: 'quick',
  messages: 'quick',
  proofPeople: 'quick',
  hearAnew: 'quick',
  // The letters of a whole mailbox wait for it.
  judgeChasers: 'quick',
  postMany: 'posting',
  planFew: 'quick',
  planMany: 'planning',
  namedReturned: 'quick',
  paperLetters: 'quick',
  readFile: 'reading',
  readTable: 'reading',
  makeList: 'reading',
  compareList: 'reading',
  updateList: 'reading',
  readLetter: 'reading',
  letterFile: 'reading',
  readModel: 'reading',
  examine: 'files',
  examineContents: 'files',
  keepReturned: 'files',
  returnedZip: 'papers',
  outcomeSheet: 'papers',
  outcomeLines: 'papers',
  unpack: 'files',
  paper: 'papers',
  mbox: 'papers',
  printLetters: 'papers',
  paperTestPage: 'papers',
  madeZip: 'papers',
  rehearse: 'papers',
  postingRecord: 'papers',
  archiveMbox: 'papers',
  archiveZip: 'papers',
  packBackup: 'papers',
  readIncoming: 'mail',
  readReceived: 'mail',
}

/** The threads of Hand Post, for the pool that runs them. */
export const threads: Lanes = {
  entry: new URL('./thread.ts', import.meta.url),
  lanes,
  laneOf: (job) => laneOf[job as keyof Jobs] ?? 'long',
  // Whoever has just started it most often brings something in; later its thread is begun while the file comes in.
  fromTheStart: ['quick', 'long', 'reading'] satisfies LaneName[],
  passing: 'papers' satisfies LaneName,
}
