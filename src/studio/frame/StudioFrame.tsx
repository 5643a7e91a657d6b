import { User } from 'lucide-react'
import { DropdownMenu } from 'radix-ui'
import { useEffect, useState } from 'react'
import { NavLink, Outlet, useNavigate } from 'react-router'
import { Toaster } from 'sonner'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { Acorn } from '../../ui/Acorn.tsx'
import { classes } from '../../ui/classes.ts'
import { StateMark } from '../../ui/State.tsx'
import { Palette } from '../find/Palette.tsx'
import { useAttention } from '../orders/AttentionList.tsx'
import { useDaysAhead, useSession, useSignOut, useStudioToday, useSwitchMode } from '../session/session.ts'
import { useFocusReturn } from './keepFocus.ts'
import { Menu, MenuItem } from './Menu.tsx'
import { useOpenedView } from './useOpenedView.ts'

const AREAS = [
  ['/studio/sell', 'Sell'],
  ['/studio/orders', 'Orders'],
  ['/studio/money', 'Money'],
  ['/studio/people', 'People'],
  ['/studio/setup', 'Setup'],
] as const

/** What stands on every page of the studio: areas, search, the mode. */
export function StudioFrame() {
  const [isFinding, setFinding] = useState(false)
  useFocusReturn()
  useOpenedView()
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
        event.preventDefault()
        setFinding(true)
      }
    }
    addEventListener('keydown', onKey)
    return () => removeEventListener('keydown', onKey)
  }, [])
  return (
    <div className="grid h-screen min-h-[480px] grid-cols-1 grid-rows-[46px_1fr] overflow-hidden max-lg:h-auto max-lg:grid-rows-[auto_1fr] max-lg:overflow-visible">
      <a
        href="#bench"
        className="absolute top-1.5 left-4 z-50 -translate-y-14 rounded-full bg-ink px-4 py-1.5 font-semibold text-sheet focus:translate-y-0"
      >
        Skip to content
      </a>
      <header className="flex items-center gap-1 px-4 max-lg:flex-wrap max-lg:gap-y-1.5 max-lg:py-1.5 max-sm:px-2">
        <span className="display flex w-[250px] items-center gap-2 text-[16px] font-semibold max-lg:w-auto max-lg:pr-3">
          <Acorn />
          Young Acorn
        </span>
        <nav aria-label="Areas" className="flex max-lg:order-last max-lg:w-full max-lg:flex-wrap">
          {AREAS.map(([href, label]) => (
            <NavLink
              key={href}
              to={href}
              className={({ isActive }) =>
                classes(
                  'rounded-full px-3 py-1.5 font-medium max-sm:px-2',
                  isActive ? 'bg-ink text-sheet' : 'text-ink-2 hover:text-ink',
                )
              }
            >
              {label}
              {label === 'Orders' && <AttentionCount />}
            </NavLink>
          ))}
        </nav>
        <button
          type="button"
          onClick={() => setFinding(true)}
          className="ml-auto flex w-[190px] items-center gap-2 rounded-full border border-line-2 px-3 py-1 text-left text-[13px] text-ink-3 max-md:w-auto"
        >
          Find or do{' '}
          <kbd className="ml-auto max-md:hidden rounded border border-line-2 px-1 font-text text-[11px]">Ctrl K</kbd>
        </button>
        <ModeMenu />
        <AccountMenu />
      </header>
      <Outlet />
      {isFinding && <Palette onClose={() => setFinding(false)} />}
      <Toaster
        position="bottom-center"
        style={{ fontFamily: 'inherit' }}
        toastOptions={{ style: { background: '#1a231c', color: '#fcfdf9', border: 0 } }}
      />
    </div>
  )
}

/** How many things need attention, beside "Orders". */
function AttentionCount() {
  const { data } = useAttention()
  const count = data?.items.length ?? 0
  if (count === 0) return null
  return (
    <span className="ml-1.5 inline-flex items-center gap-1 text-[12.5px]">
      <StateMark shape="late" size={10} />
      {count}
      <span className="sr-only"> need attention</span>
    </span>
  )
}

function ModeMenu() {
  const { mode, school } = useSession()
  const switchMode = useSwitchMode()
  const navigate = useNavigate()
  const other = mode === 'practice' ? 'live' : 'practice'
  const days = useDaysAhead()
  const today = useStudioToday()
  const ahead = days > 0 ? ` · ${days} ${days === 1 ? 'day' : 'days'} ahead` : ''
  return (
    <Menu
      trigger={
        <button
          type="button"
          aria-label={`Mode: ${mode === 'practice' ? 'Practice' : 'Live'}`}
          className={classes(
            'ml-2.5 rounded-full border-[1.5px] border-ink px-3 py-[5px] text-[13px] font-semibold',
            mode === 'practice' ? 'hatched border-dashed border-ink-2' : 'bg-acorn',
          )}
        >
          {mode === 'practice' ? `Practice${ahead}` : 'Live'}
        </button>
      }
    >
      <DropdownMenu.Label className="max-w-[250px] px-3 py-2 text-[13px] text-ink-2">
        {mode === 'practice'
          ? 'You are in Practice: no real money, sample cards.'
          : 'You are in Live: real orders and money.'}{' '}
        Visitors buy in {school.shopMode === 'practice' ? 'Practice' : 'Live'}.
        {days > 0 && ` The practice clock runs ahead: it shows ${formatDay(today, school.language)}.`}
      </DropdownMenu.Label>
      <MenuItem onSelect={() => switchMode.mutate(other)}>Switch to {other === 'live' ? 'Live' : 'Practice'}</MenuItem>
      <MenuItem onSelect={() => navigate('/studio/setup/practice')}>Move practice time…</MenuItem>
      <MenuItem onSelect={() => navigate('/studio/setup/school')}>Where visitors buy…</MenuItem>
      <MenuItem onSelect={() => window.open('/', '_blank', 'noopener')}>Open the shop</MenuItem>
    </Menu>
  )
}

/** Who is signed in, their account, and the way out. */
function AccountMenu() {
  const { creator } = useSession()
  const signOut = useSignOut()
  const navigate = useNavigate()
  const letter = [...creator.name.trim()][0]?.toUpperCase() ?? ''
  return (
    <Menu
      trigger={
        <button
          type="button"
          aria-label={`Your account: ${creator.name}`}
          title={creator.name}
          className="ml-1.5 grid size-[31px] place-items-center rounded-full border-[1.5px] border-line-2 text-[13px] font-semibold hover:border-ink"
        >
          {letter || <User size={15} />}
        </button>
      }
    >
      <DropdownMenu.Label className="max-w-[250px] truncate px-3 py-2 text-[13px] text-ink-2">
        {creator.name}
        <br />
        {creator.email}
      </DropdownMenu.Label>
      <MenuItem onSelect={() => navigate('/studio/setup/account')}>Your account</MenuItem>
      <MenuItem onSelect={() => signOut.mutate()}>Sign out</MenuItem>
    </Menu>
  )
}
