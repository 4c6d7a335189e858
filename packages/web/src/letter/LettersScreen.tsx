import { routes, type ShelfLine } from '@hand-post/contract'
import { startingLetters } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { toast } from 'sonner'
import { ask, faultWords, tellFault, useChange } from '../api.ts'
import { StartRound } from '../rounds/StartRound.tsx'
import { useFind, useKeptScroll } from '../shared/find.tsx'
import { Field, FormFault, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { moment } from '../shared/moment.ts'
import { Ask, Button, Empty, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { Sharing } from '../shared/Sharing.tsx'
import { keeping, LetterLook } from './LetterSheet.tsx'
import { lettersScreen as say } from './words.ts'

/** The letter that was looked at last: it lies there again, when one comes back. */
let lastChosen: number | string | null = null

/** Letters: the shelf, and the letters to start from. */
export default function LettersScreen() {
  const { field, find } = useFind('letters')
  const scroll = useKeptScroll('letters')
  const [chosen, setChosen] = useState<number | string | null>(lastChosen)
  const choose = (key: number | string | null) => {
    lastChosen = key
    setChosen(key)
  }
  const shelf = useQuery(query.shelf(find))
  const wanted = find.trim().toLowerCase()
  const starts = startingLetters.filter((s) => `${s.name} ${s.what}`.toLowerCase().includes(wanted))
  const line = shelf.data?.find((l) => l.id === chosen)
  const start = starts.find((s) => s.name === chosen)
  const entry = (key: number | string, name: string, what: string) => (
    <button
      key={key}
      type="button"
      aria-pressed={chosen === key}
      onClick={() => choose(key)}
      className={clsx(
        'block w-full border-rule border-b px-4 py-2 text-left',
        chosen === key ? 'bg-post-tint' : 'hover:bg-sheet-2',
      )}
    >
      <b>{name}</b>
      <span className="line-clamp-2 block text-[13px] text-ink-2">{what}</span>
    </button>
  )
  return (
    <div className="mx-auto flex h-full max-w-6xl flex-col gap-3 p-5">
      <header className="flex items-end justify-between gap-4">
        <div>
          <h1 className="text-2xl">{say.letters}</h1>
          <p className="text-ink-2">{say.shelfLettersKeptUsed}</p>
        </div>
        {field}
      </header>
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(240px,340px)_1fr] gap-3">
        <nav ref={scroll} aria-label={say.letters} className="paper overflow-auto">
          <h2 className="border-rule border-b bg-sheet-2 px-4 py-1.5 text-[15px]">{say.shelf}</h2>
          {shelf.error ? (
            <p className="px-4 py-2 text-stop">{faultWords(shelf.error)}</p>
          ) : !shelf.data ? (
            <Waiting />
          ) : shelf.data.length === 0 ? (
            <p className="px-4 py-2 text-ink-2">{find ? say.noneName : say.nothingYetRoundFoot}</p>
          ) : (
            shelf.data.map((l) => entry(l.id, l.name, [l.tags.join(', '), l.subject].filter(Boolean).join(' · ')))
          )}
          <h2 className="border-rule border-b bg-sheet-2 px-4 py-1.5 text-[15px]">{say.startFrom}</h2>
          {starts.map((s) => entry(s.name, s.name, s.what))}
        </nav>
        <section aria-label={say.letter} className="paper flex min-h-0 flex-col">
          {line ? (
            <OnShelf key={line.id} line={line} onGone={() => choose(null)} choose={choose} />
          ) : start ? (
            <>
              <LetterLook letter={start.letter} />
              <footer className="border-rule border-t px-3 py-2">
                <StartRound letter={async () => start.letter} />
              </footer>
            </>
          ) : (
            <Empty title={say.letterStandsHere}>{say.chooseOneLeftSee}</Empty>
          )}
        </section>
      </div>
    </div>
  )
}

function OnShelf({ line, onGone, choose }: { line: ShelfLine; onGone: () => void; choose: (id: number) => void }) {
  const params = { letter: line.id }
  const letter = useQuery(query.shelfLetter(line.id, line.changedAt)).data
  const versions = useQuery(query.shelfVersions(line.id, line.changedAt)).data
  const [asking, setAsking] = useState(false)
  const change = useChange(routes.changeOnShelf)
  const copy = useChange(routes.putOnShelf, ({ id }) => choose(id))
  const takeOff = useChange(routes.takeOffShelf, onGone)
  if (!letter) return <Waiting />
  return (
    <>
      <NameAndTags line={line} />
      <LetterLook letter={letter.letter} />
      <footer className="flex flex-wrap items-center gap-2 border-rule border-t px-3 py-2 text-[14px]">
        <StartRound letter={async () => letter.letter} />
        <Button
          onClick={() => copy.mutate({ body: { name: `${line.name} copy`, tags: line.tags, letter: letter.letter } })}
        >
          {say.copy}
        </Button>
        <Sharing kind="letter" thing={line.id} name={line.name} />
        <Button kind="quiet" onClick={() => setAsking(true)}>
          {say.takeOffShelf}
        </Button>
        {(versions?.length ?? 0) > 0 && (
          <label className="ml-auto flex items-center gap-2">
            {say.as}
            <select
              className="input"
              value=""
              onChange={(e) =>
                void ask(routes.version, { params: { version: Number(e.target.value) } })
                  .then(({ letter: older }) => change.mutateAsync({ params, body: { letter: older } }))
                  .then(() => toast(say.letterAsThenWhat))
                  .catch(tellFault)
              }
            >
              <option value="">{say.goBack}</option>
              {versions!.map((v) => (
                <option key={v.id} value={v.id}>
                  {moment(v.at)}: {v.subject}
                </option>
              ))}
            </select>
          </label>
        )}
        <span className="text-[13px] text-ink-2">{say.changed(line.changedAt)}</span>
      </footer>
      <Ask
        open={asking}
        onClose={() => setAsking(false)}
        title={say.takeOffShelf2(line.name)}
        act={
          <Button kind="primary" onClick={() => takeOff.mutate({ params })}>
            {say.takeOff}
          </Button>
        }
      >
        <p>{say.goesGoodWhatBefore}</p>
      </Ask>
    </>
  )
}

/** What a letter on the shelf is called and found by; kept when a field is left. */
function NameAndTags({ line }: { line: ShelfLine }) {
  const form = useSchemaForm(keeping, { name: line.name, tags: line.tags.join(', ') })
  const change = useFormChange(form, routes.changeOnShelf)
  const keep = form.handleSubmit((body) => {
    if (body.name !== line.name || body.tags.join() !== line.tags.join())
      change.mutate({ params: { letter: line.id }, body })
  })
  return (
    <FormProvider {...form}>
      <form noValidate onSubmit={keep} onBlur={() => void keep()} className="border-rule border-b px-3 py-2">
        <div className="grid grid-cols-2 gap-3">
          <Field name="name" label={say.name}>
            {(control) => <input className="input w-full" {...control} />}
          </Field>
          <Field name="tags" label={say.tags}>
            {(control) => <input className="input w-full" {...control} />}
          </Field>
        </div>
        <FormFault />
      </form>
    </FormProvider>
  )
}
