import {
  Database,
  FileInput,
  LayoutDashboard,
  LayoutGrid,
  LogOut,
  Map as MapIcon,
  Moon,
  Play,
  Search,
  Star,
  Sun,
  TextSearch,
  UserRound,
  Waypoints,
} from 'lucide-react'
import { lazy, Suspense, useEffect, useState, type ReactNode } from 'react'
import { NavLink } from 'react-router'
import { useSignOut } from '../features/access/queries'
import { zoneName } from '../shared/lib/format'

const loadFind = () => import('../features/find/FindDialog')
const FindDialog = lazy(loadFind)

const PAGES = [
  { to: '/', label: 'Overview', icon: LayoutDashboard },
  { to: '/feeds', label: 'Feeds', icon: FileInput },
  { to: '/pipelines', label: 'Pipelines', icon: Waypoints },
  { to: '/runs', label: 'Runs', icon: Play },
  { to: '/tables', label: 'Tables', icon: Database },
  { to: '/stars', label: 'Stars', icon: Star },
  { to: '/samplers', label: 'Samplers', icon: LayoutGrid },
  { to: '/map', label: 'Map', icon: MapIcon },
  { to: '/query', label: 'Query', icon: Search },
]

/** The rail on the left, and the page beside it. */
export function Shell({ name, children }: { name: string; children: ReactNode }) {
  const signOut = useSignOut()
  const [finds, setFinds] = useState(false)
  useEffect(() => {
    const listen = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'k') {
        e.preventDefault()
        setFinds(true)
      }
    }
    addEventListener('keydown', listen)
    // It is there before somebody asks, so that no letter typed at once is lost.
    const early = setTimeout(() => void loadFind(), 1000)
    return () => {
      clearTimeout(early)
      removeEventListener('keydown', listen)
    }
  }, [])
  return (
    <div className="flex min-h-screen flex-col md:flex-row">
      <nav
        className="rail sticky top-0 z-20 flex w-full shrink-0 items-center overflow-x-auto md:h-screen md:w-44 md:flex-col md:items-stretch md:overflow-visible md:py-5"
        aria-label="Pages"
      >
        <div className="px-4 font-serif text-[1.3rem] font-semibold md:mb-4 md:px-5 md:text-[1.6rem]">
          Yardage
        </div>
        {PAGES.map((p) => (
          <NavLink
            key={p.to}
            to={p.to}
            end={p.to === '/'}
            className={({ isActive }) =>
              `flex h-11 items-center gap-2.5 px-3 text-base whitespace-nowrap md:h-9 md:px-5 ${isActive ? 'bg-base-200 font-semibold text-base-content' : 'hover:bg-white/10'}`
            }
          >
            <p.icon size={16} aria-hidden /> {p.label}
          </NavLink>
        ))}
        <button
          type="button"
          className="flex h-11 cursor-pointer items-center gap-2.5 px-3 whitespace-nowrap hover:bg-white/10 md:h-9 md:px-5"
          title="Ctrl or Cmd and K"
          onClick={() => setFinds(true)}
        >
          <TextSearch size={16} aria-hidden /> Find
        </button>
        <div className="flex md:mt-auto md:flex-col">
          <p className="hidden px-5 pb-2 text-[0.86rem] opacity-70 md:block" title="All times of these pages">
            Times: {zoneName()}
          </p>
          <ThemeSwitch />
          <NavLink
            to="/account"
            className="flex h-11 items-center gap-2.5 px-3 whitespace-nowrap hover:bg-white/10 md:h-9 md:px-5"
          >
            <UserRound size={16} aria-hidden /> {name}
          </NavLink>
          <button
            type="button"
            className="flex h-11 cursor-pointer items-center gap-2.5 px-3 whitespace-nowrap hover:bg-white/10 md:h-9 md:px-5"
            onClick={() => signOut.mutate()}
          >
            <LogOut size={16} aria-hidden /> Sign out
          </button>
        </div>
      </nav>
      {children}
      {finds && (
        <Suspense>
          <FindDialog onClose={() => setFinds(false)} />
        </Suspense>
      )}
    </div>
  )
}

function currentTheme(): string {
  return (
    document.documentElement.dataset.theme ??
    (matchMedia('(prefers-color-scheme: dark)').matches ? 'night' : 'linen')
  )
}

function ThemeSwitch() {
  const [theme, setTheme] = useState(currentTheme)
  const next = theme === 'night' ? 'linen' : 'night'
  return (
    <button
      type="button"
      className="flex h-11 cursor-pointer items-center gap-2.5 px-3 whitespace-nowrap hover:bg-white/10 md:h-9 md:px-5"
      onClick={() => {
        document.documentElement.dataset.theme = next
        localStorage.setItem('yardage-theme', next)
        setTheme(next)
      }}
    >
      {theme === 'night' ? <Sun size={16} aria-hidden /> : <Moon size={16} aria-hidden />}{' '}
      {theme === 'night' ? 'Light' : 'Dark'}
    </button>
  )
}
