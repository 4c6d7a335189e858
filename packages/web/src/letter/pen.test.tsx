import { accountRoles, type Company, penIsAnothers, routes } from '@hand-post/contract'
import { type Letter, startingLetters } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { EditorState } from '@tiptap/pm/state'
import { Editor } from '@tiptap/react'
import fc from 'fast-check'
import { beforeEach, expect, test } from 'vitest'
import { queries } from '../api.ts'
import { RoutingSlip } from '../desk/RoutingSlip.tsx'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { useBeingHere } from '../rounds/useCompany.ts'
import { keys, query } from '../shared/queries.ts'
import { thisWindow } from '../shared/thisWindow.ts'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aMailbox, aRound, withList, withRound } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { letterExtensions } from './extensions.ts'
import LetterStage from './LetterStage.tsx'
import { takeOver } from './takeOver.ts'

const [adas, bens] = [
  { id: 1, name: 'Ada Penrose' },
  { id: 2, name: 'Ben Tide' },
]

const words = (text: string): Letter => ({
  ...startingLetters[0].letter,
  body: { type: 'doc', content: [{ type: 'paragraph', content: [{ type: 'text', text }] }] } as Letter['body'],
})

let desk: FakeDesk
let kept: ReturnType<typeof withRound>
let company: Company
/** Ben's window, in a round in which Ada is too. */
beforeEach(() => {
  desk = openDesk()
  kept = withRound(desk, aRound({ letter: words('Dear all') }))
  withList(desk)
  company = { here: [{ window: 'adaswindow', account: adas, stage: 'letter' }], pen: null }
  desk
    .on(routes.me, () => ({
      account: { ...bens, address: 'ben@quay.example', code: false },
      roles: [...accountRoles],
      hasPassword: true,
      recoveryLeft: 0,
    }))
    .on(routes.mailboxes, () => [aMailbox()])
    .on(routes.company, () => company)
    .on(routes.beHere, () => company)
    .on(routes.leaveRound, () => ({}))
})
const held = (by: typeof adas, window: string, asked: NonNullable<Company['pen']>['asked'] = null) => ({
  window,
  account: by,
  heldFor: 60_000,
  asked,
})
const news = async (next: Company) => {
  company = next
  await queries.invalidateQueries({ queryKey: keys.company(5) })
}

function Round() {
  const round = useQuery(query.round(5)).data
  return round ? (
    <OpenRound round={round} goTo={() => {}}>
      <Stage />
    </OpenRound>
  ) : null
}
function Stage() {
  useBeingHere(5, 'letter')
  return <LetterStage />
}
const drawStage = async () => {
  const { screen } = await draw(<Round />)
  const letter = screen.getByRole('textbox', { name: 'Letter', exact: true })
  await expect.element(letter).toHaveTextContent('Dear all')
  return { screen, letter }
}

test('while another writes one reads along, asks for the pen, is told, and writes when it is given', async () => {
  const { screen, letter } = await drawStage()
  await expect.element(letter).toHaveAttribute('contenteditable', 'true')
  await news({ ...company, pen: held(adas, 'adaswindow') })
  await expect.element(screen.getByText('Ada Penrose is writing this letter.')).toBeVisible()
  await expect.element(letter).toHaveAttribute('contenteditable', 'false')
  desk.on(routes.askForPen, ({ body }) => {
    company = { ...company, pen: held(adas, 'adaswindow', { window: body.window, account: bens }) }
    return company
  })
  await screen.getByRole('button', { name: 'Ask for the pen' }).click()
  await expect.element(screen.getByRole('button', { name: 'Asked' })).toBeDisabled()
  await expect.element(screen.getByText(/It is yours when Ada Penrose gives it/)).toBeVisible()
  expect(desk.bodiesOf(routes.askForPen)).toEqual([{ window: thisWindow }])
  // What she writes meanwhile is shown here.
  kept.round = { ...kept.round, letter: words('Dear all of you'), version: 2, letterVersion: 2 }
  await queries.invalidateQueries({ queryKey: keys.round(5) })
  await expect.element(letter).toHaveTextContent('Dear all of you')
  await news({ ...company, pen: held(bens, thisWindow) })
  await expect.element(letter).toHaveAttribute('contenteditable', 'true')
  expect(screen.getByRole('region', { name: 'Who writes the letter' }).elements()).toHaveLength(0)
  // One's own undoing does not take back what she wrote.
  await letter.click()
  const { userEvent } = await import('vitest/browser')
  await userEvent.keyboard('{Control>}{End}{/Control} Yours.')
  await expect.element(letter).toHaveTextContent('Dear all of you Yours.')
  await userEvent.keyboard('{Control>}z{/Control}{Control>}z{/Control}{Control>}z{/Control}')
  await expect.element(letter).toHaveTextContent('Dear all of you')
  await until(() =>
    expect(desk.bodiesOf(routes.changeRound).at(-1)).toMatchObject({
      writtenOn: expect.any(Number),
      window: thisWindow,
    }),
  )
})

