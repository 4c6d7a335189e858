import { routes } from '@hand-post/contract'
import { type Letter, parseTemplate, serializeTemplate } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { stale } from '../api.ts'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { keys, query } from '../shared/queries.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aRound, withRound } from '../testing/samples.ts'
import { editorOf } from './keptEditor.ts'
import LetterStage from './LetterStage.tsx'
import { pasteHtml, pictureIn } from './paste.ts'

/** A picture of one dot: PNG, as its own standard has it (ISO/IEC 15948, made by a drawing program). */
const dot =
  'data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=='

const letter: Letter = {
  subject: 'Berths',
  body: {
    type: 'doc',
    content: [
      {
        type: 'paragraph',
        content: [
          { type: 'text', text: 'Dear ' },
          { type: 'field', attrs: { column: 'Name', standIn: null, format: null, letterCase: null } },
          { type: 'text', text: ', the fee is due.' },
        ],
      },
    ],
  },
}
let roundId = 900
/** A round's letter to be written in; each test has a round of its own, for the last editor is kept. */
async function drawLetter(blank = 0) {
  const desk = openDesk()
  const id = roundId++
  const kept = withRound(desk, aRound({ id, letter }))
  desk.on(routes.columnValues, () => ({ values: [], different: 0, blank }))
  function Stage() {
    const round = useQuery(query.round(id)).data
    return (
      round && (
        <OpenRound round={round} goTo={() => {}}>
          <div style={{ height: 700, width: 800 }}>
            <LetterStage />
          </div>
        </OpenRound>
      )
    )
  }
  const { screen } = await draw(<Stage />)
  const box = screen.getByRole('textbox', { name: 'Letter', exact: true })
  await expect.element(box).toBeVisible()
  const editor = editorOf(id, null as never).editor
  /** The first line as it is stored, with the marks of each piece. */
  const line = () =>
    (
      (editor.getJSON().content?.[0]?.content ?? []) as { text?: string; attrs?: never; marks?: { type: string }[] }[]
    ).map((piece) => [piece.text ?? serializeTemplate([piece.attrs!]), ...(piece.marks ?? []).map((m) => m.type)])
  return { desk, screen, box, editor, line, kept, chip: screen.getByRole('button', { name: /^Name/ }) }
}

test('a chip that is clicked is selected like a word: formats are its own, and what is typed afterwards stands where the cursor is', async () => {
  const { screen, editor, line, chip, box } = await drawLetter()
  await box.getByText(', the fee is due.').click()
  await chip.click()
  await expect.element(screen.getByRole('dialog', { name: 'The field “Name”' })).toBeVisible()
  // The letter keeps the focus, so that the writer writes on.
  expect(document.activeElement?.getAttribute('aria-label')).toBe('Letter')
  await screen.getByRole('button', { name: /^Bold/ }).click()
  expect(line()).toEqual([['Dear '], ['{{Name}}', 'bold'], [', the fee is due.']])
  await screen.getByRole('button', { name: /^Highlight/ }).click()
  expect(line()[1]).toEqual(['{{Name}}', 'bold', 'highlight'])
  await screen.getByRole('button', { name: /^Bold/ }).click()
  expect(line()).toEqual([['Dear '], ['{{Name}}', 'highlight'], [', the fee is due.']])
  // The cursor goes on from the chip.
  await userEvent.keyboard('{Escape}{ArrowRight}')
  expect(editor.state.selection.from).toBe(7)
  await userEvent.keyboard('!')
  expect(
    line()
      .map(([text]) => text)
      .join(''),
  ).toBe('Dear {{Name}}!, the fee is due.')
})

test('the subject takes over what is put from outside, also while it is being written in', async () => {
  const { screen, kept } = await drawLetter()
  const subject = screen.getByRole('textbox', { name: 'Subject' })
  await subject.click()
  await expect.element(subject).toHaveFocus()
  kept.round = {
    ...kept.round,
    letter: { ...kept.round.letter, subject: 'Moorings of {{Name}}' },
    version: kept.round.version + 1,
  }
  await stale(keys.round(kept.round.id))
  await expect.element(subject).toHaveTextContent('Moorings of Name')
  await userEvent.keyboard('{Control>}{End}{/Control}!')
  await expect.poll(() => kept.round.letter.subject).toBe('Moorings of {{Name}}!')
})

test('Enter opens the chip in hand with the focus in it, and Escape goes back to it', async () => {
  const { screen, editor, chip } = await drawLetter()
  await expect.element(chip).toBeVisible()
  editor.chain().focus().setNodeSelection(6).run()
  // The editor takes the focus a frame later: a key that is pressed before goes nowhere.
  await expect.poll(() => document.activeElement?.getAttribute('aria-label')).toBe('Letter')
  await expect.poll(() => editor.isFocused).toBe(true)
  await userEvent.keyboard('{Enter}')
  await expect.element(screen.getByLabelText('Column')).toHaveFocus()
  await userEvent.keyboard('{Escape}')
  await expect.element(screen.getByRole('dialog')).not.toBeInTheDocument()
  await expect.poll(() => document.activeElement?.getAttribute('aria-label')).toBe('Letter')
  expect(editor.state.selection.from).toBe(6)
})

