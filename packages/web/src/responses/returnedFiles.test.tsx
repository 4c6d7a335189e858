import { type ReturnedFile, routes } from '@hand-post/contract'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aRound, withRound } from '../testing/samples.ts'
import { KeepFiles } from './KeepFiles.tsx'
import { aboutFile, canBeSeen, ReturnedFiles } from './ReturnedFiles.tsx'

const aFile = (parts: Partial<ReturnedFile> = {}): ReturnedFile => ({
  id: 1,
  responseId: 1,
  name: 'form.pdf',
  size: 2048,
  type: 'application/pdf',
  hash: 'a'.repeat(64),
  why: null,
  ours: false,
  fault: null,
  examined: true,
  ...parts,
})
/** A PDF of pages of plain text, written by hand (ISO 32000-1, 7.5); its table of places is left out, which readers mend. */
const aPdf = (...pages: string[]): Blob => {
  const kids = pages.map((_, i) => `${4 + 2 * i} 0 R`).join(' ')
  const objects = [
    '<< /Type /Catalog /Pages 2 0 R >>',
    `<< /Type /Pages /Kids [${kids}] /Count ${pages.length} >>`,
    '<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>',
    ...pages.flatMap((text, i) => {
      const stream = `BT /F1 40 Tf 72 700 Td (${text}) Tj ET`
      return [
        `<< /Type /Page /Parent 2 0 R /MediaBox [0 0 612 792] /Contents ${5 + 2 * i} 0 R /Resources << /Font << /F1 3 0 R >> >> >>`,
        `<< /Length ${stream.length} >>\nstream\n${stream}\nendstream`,
      ]
    }),
  ]
  const body = objects.map((one, i) => `${i + 1} 0 obj\n${one}\nendobj\n`).join('')
  return new Blob([`%PDF-1.4\n${body}trailer << /Root 1 0 R /Size ${objects.length + 1} >>\n%%EOF\n`])
}

let desk: FakeDesk
beforeEach(() => {
  desk = openDesk()
})

test('what is wrong with a file is said beside it, and it is neither shown nor opened', async () => {
  const files = [
    aFile(),
    aFile({ id: 2, name: 'photo.exe', fault: { fault: 'executable', detail: 'it is a program (exe)' } }),
    aFile({ id: 3, name: 'rules.pdf', ours: true }),
    aFile({ id: 4, name: 'all files', hash: null, why: 'The answer is 68 MB large. Save them from the mail program.' }),
    aFile({ id: 5, name: 'new.pdf', examined: false }),
    aFile({ id: 6, name: 'notes.docx', type: 'application/x' }),
  ]
  const { screen } = await draw(<ReturnedFiles files={files} fetching />)
  await expect.element(screen.getByText('Its files are being fetched from the mailbox.')).toBeVisible()
  const line = (name: string) => screen.getByRole('listitem').filter({ hasText: name })
  await expect.element(line('photo.exe')).toHaveTextContent('It is a program (it is a program (exe)): do not open it.')
  await expect.element(line('rules.pdf')).toHaveTextContent('It is your own file, sent back as it was.')
  await expect.element(line('all files')).toHaveTextContent('Save them from the mail program.')
  await expect.element(line('new.pdf')).toHaveTextContent('It is being examined.')
  const looks = screen
    .getByRole('button', { name: /^Look at/ })
    .elements()
    .map((e) => e.getAttribute('aria-label'))
  expect(looks).toEqual(['Look at form.pdf', 'Look at rules.pdf'])
  const saves = screen
    .getByRole('link', { name: /^Save/ })
    .elements()
    .map((e) => e.getAttribute('href'))
  expect(saves).toEqual([1, 2, 3, 6].map((id) => `/api/returned-files/${id}`))
  for (const fault of ['executable', 'macros', 'locked', 'broken', 'swells', 'empty'] as const) {
    expect(canBeSeen(aFile({ fault: { fault, detail: '' } }))).toBe(false)
    expect(aboutFile(aFile({ fault: { fault, detail: 'so it is' } }))).toMatch(/\.$/)
  }
})
test('where none came back, nothing stands there', async () => {
  const { screen } = await draw(<ReturnedFiles files={[]} fetching={false} />)
  await expect.element(screen.getByRole('region', { name: 'Files that came back' })).not.toBeInTheDocument()
})

describe('looking at a file', () => {
  const look = async (file: ReturnedFile, content: BodyInit | (() => never)) => {
    desk.on(routes.returnedFile, (typeof content === 'function' ? content : () => content) as never)
    const { screen } = await draw(<ReturnedFiles files={[file]} fetching={false} />)
    await screen.getByRole('button', { name: /^Look at/ }).click()
    return screen
  }
  /** Whether anything is drawn on a canvas. */
  const isDrawn = (canvas: Element) => {
    const { width, height } = canvas as HTMLCanvasElement
    const { data } = (canvas as HTMLCanvasElement).getContext('2d')!.getImageData(0, 0, width, height)
    return data.some((value, i) => i % 4 < 3 && value < 100 && data[i - (i % 4) + 3] > 0)
  }
  test('shows each page of a PDF', async () => {
    const screen = await look(aFile(), aPdf('Signed on Thursday', 'Second page'))
    const page = screen.getByRole('img', { name: 'Page 2 of 2 of form.pdf' })
    await expect.element(page).toBeVisible()
    await expect.poll(() => isDrawn(page.element())).toBe(true)
  })
  test('says of a PDF that is damaged that it cannot be shown, and what to do', async () => {
    const screen = await look(aFile(), 'no PDF at all')
    await expect.element(screen.getByText(/^The pages of this PDF cannot be shown: it is damaged/)).toBeVisible()
    await expect.element(screen.getByRole('link', { name: 'Save it' })).toHaveAttribute('download', 'form.pdf')
  })
  test('says of one that is gone that it is', async () => {
    const screen = await look(aFile(), () => {
      throw new Refused(404, 'There is no such file.')
    })
    await expect.element(screen.getByText('The file is not there any more. Load the page again.')).toBeVisible()
  })
  test('says of a picture that is none that it cannot be shown', async () => {
    const screen = await look(aFile({ name: 'photo.png', type: 'image/png' }), 'x')
    await expect.element(screen.getByText(/^This picture cannot be shown\./)).toBeVisible()
  })
})