test('who asks is shown to whoever writes; what was typed is written before the pen is given; or it is kept', async () => {
  const { screen, letter } = await drawStage()
  await news({ ...company, pen: held(bens, thisWindow, { window: 'adaswindow', account: adas }) })
  await expect.element(screen.getByText('Ada Penrose asks for the pen.')).toBeVisible()
  await expect.element(letter).toHaveAttribute('contenteditable', 'true')
  desk.on(routes.answerAsking, ({ body }) => {
    company = { ...company, pen: body.give ? held(adas, 'adaswindow') : held(bens, thisWindow) }
    return company
  })
  await screen.getByRole('button', { name: 'Keep it for now' }).click()
  await until(() => expect(screen.getByText('asks for the pen').elements()).toHaveLength(0))
  await news({ ...company, pen: held(bens, thisWindow, { window: 'adaswindow', account: adas }) })
  await letter.click()
  const { userEvent } = await import('vitest/browser')
  await userEvent.keyboard('{Control>}{End}{/Control} last')
  await screen.getByRole('button', { name: 'Give it' }).click()
  await expect.element(screen.getByText('Ada Penrose is writing this letter.')).toBeVisible()
  const order = desk.asked.filter(({ route }) => route === routes.changeRound || route === routes.answerAsking)
  expect(order.at(-1)!.body).toEqual({ window: thisWindow, give: true })
  expect(JSON.stringify(desk.bodiesOf(routes.changeRound).at(-1)!.letter)).toContain('Dear all last')
})

test('a letter that was refused because the other has the pen: it is said, hers is shown, and nothing is tried again', async () => {
  const { screen, letter } = await drawStage()
  let tried = 0
  desk.on(routes.changeRound, () => {
    tried++
    kept.round = { ...kept.round, letter: words('Hers'), version: 7, letterVersion: 7 }
    const refused = new Refused(409, 'Ada Penrose is writing the letter. What you wrote is kept among the versions.')
    refused.problem.title = penIsAnothers
    throw refused
  })
  await letter.click()
  const { userEvent } = await import('vitest/browser')
  await userEvent.keyboard('x')
  await expect.element(screen.getByText(/What you wrote is kept among the versions/)).toBeVisible()
  await expect.element(letter).toHaveTextContent(/^Hers$/)
  expect(tried).toBe(1)
  // And the next word is written on hers.
  withRound(desk, kept.round)
  await letter.click()
  await userEvent.keyboard('y')
  await until(() => expect(desk.bodiesOf(routes.changeRound).at(-1)).toMatchObject({ writtenOn: 7 }))
})

test('others are named where they are, each once, and not oneself', async () => {
  company = {
    here: [
      { window: 'adaswindow', account: adas, stage: 'letter' },
      { window: 'adaswindow2', account: adas, stage: 'proof' },
      { window: thisWindow, account: bens, stage: 'letter' },
    ],
    pen: null,
  }
  const { screen } = await draw(
    <OpenRound round={aRound({ list: null })} goTo={() => {}}>
      <RoutingSlip stage="letter" />
    </OpenRound>,
  )
  await expect.element(screen.getByText('Ada Penrose, at Letter and Proof')).toBeVisible()
  expect(screen.getByText(/Ben Tide/).elements()).toHaveLength(0)
  expect(
    screen
      .getByTitle('Ada Penrose is here')
      .elements()
      .map((e) => e.textContent),
  ).toEqual(['AP', 'AP'])
})

