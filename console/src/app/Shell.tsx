import {
  Database,
  FileInput,
  LayoutDashboard,
  LogOut,
  Moon,
  Play,
  Search,
  Star,
  Sun,
  UserRound,
  Waypoints,
} from 'lucide-react'
import { useState, type ReactNode } from 'react'
import { NavLink } from 'react-router'
import { useSignOut } from '../features/access/queries'
import { zoneName } from '../shared/lib/format'

const PAGES = [
  { to: '/', label: 'Overview', icon: LayoutDashboard },
  { to: '/feeds', label: 'Feeds', icon: FileInput },
  { to: '/pipelines', label: 'Pipelines', icon: Waypoints },
  { to: '/runs', label: 'Runs', icon: Play },
  { to: '/tables', label: 'Tables', icon: Database },
  { to: '/stars', label: 'Stars', icon: Star },
  { to: '/query', label: 'Query', icon: Search },
]

/** The rail on the left, and the page beside it. */
export function Shell({ name, children }: { name: string; children: ReactNode }) {
  const signOut = useSignOut()
  return (
    <div className="flex min-h-screen">
      <nav className="rail sticky top-0 flex h-screen w-44 shrink-0 flex-col py-5" aria-label="Pages">
        <div className="mb-4 px-5 font-serif text-[1.6rem] font-semibold">Yardage</div>
        {PAGES.map((p) => (
          <NavLink
            key={p.to}
            to={p.to}
            end={p.to === '/'}
            className={({ isActive }) =>
              `flex h-9 items-center gap-2.5 px-5 text-base ${isActive ? 'bg-base-200 font-semibold text-base-content' : 'hover:bg-white/10'}`
            }
          >
            <p.icon size={16} aria-hidden /> {p.label}
          </NavLink>
        ))}
        <div className="mt-auto flex flex-col">
          <p className="px-5 pb-2 text-[0.86rem] opacity-70" title="All times of these pages">
            Times: {zoneName()}
          </p>
          <ThemeSwitch />
          <NavLink to="/account" className="flex h-9 items-center gap-2.5 px-5 hover:bg-white/10">
            <UserRound size={16} aria-hidden /> {name}
          </NavLink>
          <button
            type="button"
            className="flex h-9 cursor-pointer items-center gap-2.5 px-5 hover:bg-white/10"
            onClick={() => signOut.mutate()}
          >
            <LogOut size={16} aria-hidden /> Sign out
          </button>
        </div>
      </nav>
      {children}
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
      className="flex h-9 cursor-pointer items-center gap-2.5 px-5 hover:bg-white/10"
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
