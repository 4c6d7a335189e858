import { routes } from '@hand-post/contract'
import { compileLetter, type Letter, type StartingLetter, startingLetters } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { Tabs } from 'radix-ui'
import { type ReactNode, useMemo, useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { toast } from 'sonner'
import { z } from 'zod'
import { ask, faultWords, tellFault, useChange } from '../api.ts'
import { MessageFrame, PlainText } from '../rounds/MessageFrame.tsx'
import { pictureAddress } from '../rounds/MessagePane.tsx'
import { isOpen, useLetter, useWork } from '../rounds/RoundContext.tsx'
import { DropArea } from '../shared/DropArea.tsx'
import { Field, FormFault, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { moment } from '../shared/moment.ts'
import { Button, Say, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { brought, letterSheet as say } from './words.ts'

/** A letter as its writer sees it: fields in their typed form. */
export function LetterLook({ letter }: { letter: Letter }) {
  const { subject, html, text } = useMemo(
    () =>
      compileLetter(letter, [], { asWritten: true, pictureAddress, signature: say.signatureMailbox }).merge(
        { id: 0, position: '', cells: {} },
        [],
        say.personalNote,
      ),
    [letter],
  )
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <p className="border-rule border-b px-3 py-1 text-[14px]">
        <span className="text-ink-2">{say.subject}</span> <b className="break-words">{subject || say.noSubject}</b>
      </p>
      {html ? <MessageFrame html={html} /> : <PlainText text={text} />}
    </div>
  )
}

/** A letter that may be taken: where it is from, and how it is had. */
interface Choice {
  key: string
  name: string
  what: string
  fetch: () => Promise<Letter>
}

/** The shelf, what the letter was before, and files: beside the letter that is written. */
export default function LetterSheet({ onClose }: { onClose: () => void }) {
  const { round } = useWork()
  const editable = isOpen(round)
  const tabs: [string, string, ReactNode][] = [
    ...(editable ? ([['begin', say.begin, <Begin key="b" onClose={onClose} />]] as [string, string, ReactNode][]) : []),
    ['keep', say.keepShelf, <Keep key="k" onClose={onClose} />],
    ...(editable ? ([['before', say.as, <Before key="v" onClose={onClose} />]] as [string, string, ReactNode][]) : []),
    ['files', say.files, <Files key="f" />],
  ]
  return (
    <Sheet title={say.letter} wide onClose={onClose}>
      <Tabs.Root defaultValue={tabs[0][0]} className="flex min-h-0 flex-1 flex-col">
        <Tabs.List className="flex gap-1 border-rule border-b bg-sheet-2 px-4 pt-2">
          {tabs.map(([id, name]) => (
            <Tabs.Trigger
              key={id}
              value={id}
              className="-mb-px rounded-t-paper border border-transparent px-3 py-1.5 data-[state=active]:border-rule data-[state=active]:border-b-sheet data-[state=active]:bg-sheet data-[state=active]:font-bold"
            >
              {name}
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        {tabs.map(([id, , content]) => (
          <Tabs.Content key={id} value={id} className="flex min-h-0 flex-1 flex-col data-[state=inactive]:hidden">
            {content}
          </Tabs.Content>
        ))}
      </Tabs.Root>
    </Sheet>
  )
}

/** Puts a letter in place of the one that stands here; what that was stays among the versions. */
function useTake(onClose: () => void) {
  const { letter, replaceLetter } = useLetter()
  return (next: Letter, words: string) => {
    replaceLetter(next)
    onClose()
    toast(words, { action: { label: say.undo, onClick: () => replaceLetter(letter) }, duration: 12_000 })
  }
}

function Choices({
  groups,
  chosen,
  choose,
}: {
  groups: [string, Choice[]][]
  chosen: string | null
  choose: (choice: Choice) => void
}) {
  return groups.map(
    ([title, choices]) =>
      choices.length > 0 && (
        <section key={title} aria-label={title}>
          <h3 className="px-3 pt-3 pb-1 font-bold font-sans text-[13px] text-ink-2">{title}</h3>
          {choices.map((choice) => (
            <button
              key={choice.key}
              type="button"
              aria-pressed={chosen === choice.key}
              onClick={() => choose(choice)}
              className={clsx(
                'block w-full px-3 py-1.5 text-left',
                chosen === choice.key ? 'bg-post-tint' : 'hover:bg-sheet-2',
              )}
            >
              {choice.name}
              <span className="line-clamp-2 block text-[13px] text-ink-2">{choice.what}</span>
            </button>
          ))}
        </section>
      ),
  )
}

/** What may be chosen on the left, how it looks on the right, and the one thing that can be done with it. */
function ChooseLetter({
  groups,
  none,
  act,
  above,
}: {
  groups: [string, Choice[]][]
  /** What is said where there is nothing to choose; null while it is being fetched. */
  none: string | null
  act: (choice: Choice, letter: Letter) => ReactNode
  above?: ReactNode
}) {
  const [chosen, setChosen] = useState<Choice | null>(null)
  const look = useQuery({
    queryKey: ['letter-look', chosen?.key],
    enabled: chosen !== null,
    queryFn: () => chosen!.fetch(),
  })
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[260px_1fr]">
      <div className="overflow-auto border-rule border-r">
        {above}
        {groups.every(([, choices]) => choices.length === 0) &&
          (none === null ? <Waiting /> : <p className="p-3 text-ink-2">{none}</p>)}
        <Choices groups={groups} chosen={chosen?.key ?? null} choose={setChosen} />
      </div>
      <div className="flex min-h-0 flex-col">
        {chosen && look.data ? (
          <>
            <LetterLook letter={look.data} />
            <footer className="flex items-center gap-2 border-rule border-t px-3 py-2">{act(chosen, look.data)}</footer>
          </>
        ) : (
          <p className="p-4 text-ink-2">{look.error ? faultWords(look.error) : say.chooseOneSeeHow}</p>
        )}
      </div>
    </div>
  )
}

const started = (s: StartingLetter): Choice => ({
  key: `start:${s.name}`,
  name: s.name,
  what: s.what,
  fetch: async () => s.letter,
})

function Begin({ onClose }: { onClose: () => void }) {
  const { round } = useWork()
  const [find, setFind] = useState('')
  const take = useTake(onClose)
  const shelf = useQuery(query.shelf(find)).data ?? []
  const wanted = find.trim().toLowerCase()
  const fits = (text: string) => text.toLowerCase().includes(wanted)
  const rounds = (useQuery(query.rounds()).data ?? []).filter((r) => r.id !== round.id && fits(r.title))
  const groups: [string, Choice[]][] = [
    [
      say.shelf,
      shelf.map((l) => ({
        key: `shelf:${l.id}:${l.changedAt}`,
        name: l.name,
        what: [l.tags.join(', '), l.subject].filter(Boolean).join(' · '),
        fetch: async () => (await ask(routes.shelfLetter, { params: { letter: l.id } })).letter,
      })),
    ],
    [say.startFrom, startingLetters.filter((s) => fits(`${s.name} ${s.what}`)).map(started)],
    [
      say.earlierRounds,
      rounds.map((r) => ({
        key: `round:${r.id}:${r.changedAt}`,
        name: r.title,
        what: r.postedAt ? say.posted(r.postedAt) : say.notPosted,
        fetch: async () => (await ask(routes.round, { params: { round: r.id } })).letter,
      })),
    ],
  ]
  return (
    <ChooseLetter
      groups={groups}
      none={say.noLetterNameTry}
      above={
        <div className="p-3 pb-0">
          <input
            type="search"
            aria-label={say.findLetter}
            className="input w-full"
            placeholder={say.findLetter}
            value={find}
            onChange={(e) => setFind(e.target.value)}
          />
        </div>
      }
      act={(choice, letter) => (
        <Button kind="primary" onClick={() => take(letter, say.letterBegan(choice.name))}>
          {say.beginLetter}
        </Button>
      )}
    />
  )
}

function Before({ onClose }: { onClose: () => void }) {
  const { round, written } = useWork()
  const take = useTake(onClose)
  const versions = useQuery(query.versions(round.id, written)).data
  const choices = (versions ?? []).map(
    (v): Choice => ({
      key: `version:${v.id}`,
      name: v.leftBy === null ? moment(v.at) : say.leftBy(moment(v.at), v.leftBy),
      what: v.subject || v.beginning,
      fetch: async () => (await ask(routes.version, { params: { version: v.id } })).letter,
    }),
  )
  return (
    <ChooseLetter
      groups={[[say.whatLetter, choices]]}
      none={versions === undefined ? null : say.nothingYetWhileYou}
      act={(choice, letter) => (
        <Button kind="primary" onClick={() => take(letter, say.letterAgainAs(choice.name))}>
          {say.goBack}
        </Button>
      )}
    />
  )
}

/** The name and the tags of a letter on the shelf; tags are typed in one line, separated by commas. */
export const keeping: z.ZodType<{ name: string; tags: string[] }, { name: string; tags: string }> = z
  .object({ name: z.string(), tags: z.string() })
  .transform(({ name, tags }) => ({
    name,
    tags: tags
      .split(/[,;]/)
      .map((tag) => tag.trim())
      .filter(Boolean),
  }))
  .pipe(routes.putOnShelf.body.pick({ name: true, tags: true }).required())

function Keep({ onClose }: { onClose: () => void }) {
  const { round } = useWork()
  const { letter } = useLetter()
  const shelf = useQuery(query.shelf('')).data ?? []
  const form = useSchemaForm(keeping, { name: round.title, tags: '' })
  const kept = () => {
    toast(say.letterShelf)
    onClose()
  }
  const put = useFormChange(form, routes.putOnShelf, kept)
  const replace = useFormChange(form, routes.changeOnShelf, kept)
  const called = (name: string) => shelf.find((l) => l.name.toLowerCase() === name.trim().toLowerCase())
  const same = called(form.watch('name'))
  const submit = form.handleSubmit(({ name, tags }) => {
    const known = called(name)
    if (known) replace.mutate({ params: { letter: known.id }, body: { letter, ...(tags.length > 0 ? { tags } : {}) } })
    else put.mutate({ body: { name, tags, letter } })
  })
  return (
    <FormProvider {...form}>
      <form noValidate onSubmit={submit} className="max-w-md space-y-4 p-4">
        <Field name="name" label={say.nameShelf}>
          {(control) => (
            <>
              <input className="input w-full" list="shelf-names" {...control} />
              <datalist id="shelf-names">
                {shelf.map((l) => (
                  <option key={l.id} value={l.name} />
                ))}
              </datalist>
            </>
          )}
        </Field>
        <Field name="tags" label={say.tags} hint={say.wordsFindSeparatedCommas}>
          {(control) => <input className="input w-full" placeholder={say.permitsSpring} {...control} />}
        </Field>
        {same && <Say tone="note">{say.shelfAlreadyLetterTakes(same.name)}</Say>}
        <FormFault />
        <Button kind="primary" type="submit" disabled={put.isPending || replace.isPending}>
          {same ? say.putPlace : say.keep}
        </Button>
      </form>
    </FormProvider>
  )
}

/** What stands before a file as it was: nothing of it is run, and nothing fetched from elsewhere. */
const pictureStart =
  '<!doctype html><meta http-equiv="Content-Security-Policy" content="default-src \'none\'; img-src data:; style-src \'unsafe-inline\'"><style>body{font:11pt/1.4 serif;margin:12px;color:#000}</style>'

/** A file as it was, ready for its frame. That would run and fetch nothing of these; without them the browser has nothing to complain of. */
function pictureOf(html: string): string {
  const page = new DOMParser().parseFromString(html, 'text/html')
  for (const part of page.querySelectorAll('script, link, meta, base')) part.remove()
  return pictureStart + page.documentElement.outerHTML
}

function Files() {
  const { round, written } = useWork()
  const { replaceLetter } = useLetter()
  const [said, setSaid] = useState<{ name: string; words: string[]; asItWas: string | null; letter: Letter } | null>(
    null,
  )
  const bring = useChange(routes.bringInLetter)
  const take = async ([file]: File[]) => {
    if (!file) return
    try {
      await written()
    } catch (error) {
      return tellFault(error)
    }
    bring.mutate(
      { params: { round: round.id }, query: { name: file.name }, file },
      {
        onSuccess: ({ letter, said, asItWas }) => {
          replaceLetter(letter)
          setSaid({ name: file.name, words: said, asItWas, letter })
        },
      },
    )
  }
  return (
    <div className="min-h-0 flex-1 space-y-4 overflow-auto p-4">
      {isOpen(round) && (
        <section aria-label={say.bringLetter} className="space-y-2">
          <h3>{say.bringLetter}</h3>
          <DropArea
            label={say.letterFile}
            accept=".docx,.html,.htm,.txt,.md"
            onFiles={(files) => void take(files)}
            className="rounded-paper border-2 border-dashed px-4 py-5 text-center"
            looks={['border-rule', 'border-post bg-post-tint']}
          >
            {(choose) => (
              <>
                {say.dropDocumentDocxHtml}{' '}
                <Button disabled={bring.isPending} onClick={choose}>
                  {bring.isPending ? say.reading : say.chooseFile}
                </Button>
              </>
            )}
          </DropArea>
          <p className="text-[13px] text-ink-2">{say.takesPlaceLetterStands}</p>
          {said && (
            <Say tone={said.words.length > 0 ? 'ask' : 'good'}>
              {brought.isNow(said.name)} {said.words.length === 0 ? brought.allKept : brought.changed}
              <ul className="list-disc pl-5">
                {said.words.map((one) => (
                  <li key={one}>{one}</li>
                ))}
              </ul>
            </Say>
          )}
          {said && (
            <div className="grid h-96 grid-cols-2 gap-2">
              <figure className="flex min-h-0 flex-col border border-rule">
                <figcaption className="bg-sheet-2 px-3 py-1 font-bold text-[13px]">{brought.asItWas}</figcaption>
                {said.asItWas === null ? (
                  <p className="p-3 text-ink-2">{brought.noPicture}</p>
                ) : (
                  <iframe
                    title={brought.asItWas}
                    sandbox=""
                    srcDoc={pictureOf(said.asItWas)}
                    className="min-h-0 flex-1 bg-white"
                  />
                )}
              </figure>
              <figure className="flex min-h-0 flex-col border border-rule">
                <figcaption className="bg-sheet-2 px-3 py-1 font-bold text-[13px]">{brought.asItIs}</figcaption>
                <LetterLook letter={said.letter} />
              </figure>
            </div>
          )}
        </section>
      )}
      <section aria-label={say.handLetterOut} className="space-y-1">
        <h3>{say.handLetterOut}</h3>
        <a className="text-post underline" href={`/api/rounds/${round.id}/letter-file?as=html`} download>
          {say.letterAsHtml}
        </a>
        <p className="text-[13px] text-ink-2">{say.wholeOneFileFields}</p>
      </section>
    </div>
  )
}