test('what another writes elsewhere in the letter leaves cursor and undoing of one’s own where they are', () => {
  const paragraph = (text: string) => ({ type: 'paragraph', content: [{ type: 'text', text }] })
  const letterOf = (...texts: string[]) => ({ type: 'doc', content: texts.map(paragraph) })
  const element = document.body.appendChild(document.createElement('div'))
  const editor = new Editor({ element, extensions: letterExtensions(() => ({ columns: [], person: null })) })
  const texts = () => editor.state.doc.content.content.map((part) => part.textContent)
  const { schema, plugins } = editor.state
  const before = schema.nodeFromJSON(letterOf('one', 'two', 'three', 'four', 'five'))
  editor.view.updateState(EditorState.create({ doc: before, plugins }))
  editor.commands.insertContentAt(4, ' of mine')
  editor.commands.setTextSelection(6)
  takeOver(editor, letterOf('one of mine', 'two', 'three', 'fourth', 'five'))
  expect(editor.state.selection.from).toBe(6)
  editor.commands.undo()
  expect(texts()).toEqual(['one', 'two', 'three', 'fourth', 'five'])
  // In the same place the other’s words stand, and the cursor beside them.
  editor.commands.redo()
  editor.commands.setTextSelection(editor.state.doc.content.size - 1)
  takeOver(editor, letterOf('one of ours', 'two', 'three', 'fourth', 'five'))
  expect(editor.state.selection.from).toBe(editor.state.doc.content.size - 1)
  editor.commands.undo()
  expect(texts()).toEqual(['one of ours', 'two', 'three', 'fourth', 'five'])
  editor.destroy()
  element.remove()
})

test('whatever one writes and another writes, taking over gives what the other wrote, and undoing never brings it back', () => {
  const text = fc.stringMatching(/^[ab ]{0,6}$/)
  const letter = fc
    .array(
      fc.oneof(
        text.map((t) => ({ type: 'paragraph', ...(t ? { content: [{ type: 'text', text: t }] } : {}) })),
        fc.array(text, { minLength: 1, maxLength: 2 }).map((all) => ({
          type: 'bulletList',
          content: all.map((t) => ({
            type: 'listItem',
            content: [{ type: 'paragraph', ...(t ? { content: [{ type: 'text', text: t }] } : {}) }],
          })),
        })),
      ),
      { minLength: 1, maxLength: 4 },
    )
    .map((content) => ({ type: 'doc', content: [...content, { type: 'paragraph' }] }))
  const element = document.body.appendChild(document.createElement('div'))
  const editor = new Editor({ element, extensions: letterExtensions(() => ({ columns: [], person: null })) })
  let updates = 0
  editor.on('update', () => updates++)
  fc.assert(
    fc.property(letter, letter, fc.nat(5), (before, after, place) => {
      // Begun anew, with nothing to undo.
      const { schema, plugins } = editor.state
      editor.view.updateState(EditorState.create({ doc: schema.nodeFromJSON(before), plugins }))
      // A word of one's own, which the other's letter does not have.
      const parts: number[] = [editor.state.doc.content.size]
      editor.state.doc.forEach((_, start) => {
        parts.push(start)
      })
      editor.commands.insertContentAt(parts[place % parts.length], {
        type: 'paragraph',
        content: [{ type: 'text', text: 'Z' }],
      })
      updates = 0
      takeOver(editor, after)
      const next = editor.schema.nodeFromJSON(after)
      expect(editor.state.doc.toJSON()).toEqual(next.toJSON())
      expect(() => editor.state.doc.check()).not.toThrow()
      // It is not told as written here, or it would be written back to the desk.
      expect(updates).toBe(0)
      for (let i = 0; i < 3; i++) editor.commands.undo()
      expect(editor.state.doc.textContent).toBe(next.textContent)
    }),
    { numRuns: 300 },
  )
  editor.destroy()
  element.remove()
})