test('where a cell is blank nothing is written, or a stand-in; nothing comes first where many are blank', async () => {
  const { screen, line, chip } = await drawLetter(2)
  await chip.click()
  const ways = screen.getByRole('group', { name: 'Where the cell is blank' }).getByRole('radio')
  await expect.element(screen.getByText('It is blank for 2 of 2 people in the list.')).toBeVisible()
  await expect.element(ways.first()).toHaveAccessibleName('write nothing and close up the space')
  await ways.first().click()
  expect(line()[1]).toEqual(['{{Name, or ""}}'])
  await expect.element(chip).toHaveTextContent('or nothing')
  await screen.getByRole('radio', { name: 'write these words' }).click()
  await expect.element(screen.getByLabelText('The stand-in')).toHaveFocus()
  await userEvent.keyboard('neighbour')
  expect(line()[1]).toEqual(['{{Name, or "neighbour"}}'])
  await screen.getByRole('radio', { name: 'stop at the proof' }).click()
  expect(line()[1]).toEqual(['{{Name}}'])
  // As typed it is read back as it was meant.
  expect(parseTemplate('{{Name, or ""}}')[0]).toMatchObject({ standIn: '' })
})

test('where few are blank a stand-in is offered first', async () => {
  const { screen, chip } = await drawLetter(0)
  await chip.click()
  const ways = screen.getByRole('group', { name: 'Where the cell is blank' }).getByRole('radio')
  await expect.element(ways.first()).toHaveAccessibleName('write these words')
})

test('pictures within pasted text are kept with its words; one that cannot be is left out, and said', async () => {
  const { desk, screen, editor } = await drawLetter()
  desk.on(routes.addPicture, () => ({ src: `file:${'a'.repeat(64)}`, size: 70 }))
  await pasteHtml(
    editor,
    `<p>The pier</p><p><img src="${dot}" alt="pier"></p><p>and <b>after</b></p><img src="data:image/png;base64,%%%">`,
  )
  const types = () => editor.getJSON().content!.map((block) => block.type)
  expect(types()).toContain('image')
  expect(editor.getText()).toContain('The pier')
  expect(editor.getText()).toContain('and after')
  expect(types().filter((type) => type === 'image')).toHaveLength(1)
  await expect.element(screen.getByText(/A picture could not be kept/)).toBeVisible()
})

test('a data address is read by RFC 2397, with and without base64, and nothing else is', () => {
  expect(pictureIn(dot)).toMatchObject({ type: 'image/png', size: 70 })
  expect(pictureIn('data:image/gif,GIF89a%01')).toMatchObject({ type: 'image/gif', size: 7 })
  for (const none of [
    'data:text/html,<b>',
    'data:image/svg+xml,<svg/>',
    'data:image/png;base64,§',
    'https://x.example/a.png',
  ])
    expect(pictureIn(none)).toBeNull()
})

test('a letter is sent as plain text by one tick; what is lost is said beside it, and the tick is kept', async () => {
  const { screen, kept } = await drawLetter()
  const tick = screen.getByRole('checkbox', { name: 'Send as plain text only' })
  await tick.click()
  await expect.element(screen.getByText(/goes as plain text: the words alone/)).toBeVisible()
  await expect.poll(() => kept.round.letter.plain).toBe(true)
  await screen.getByText(', the fee is due.').click()
  await userEvent.keyboard('{Control>}a{/Control}')
  await screen.getByRole('button', { name: /^Bold/ }).click()
  await expect.element(screen.getByText('This letter goes as plain text, without bold.')).toBeVisible()
  await tick.click()
  await expect.element(screen.getByText(/goes as plain text/)).not.toBeInTheDocument()
  await expect.poll(() => kept.round.letter.plain).toBe(false)
})

test('a letter brought in stands beside a picture of what it was, which can neither run nor fetch; all that was changed is said', async () => {
  const { desk, screen, kept } = await drawLetter()
  desk
    .on(routes.shelf, () => [])
    .on(routes.rounds, () => [])
    .on(routes.letterVersions, () => [])
    .on(routes.bringInLetter, () => ({
      letter: { ...letter, subject: 'Brought in' },
      said: ['Left out: its fonts and sizes. A letter has one font.'],
      asItWas: '<p style="font-size:40pt">Dear Ada</p><script>parent.broken = true</script><img src="/api/health">',
    }))
  await screen.getByRole('button', { name: 'Shelf, versions, files…' }).click()
  await screen.getByRole('tab', { name: 'Files' }).click()
  const file = new File(['x'], 'permits.docx')
  await userEvent.upload(screen.getByLabelText('Letter file'), file)
  await expect.element(screen.getByText(/“permits.docx” is the letter now/)).toBeVisible()
  await expect.element(screen.getByText('Left out: its fonts and sizes. A letter has one font.')).toBeVisible()
  const picture = screen.getByTitle('As it was').element() as HTMLIFrameElement
  expect(picture.getAttribute('sandbox')).toBe('')
  expect(picture.srcdoc).toMatch(/default-src 'none'.*Dear Ada/s)
  // Of another origin: nothing of the desk is within its reach, and its script has not run.
  expect(picture.contentDocument).toBeNull()
  expect((window as { broken?: boolean }).broken).toBeUndefined()
  await expect.element(screen.getByRole('figure').nth(1)).toHaveTextContent(/As the letter has it.*Brought in/)
  await expect.poll(() => kept.round.letter.subject).toBe('Brought in')
})

test('a button leads by https where its address was typed without, and to a mailbox where it was one', async () => {
  const { screen, editor, box } = await drawLetter()
  await box.getByText(', the fee is due.').click()
  editor.commands.insertContent({ type: 'button', attrs: { href: '' }, content: [{ type: 'text', text: 'Book' }] })
  await box.getByText('Book').click()
  const leads = screen.getByLabelText('The button leads to')
  const href = () => editor.getAttributes('button').href
  for (const [typed, whole] of [
    ['quay.example/berths', 'https://quay.example/berths'],
    ['ada@quay.example', 'mailto:ada@quay.example'],
    ['{{Link}}', '{{Link}}'],
    ['http://quay.example', 'http://quay.example'],
    ['', ''],
  ]) {
    await leads.fill(typed)
    await userEvent.keyboard('{Tab}')
    await expect.poll(href).toBe(whole)
  }
})
