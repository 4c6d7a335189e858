/** The most rows and columns that a sheet has (ECMA-376 Part 1, 18.3.1.73 and 18.18.7, as the programs that write them keep to). */
const maxRows = 1_048_576
const maxColumns = 16_384
/** The most filled cells that are read of a workbook, and how many merged ranges, covering how many rows together. */
const maxCells = 5_000_000
const maxMerged = 100_000
const maxMergedRows = 2_000_000

/** A workbook has more than a table can have, or is damaged; the message is for people, from "it …" on. */
export class WorkbookFault extends Error {}

const say = (n: number) => n.toLocaleString('en-GB')

/** Counts what a workbook holds while it is read, and stops at what no workbook has. */
export class WorkbookLimits {
  private cells = 0
  private merged = 0
  private mergedRows = 0

  place(what: 'row' | 'column', n: number): void {
    const most = what === 'row' ? maxRows : maxColumns
    if (n > most)
      throw new WorkbookFault(
        `it numbers a ${what} ${say(n)}, and a sheet has ${say(most)} at most; the file is damaged.`,
      )
  }
  filled(cells: number): void {
    this.cells += cells
    if (this.cells > maxCells)
      throw new WorkbookFault(`it has more than ${say(maxCells)} filled cells, more than a list can have.`)
  }
  merge(rows: number): void {
    this.merged++
    this.mergedRows += Math.max(0, Math.min(rows, maxRows))
    if (this.merged > maxMerged || this.mergedRows > maxMergedRows)
      throw new WorkbookFault('it has more merged cells than a sheet has; the file is damaged.')
  }
}
