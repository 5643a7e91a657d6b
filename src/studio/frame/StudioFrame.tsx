import { DropdownMenu } from 'radix-ui'
import { useEffect, useState } from 'react'
import { NavLink, Outlet, useNavigate } from 'react-router'
import { Toaster } from 'sonner'
import { sayDay } from '../../core/calendar/sayDay.ts'
import { Acorn } from '../../ui/Acorn.tsx'
import { classes } from '../../ui/classes.ts'
import { StateMark } from '../../ui/State.tsx'
import { Palette } from '../find/Palette.tsx'
import { useAttention } from '../orders/AttentionList.tsx'
import { signOut, switchMode, useDaysAhead, useSession, useStudioToday } from '../session/session.ts'
import { Menu, MenuItem } from './Menu.tsx'

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
    <div className="grid h-screen min-h-[560px] grid-rows-[46px_1fr] overflow-hidden max-lg:h-auto max-lg:overflow-visible">
      <header className="flex items-center gap-1 px-4">
        <span className="display flex w-[250px] items-center gap-2 text-[16px] font-semibold max-lg:w-auto max-lg:pr-3">
          <Acorn />
          Young Acorn
        </span>
        <nav aria-label="Areas" className="flex">
          {AREAS.map(([href, label]) => (
            <NavLink
              key={href}
              to={href}
              className={({ isActive }) =>
                classes(
                  'rounded-full px-3 py-1.5 font-medium',
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
          Find or do <kbd className="ml-auto rounded border border-line-2 px-1 font-text text-[11px]">Ctrl K</kbd>
        </button>
        <ModeMenu />
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

/** How many things need a look, beside "Orders". */
function AttentionCount() {
  const { data } = useAttention()
  const count = data?.items.filter(({ kind }) => kind !== 'expiring').length ?? 0
  if (count === 0) return null
  return (
    <span className="ml-1.5 inline-flex items-center gap-1 text-[12.5px]">
      <StateMark shape="late" size={10} />
      {count}
      <span className="sr-only"> need a look</span>
    </span>
  )
}

function ModeMenu() {
  const { mode, creator, school } = useSession()
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
          ? 'You look at Practice: no real money, sample cards.'
          : 'You look at Live: real orders and money.'}{' '}
        Strangers buy in {school.shopMode === 'practice' ? 'Practice' : 'Live'}.
        {days > 0 && ` Practice time runs ahead: there it is ${sayDay(today, school.language)}.`}
      </DropdownMenu.Label>
      <MenuItem onSelect={() => void switchMode(other)}>Look at {other === 'live' ? 'Live' : 'Practice'}</MenuItem>
      <MenuItem onSelect={() => navigate('/studio/setup/practice')}>Move practice time…</MenuItem>
      <MenuItem onSelect={() => navigate('/studio/setup/school')}>Where strangers buy…</MenuItem>
      <MenuItem onSelect={() => window.open('/', '_blank', 'noopener')}>Open the shop</MenuItem>
      <DropdownMenu.Separator className="my-1 h-px bg-line" />
      <DropdownMenu.Label className="px-3 pt-1 text-[12px] text-ink-3">{creator.email}</DropdownMenu.Label>
      <MenuItem onSelect={() => void signOut()}>Sign out</MenuItem>
    </Menu>
  )
}
