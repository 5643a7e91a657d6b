import type { ReactNode } from 'react'
import { NavLink } from 'react-router'
import { classes } from '../../ui/classes.ts'
import { Places } from '../frame/Places.tsx'

const PAGES = [
  ['/studio/setup/gateways', 'Gateways'],
  ['/studio/setup/messages', 'Messages'],
  ['/studio/setup/school', 'School'],
  ['/studio/setup/looks', 'Looks'],
  ['/studio/setup/practice', 'Practice'],
  ['/studio/setup/live', 'Going live'],
  ['/studio/setup/account', 'Your account'],
] as const

/** The frame of Setup's pages. */
export function SetupFrame({ bench, mirror }: { bench: ReactNode; mirror: ReactNode }) {
  return (
    <Places
      shelfLabel="Setup"
      columns="lg:grid-cols-[216px_minmax(0,1fr)_360px]"
      shelf={
        <>
          <h2 className="px-2 pb-2 text-[15px]">Setup</h2>
          {PAGES.map(([href, label]) => (
            <NavLink
              key={href}
              to={href}
              className={({ isActive }) =>
                classes('block rounded-field px-2 py-1.5', isActive ? 'bg-acorn font-semibold' : 'hover:bg-sheet-2')
              }
            >
              {label}
            </NavLink>
          ))}
        </>
      }
      bench={bench}
      mirror={mirror}
    />
  )
}
