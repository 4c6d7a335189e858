// Brindle Quay Harbour Trust: every name, boat and number here is made up, and every address ends in .example.

export const trust = 'Brindle Quay Harbour Trust'
export const harbourMaster = 'harbourmaster@brindlequay.example'
/** The password of the accounts of the practice mailbox. */
export const password = 'practice'

/** One berth holder, as the office's table has them. */
export interface Holder {
  first: string
  last: string
  email: string
  boat: string
  group: 'Pontoon A' | 'Pontoon B' | 'Swinging mooring'
  berth: string
  permit: string
  /** Metres. */
  length: number
  /** Pounds. */
  fee: number
  insured: boolean
  liftOut: Date
}

const firstNames =
  'Ada Bram Cerys Dougal Elspeth Fergus Greta Hamish Isolde Jory Kerensa Linus Morwenna Nils Ottilie Piran Quilla Rowan Senara Tobias Ursula Vaughan Wenna Xanthe Yestin Zoë Søren Łucja Noémie Bjørn Tamsin'.split(
    ' ',
  )
const lastNames =
  'Penrose Tolland Marrick Quaife Lanyon Brackwell Dunmoor Eastbury Farrow Gilcrest Hollins Ivelet Jessop Kittow Larksmead Merriden Nethercott Oakshott Pellow Quillan Rosevear Sandry Trewhella Umberley Vosper Wadham Yelland Zennor Ashdown Birkett Carrick'.split(
    ' ',
  )
const boats =
  'Morning Tern,Blue Annie,Halcyon,Salt Wind,Lady Brindle,Kittiwake,Second Spring,Merry Dancer,Pilot’s Daughter,Grey Seal,Foxglove,Wandering Star,Petrel,Old Penny,Sea Thrift,Curlew,Marguerite,Little Egret,Northern Light,Spindrift,Tamarisk,Good Intent,Sandpiper,Corncrake,Ebb and Flow,Quiet Water,Osprey,Sweet Briar,Windhover,Sula,Pandora’s Box'.split(
    ',',
  )
const domains = ['saltmail.example', 'village-post.example', 'quaymail.example', 'tidewater.example']

const plain = (name: string) =>
  name.normalize('NFD').replace(/\p{M}/gu, '').replace(/ø/g, 'o').replace(/Ł/g, 'L').toLowerCase()

const day = 24 * 60 * 60 * 1000

/** The 62 berth holders, always the same; their dates lie ahead of `now`. */
export const holders = (now: number): Holder[] => madeUp(now, 62)

function madeUp(now: number, count: number): Holder[] {
  return Array.from({ length: count }, (_, i) => {
    const first = firstNames[(i * 7 + (i > 30 ? 3 : 0)) % firstNames.length]
    const last = lastNames[(i * 11 + (i > 30 ? 5 : 0)) % lastNames.length]
    const group = i % 5 < 2 ? 'Pontoon A' : i % 5 < 4 ? 'Pontoon B' : 'Swinging mooring'
    const length = 5.5 + ((i * 37) % 80) / 10
    const berth = `${group === 'Pontoon A' ? 'A' : group === 'Pontoon B' ? 'B' : 'M'}${String(i + 1).padStart(2, '0')}`
    return {
      first,
      last,
      email: `${plain(first)}.${plain(last)}@${domains[i % domains.length]}`,
      boat: boats[(i * 13) % boats.length] + (i > 30 ? ' II' : ''),
      group,
      berth,
      permit: `BQ-${String(2041 + i * 3)}`,
      length,
      fee: Math.round(length * (group === 'Swinging mooring' ? 41.5 : 63.25) * 100) / 100,
      insured: i % 4 !== 1,
      liftOut: new Date(Math.floor(now / day) * day + (20 + (i % 15)) * day),
    }
  })
}

/** The holders a month on: three are new, one has gone, one has another boat and another has moved. */
export function newer(people: Holder[]): Holder[] {
  const later = madeUp(people[0].liftOut.getTime() - 20 * day, people.length + 3)
  later[9] = { ...later[9], boat: 'Second Thoughts' }
  later[28] = { ...later[28], email: later[28].email.replace(/@.*/, '@harbour-row.example') }
  return later.filter((_, i) => i !== 36)
}

export const permitFile = ({ permit }: Holder) => `permit-${permit}.pdf`
export const sheetFile = ({ berth }: Holder) => `inspection-${berth}.pdf`

/** What certain correspondents do, in simulated minutes after the letter arrives; all others are drawn from the seed. */
export function manners(people: Holder[]): Record<string, object> {
  const of = (i: number) => people[i].email
  return {
    [of(4)]: { bounces: true },
    [of(23)]: { bounces: true },
    [of(31)]: { refused: true },
    [of(12)]: { greylisted: true, opensAfter: 40, repliesAfter: 90 },
    [of(7)]: { scanner: true, opensAfter: 380 },
    [of(18)]: { scanner: true },
    [of(26)]: { away: true },
    [of(40)]: { away: true, opensAfter: 5000, repliesAfter: 5200 },
    [of(0)]: { opensAfter: 4, clicksAfter: 6, repliesAfter: 25, receiptAfter: 4.2 },
    [of(1)]: { opensAfter: 9, repliesAfter: 70, brings: true },
    [of(3)]: { opensAfter: 15, repliesAfter: 130, brings: true, chooses: true },
    [of(9)]: { opensAfter: 30, repliesAfter: 600, strays: true },
    [of(14)]: { opensAfter: 60, repliesAfter: 2000, strays: true },
    [of(35)]: { returnsInWords: 'full' },
    [of(36)]: { returnsInWords: 'unknown' },
  }
}
