import * as XLSX from '@e965/xlsx'
import { type Holder, permitFile, sheetFile, trust } from './world.ts'

const dateCell = (date: Date): XLSX.CellObject => ({ t: 'n', v: date.getTime() / 86_400_000 + 25_569, z: 'd mmm yyyy' })
const amountCell = (v: number): XLSX.CellObject => ({ t: 'n', v, z: '"£"#,##0.00' })

/** The office's workbook: a title block above the headings, and a second sheet of the moorings alone. */
export function holdersWorkbook(people: Holder[], season: number): Buffer {
  const headings = [
    'First name',
    'Last name',
    'Email',
    'Boat',
    'Group',
    'Berth',
    'Permit no',
    'Length (m)',
    'Fee',
    'Insurance seen',
    'Lift-out',
    'Permit file',
  ]
  const table = (rows: Holder[]) => [
    [trust],
    [`Berth holders, season ${season}`],
    [],
    headings,
    ...rows.map((h) => [
      h.first,
      h.last,
      h.email,
      h.boat,
      h.group,
      h.berth,
      h.permit,
      h.length,
      amountCell(h.fee),
      h.insured ? 'yes' : 'no',
      dateCell(h.liftOut),
      permitFile(h),
    ]),
  ]
  const book = XLSX.utils.book_new()
  const add = (name: string, rows: Holder[]) =>
    XLSX.utils.book_append_sheet(book, XLSX.utils.aoa_to_sheet(table(rows)), name)
  add('Berth holders', people)
  add(
    'Moorings',
    people.filter((h) => h.group === 'Swinging mooring'),
  )
  return XLSX.write(book, { type: 'buffer', bookType: 'xlsx' }) as Buffer
}

const field = (text: string) => (/[",\n]/.test(text) ? `"${text.replace(/"/g, '""')}"` : text)
const british = (d: Date) =>
  `${String(d.getUTCDate()).padStart(2, '0')}/${String(d.getUTCMonth() + 1).padStart(2, '0')}/${d.getUTCFullYear()}`
const csv = (rows: string[][]) => `${rows.map((r) => r.map(field).join(',')).join('\r\n')}\r\n`

/** The winter lift-out list as CSV, with a title line above its headings. */
export function liftOutCsv(people: Holder[]): string {
  return csv([
    [`${trust}: winter lift-out`],
    ['Name', 'Email', 'Boat', 'Berth', 'Lift-out', 'Length'],
    ...people.map((h) => [`${h.first} ${h.last}`, h.email, h.boat, h.berth, british(h.liftOut), h.length.toFixed(1)]),
  ])
}

/** The inspection list of the draft that is full of faults: what careful offices meet, in 24 rows. */
export function inspectionCsv(people: Holder[], now: number): string {
  const day = 24 * 60 * 60 * 1000
  const rows = people
    .slice(0, 24)
    .map((h, i) => [
      h.first,
      h.last,
      h.email,
      h.berth,
      british(new Date(now - (3 + (i % 9)) * day)),
      sheetFile(h),
      `${(42 + i * 1.5).toFixed(2)}`,
      british(new Date(now + 40 * day)),
      '',
    ])
  rows[1][0] = rows[1][0].toUpperCase()
  rows[1][1] = rows[1][1].toUpperCase()
  rows[2][8] = Array.from({ length: 20 }, (_, i) => `crew${i + 1}@saltmail.example`).join('; ')
  rows[3][0] = ''
  rows[4][8] = 'harbour'
  rows[5][2] = rows[5][2].replace('@', '')
  rows[6][8] = rows[6][2]
  rows[8][2] = rows[7][2].toUpperCase()
  rows[9][8] = 'piers.oldfield@tidewater.example'
  rows[10][6] = '57.300000000000004'
  rows[11][5] = rows[11][5].toUpperCase()
  rows[12][7] = '46402'
  rows[13][5] = 'inspection-B99.pdf'
  rows[14][2] = rows[14][2].replace(/@.*/, '@tidewatre.example')
  rows[15][5] = rows[0][5]
  rows[16][2] = ''
  rows[17][5] += '; mooring plan.pdf'
  rows[18][5] += '; buoy photographs.pdf'
  rows[19][4] = ''
  rows[20][5] = `note ${people[20].last}.txt`
  rows[21][5] = ''
  return csv([
    ['First name', 'Last name', 'Email', 'Mooring', 'Inspected', 'Sheet', 'Fee', 'Work due', 'Copies to'],
    ...rows,
  ])
}

/** The tenants of the boathouses, half of whom have no mailbox: they get their letters on paper. */
export function boathousesCsv(): string {
  return csv([
    ['Tenant', 'Email', 'Street', 'Town', 'Postcode', 'Boathouse', 'Rent'],
    ['Isolde Farrow', 'isolde.farrow@quaymail.example', '3 Net Loft Row', 'Brindle Quay', 'BQ1 4AA', '1', '£310.00'],
    ['Barnaby Thwaite', '', 'Ropewalk Cottage\n12 Ropewalk', 'Brindle Quay', 'BQ1 4AB', '2', '£310.00'],
    ['Philippa Oakes', 'p.oakes@tidewater.example', '7 Lantern Steps', 'Brindle Quay', 'BQ1 4AD', '3', '£345.00'],
    ['Ambrose Kettle', '', '1 Gull Lane', 'Upper Brindle', 'BQ2 7EF', '4', '£310.00'],
    ['Sidony Marlowe', '', 'Flat 2, The Old Custom House', 'Brindle Quay', 'BQ1 4AG', '5', '£390.00'],
    ['Linus Haverill', 'linus@haverill.example', '22 Capstan Street', 'Brindle Quay', 'BQ1 4AH', '6', '£345.00'],
    ['Euphemia Stroud', '', 'Coastguard House', 'Saltby', 'BQ5 1JK', '7', '£390.00'],
    ['Hector Pym', 'hector.pym@saltmail.example', '9 Ferry Road', 'Brindle Quay', 'BQ1 4AL', '8', '£310.00'],
  ])
}

/** Who looks after each pontoon: for looking up by group. */
export function wardensCsv(): string {
  return csv([
    ['Group', 'Warden', 'Telephone'],
    ['Pontoon A', 'Merryn Cobbold', '01999 555 101'],
    ['Pontoon B', 'Tavish Garrow', '01999 555 102'],
    ['Swinging mooring', 'Odette Lisle', '01999 555 103'],
  ])
}

/** Some of the holders as contact cards (RFC 6350). */
export function committeeCards(people: Holder[]): string {
  return people
    .slice(40, 48)
    .map((h, i) =>
      [
        'BEGIN:VCARD',
        'VERSION:4.0',
        `FN:${h.first} ${h.last}`,
        `N:${h.last};${h.first};;;`,
        `EMAIL:${h.email}`,
        `TEL:01999 555 2${String(i).padStart(2, '0')}`,
        'CATEGORIES:Moorings committee',
        'END:VCARD',
      ].join('\r\n'),
    )
    .join('\r\n')
}
