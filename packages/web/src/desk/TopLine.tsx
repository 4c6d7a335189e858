import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { CircleUser, HelpCircle, LogOut, Moon, Search, Sun } from 'lucide-react'
import { lazy, Suspense, useEffect, useState } from 'react'
import { Link, NavLink, useMatch } from 'react-router'
import { signOut, tellFault } from '../api.ts'
import { practice } from '../mailboxes/words.ts'
import { HandMark } from '../shared/HandMark.tsx'
import { useMe } from '../shared/me.ts'
import { Button } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { topLine as say } from './words.ts'

/** The theme the reader chose, else the system's; kept on this machine. */
function useTheme(): [string, () => void] {
  const [theme, setTheme] = useState(
    () => localStorage.getItem('theme') ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light'),
  )
  useEffect(() => {
    document.documentElement.dataset.theme = theme
  }, [theme])
  return [
    theme,
    () => {
      const next = theme === 'dark' ? 'light' : 'dark'
      localStorage.setItem('theme', next)
      setTheme(next)
    },
  ]
}

/** The first letters of a name's first and last word. */
function initials(name: string): string {
  const words = name.trim().split(/\s+/)
  return [words[0], ...words.slice(1).slice(-1)].map((word) => [...word][0]?.toUpperCase() ?? '').join('')
}

/** The line on top of every screen. */
export function TopLine({ openPalette }: { openPalette: () => void }) {
  const [theme, turnTheme] = useTheme()
  const asksPassword = useQuery(query.health()).data?.asksPassword ?? false
  const me = useMe()
  const mailboxes = useQuery(query.mailboxes()).data
  // The mailbox of the round that is open, else the first.
  const open = useMatch('/rounds/:round/*')?.params.round
  const ofRound = useQuery({ ...query.round(Number(open ?? 0)), enabled: open !== undefined }).data?.mailboxId
  const mailbox = mailboxes?.find((m) => m.id === ofRound) ?? mailboxes?.[0]
  const out = useQuery(query.outTray()).data?.waiting ?? 0
  const inOpen = useQuery(query.inTrayOpen()).data?.open ?? 0
  /** Each place, with how many things lie there, where that is counted. */
  const places: [path: string, name: string, count?: number][] = [
    ['/', say.desk],
    ['/rounds', say.rounds],
    ['/people', say.people],
    ['/letters', say.letters],
    ['/out-tray', say.outTray, out],
    ['/in-tray', say.tray, inOpen],
    ['/mailboxes', say.mailboxes],
  ]
  return (
    <header className="flex min-h-12 shrink-0 items-center gap-x-4 border-rule border-b bg-sheet px-4 max-sm:flex-wrap max-sm:px-2">
      <Link to="/" className="flex items-center gap-2 whitespace-nowrap font-semibold font-title text-lg">
        <HandMark /> {say.handPost}
      </Link>
      <nav
        aria-label={say.main}
        className="flex gap-1 self-stretch max-sm:order-last max-sm:h-10 max-sm:w-full max-sm:overflow-x-auto"
      >
        {places.map(([to, name, count]) => (
          <NavLink
            key={to}
            to={to}
            end={to === '/'}
            className={({ isActive }) =>
              clsx(
                'flex items-center gap-1.5 whitespace-nowrap border-b-2 px-2.5',
                isActive ? 'border-post font-bold' : 'border-transparent hover:bg-sheet-2',
              )
            }
          >
            {/* As wide as it is in bold, so that nothing beside it moves when it becomes the page in hand. */}
            <span
              data-name={name}
              className="after:invisible after:block after:h-0 after:overflow-hidden after:font-bold after:content-[attr(data-name)/'']"
            >
              {name}
            </span>
            {count !== undefined && (
              <span
                className={clsx(
                  'min-w-9 rounded-paper bg-post-tint px-1.5 text-center text-[13px] text-ink',
                  count === 0 && 'invisible',
                )}
              >
                {count.toLocaleString('en-GB')}
              </span>
            )}
          </NavLink>
        ))}
      </nav>
      <div className="ml-auto flex items-center gap-2">
        {mailbox && (
          <Link
            to="/mailboxes"
            className="flex items-center gap-2 text-[13px] max-lg:hidden"
            title={`${mailbox.name}, ${mailbox.address}`}
          >
            <svg aria-hidden="true" viewBox="0 0 40 8" className="h-2 w-10">
              <rect width="40" height="8" className="fill-sheet-2 stroke-rule" />
              <rect width={(40 * mailbox.allowance) / mailbox.perDay} height="8" className="fill-post" />
            </svg>
            <span>
              {mailbox.practice ? practice.inList(mailbox.name) : mailbox.name}:{' '}
              {mailbox.stopped || mailbox.pausedUntil ? say.paused : say.leftToday(mailbox.allowance, mailbox.perDay)}
            </span>
          </Link>
        )}
        <Button onClick={openPalette} aria-label={say.findAction}>
          <Search aria-hidden size={16} />{' '}
          <kbd className="whitespace-nowrap text-[13px] text-ink-2 max-sm:hidden">{say.ctrlK}</kbd>
        </Button>
        <Button onClick={turnTheme} aria-label={theme === 'dark' ? say.useLightTheme : say.useDarkTheme}>
          {theme === 'dark' ? <Sun aria-hidden size={16} /> : <Moon aria-hidden size={16} />}
        </Button>
        <Help />
        {asksPassword && (
          <Link
            to="/account"
            title={me?.account ? `${me.account.name}, ${me.account.address}` : undefined}
            aria-label={me?.account ? say.accountOf(me.account.name) : say.signingIn}
            className="grid min-h-8 min-w-9 place-items-center rounded-paper border border-rule px-2 hover:bg-sheet-2"
          >
            {me?.account ? (
              <span className="font-bold text-[13px]">{initials(me.account.name)}</span>
            ) : (
              <CircleUser aria-hidden size={16} />
            )}
          </Link>
        )}
        {asksPassword && (
          <Button aria-label={say.signOut} onClick={() => signOut().catch(tellFault)}>
            <LogOut aria-hidden size={16} />
          </Button>
        )}
      </div>
    </header>
  )
}

/** Opened by hand: what it is made of is fetched then, and not with the first view. */
const HelpOpened = lazy(() => import('./HelpOpened.tsx'))

function Help() {
  const [asked, setAsked] = useState(false)
  const closed = (
    <Button aria-label={say.help} aria-expanded={false} onClick={() => setAsked(true)}>
      <HelpCircle aria-hidden size={16} />
    </Button>
  )
  return asked ? (
    <Suspense fallback={closed}>
      <HelpOpened />
    </Suspense>
  ) : (
    closed
  )
}