describe('keeping all of a round together', () => {
  const round = aRound({ postedAt: 1 })
  const kept = (id: number, person: string, keptAs: string | null, parts: Partial<ReturnedFile> = {}) => ({
    ...aFile({ id, name: `scan${id}.pdf`, ...parts }),
    rowId: id,
    person,
    at: 1,
    keptAs,
  })
  let files: ReturnType<typeof kept>[]
  beforeEach(() => {
    withRound(desk, round)
    files = [
      kept(1, 'Ada', 'Ada.pdf'),
      kept(2, 'Bram', null, { fault: { fault: 'executable', detail: '' } }),
      kept(3, 'Cy', 'Cy.pdf'),
    ]
    desk.on(routes.returnedFiles, ({ query }) => ({
      files:
        query.pattern === '{{Name}}'
          ? files
          : files.map((f) => ({ ...f, keptAs: f.keptAs && `${query.pattern}-${f.keptAs}` })),
      count: files.length,
      toFetch: 0,
      unknown: query.pattern.includes('Quay') ? ['Quay'] : [],
    }))
  })
  afterEach(() => {
    delete (window as { showDirectoryPicker?: unknown }).showDirectoryPicker
  })
  const open = async () => {
    const { screen } = await draw(
      <OpenRound round={round} goTo={() => {}}>
        <KeepFiles onClose={() => {}} />
      </OpenRound>,
    )
    await expect.element(screen.getByText(/people|person|No files|answer/).first()).toBeVisible()
    return screen
  }
  test('it is said what each is called and what is left out; the zip is asked for by the same pattern', async () => {
    const screen = await open()
    await expect.element(screen.getByText('3 people: 3 files')).toBeVisible()
    await expect.element(screen.getByText('left out: It is a program: do not open it.')).toBeVisible()
    await userEvent.fill(screen.getByRole('combobox'), '{{Quay}}')
    await expect.element(screen.getByText('{{Quay}}-Ada.pdf')).toBeVisible()
    await expect.element(screen.getByText('The list has no column “Quay”: nothing is written for it.')).toBeVisible()
    await expect
      .element(screen.getByRole('link', { name: 'Keep 2 files as a zip' }))
      .toHaveAttribute('href', `/api/rounds/5/returned-files.zip?pattern=${encodeURIComponent('{{Quay}}')}`)
  })
  test('before anything came back it says so, and what is on its way', async () => {
    files = []
    desk.on(routes.returnedFiles, () => ({ files: [], count: 0, toFetch: 2, unknown: [] }))
    const screen = await open()
    await expect.element(screen.getByText('2 answers bring files that are still being fetched.')).toBeVisible()
    await expect.element(screen.getByRole('link')).not.toBeInTheDocument()
  })
  /** A folder of the browser's, kept in memory. */
  const folderWith = (...there: string[]) => {
    const written = new Map<string, number>()
    const folder = {
      name: 'Permits',
      async *keys() {
        yield* there
      },
      getFileHandle: async (name: string) => ({
        createWritable: async () =>
          new WritableStream<Uint8Array>({
            write: (chunk) => void written.set(name, (written.get(name) ?? 0) + chunk.length),
          }),
      }),
    }
    Object.assign(window, { showDirectoryPicker: vi.fn(async () => folder) })
    return written
  }
  test('they are written to a folder that is chosen', async () => {
    desk.on(routes.returnedFile, (() => 'contents') as never)
    const written = folderWith('other.pdf')
    const screen = await open()
    await screen.getByRole('button', { name: 'Write to a folder…' }).click()
    await expect.element(screen.getByText('2 files written to the folder “Permits”.')).toBeVisible()
    expect([...written]).toEqual([
      ['Ada.pdf', 8],
      ['Cy.pdf', 8],
    ])
  })
  test('nothing in it is written over', async () => {
    const written = folderWith('ada.PDF')
    const screen = await open()
    await screen.getByRole('button', { name: 'Write to a folder…' }).click()
    await expect
      .element(screen.getByText(/has a file of this name already: Ada\.pdf\. Nothing was written\./))
      .toBeVisible()
    expect(written.size).toBe(0)
  })
  test('where it breaks off, it is said how far it came', async () => {
    desk.on(routes.returnedFile, (({ params }: { params: { file: string } }) => {
      if (params.file === '3') throw new Refused(404, 'gone')
      return 'contents'
    }) as never)
    folderWith()
    const screen = await open()
    await screen.getByRole('button', { name: 'Write to a folder…' }).click()
    await expect
      .element(screen.getByText('1 of 2 were written, then it broke off: scan3.pdf is not there any more.'))
      .toBeVisible()
  })
  test('a browser that knows no folders offers the zip alone', async () => {
    Object.assign(window, { showDirectoryPicker: undefined })
    const screen = await open()
    await expect.element(screen.getByRole('link', { name: 'Keep 2 files as a zip' })).toBeVisible()
    await expect.element(screen.getByRole('button', { name: 'Write to a folder…' })).not.toBeInTheDocument()
  })
})
