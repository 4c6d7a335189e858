import { listen } from './shared/live.ts'
import { query } from './shared/queries.ts'
import './app.css'
import { QueryClientProvider, useQuery } from '@tanstack/react-query'
import { lazy, type ReactNode, StrictMode, Suspense, useEffect, useState } from 'react'
import { createRoot } from 'react-dom/client'
import { createBrowserRouter, Outlet, RouterProvider } from 'react-router'
import { Toaster } from 'sonner'
import { queries } from './api.ts'
import { Desk } from './desk/Desk.tsx'
import { TopLine } from './desk/TopLine.tsx'
import { StartRound } from './rounds/StartRound.tsx'
import { Empty, Waiting } from './shared/parts.tsx'
import { addScripts } from './shared/scripts.ts'
import { useTour } from './shared/tour.ts'
import { main as say } from './shared/words.ts'

const Rounds = lazy(() => import('./desk/Rounds.tsx'))
const SignIn = lazy(() => import('./accounts/SignIn.tsx'))
const SignedIn = lazy(() => import('./accounts/SignedIn.tsx'))
const Join = lazy(() => import('./accounts/Join.tsx'))
const AccountScreen = lazy(() => import('./accounts/AccountScreen.tsx'))
const HappenedScreen = lazy(() => import('./accounts/HappenedScreen.tsx'))
const Colleagues = lazy(() => import('./accounts/Colleagues.tsx'))
const RoundScreen = lazy(() => import('./desk/RoundScreen.tsx'))
const RehearsalScreen = lazy(() => import('./rehearsal/RehearsalScreen.tsx'))
const OutTray = lazy(() => import('./dispatch/OutTray.tsx'))
const InTray = lazy(() => import('./responses/InTray.tsx'))
// Fetched when it is first asked for, like every screen but the desk.
const Palette = lazy(() => import('./desk/Palette.tsx'))
const Tour = lazy(() => import('./desk/Tour.tsx'))
const PeopleScreen = lazy(() => import('./people/PeopleScreen.tsx'))
const ListScreen = lazy(() => import('./people/ListScreen.tsx'))
const PersonScreen = lazy(() => import('./responses/PersonScreen.tsx'))
const RoundsOfList = lazy(() => import('./responses/RoundsOfList.tsx'))
const LettersScreen = lazy(() => import('./letter/LettersScreen.tsx'))
const Backups = lazy(() => import('./backup/Backups.tsx'))
const CheckRecord = lazy(() => import('./record/CheckRecord.tsx'))
const Mailboxes = lazy(() => import('./mailboxes/Mailboxes.tsx'))

/** Shown while a program fills the desk: nothing that stands on it is whole yet. */
const BeingFilled = () => (
  <main className="grid h-full place-items-center">
    <Empty title={say.exampleBeingMade}>{say.listsLettersFewWeeks}</Empty>
  </main>
)

function Frame() {
  const [palette, setPalette] = useState(false)
  const tour = useTour()
  const health = useQuery(query.health())
  const mailboxes = useQuery(query.mailboxes())
  const { error } = mailboxes
  const signedOut = error !== null && 'problem' in error && (error.problem as { status: number }).status === 401
  useEffect(() => (signedOut ? undefined : listen((path) => void router.navigate(path))), [signedOut])
  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
        event.preventDefault()
        setPalette(true)
      }
    }
    addEventListener('keydown', key)
    return () => removeEventListener('keydown', key)
  }, [])
  if (health.data?.ready === false) return <BeingFilled />
  if (signedOut)
    return (
      <Suspense fallback={<Waiting />}>
        <SignIn />
      </Suspense>
    )
  return (
    <div className="flex h-full flex-col">
      <a href="#main" className="sr-only focus:not-sr-only">
        {say.contents}
      </a>
      <TopLine openPalette={() => setPalette(true)} />
      {health.error && (
        <p role="alert" className="bg-stop-tint px-4 py-1.5 text-stop">
          {say.handPostDoesNot}
        </p>
      )}
      <main id="main" className="min-h-0 flex-1 overflow-auto">
        <Suspense fallback={<Waiting />}>
          <Outlet />
        </Suspense>
      </main>
      {palette && (
        <Suspense>
          <Palette open setOpen={setPalette} />
        </Suspense>
      )}
      {tour !== null && (
        <Suspense>
          <Tour at={tour} />
        </Suspense>
      )}
      <Toaster
        position="bottom-left"
        closeButton
        toastOptions={{
          // A note that lies over a button must not keep anybody from it: only what can be clicked in the note itself is in the way.
          className:
            '!pointer-events-none !rounded-[3px] !font-sans !text-[15px] [&_a]:pointer-events-auto [&_button]:pointer-events-auto',
        }}
      />
    </div>
  )
}

/** A page that is open to whoever is not signed in. */
const openPage = (path: string, page: ReactNode) => ({
  path,
  element: <Suspense fallback={<Waiting />}>{page}</Suspense>,
  errorElement: <Empty title={say.screenBroke}>{say.nothingLostEverythingKept}</Empty>,
})

const router = createBrowserRouter([
  // Open to whoever has a record and an archive: it asks the desk nothing.
  openPage('/check-record', <CheckRecord />),
  openPage('/join', <Join />),
  openPage('/signed-in', <SignedIn />),
  {
    path: '/',
    element: <Frame />,
    errorElement: <Empty title={say.screenBroke}>{say.nothingLostEverythingKept}</Empty>,
    children: [
      { index: true, element: <Desk /> },
      { path: 'rounds', element: <Rounds /> },
      { path: 'rounds/:round/rehearsal', element: <RehearsalScreen /> },
      { path: 'rounds/:round/:stage?', element: <RoundScreen /> },
      { path: 'people/:part?', element: <PeopleScreen /> },
      {
        path: 'people/lists/:list',
        element: <ListScreen startRound={({ id, name }) => <StartRound list={{ id, name }} />} />,
      },
      { path: 'people/lists/:list/rounds', element: <RoundsOfList /> },
      { path: 'letters', element: <LettersScreen /> },
      { path: 'person', element: <PersonScreen /> },
      { path: 'out-tray', element: <OutTray /> },
      { path: 'in-tray', element: <InTray /> },
      { path: 'mailboxes', element: <Mailboxes /> },
      { path: 'copies', element: <Backups /> },
      { path: 'account', element: <AccountScreen /> },
      { path: 'colleagues', element: <Colleagues /> },
      { path: 'happened', element: <HappenedScreen /> },
      { path: '*', element: <Empty title={say.thereNoSuchPage}>{say.goFromLineAbove}</Empty> },
    ],
  },
])

addScripts()
createRoot(document.getElementById('app')!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
)
