import { NavLink } from 'react-router'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { Spine } from '../../ui/Spine.tsx'
import { NewPage } from '../checkoutPages/NewPage.tsx'
import { Drawer } from './Drawer.tsx'
import { type ShelfPage, usePages } from './queries.ts'

interface PageDrawerProps {
  isOpen: boolean
  toggle: () => void
  /** What is searched for on the shelf. */
  search: string
  /** A new page is being made. */
  isMaking: boolean
  setMaking: (isMaking: boolean) => void
}

/** The checkout pages on the shelf, each by what it sells. */
export function PageDrawer({ isOpen, toggle, search, isMaking, setMaking }: PageDrawerProps) {
  const pages = usePages()
  const wanted = search.trim().toLowerCase()
  const shown = (pages.data ?? []).filter(({ name, title }) =>
    `${name} ${title ?? 'The basket'}`.toLowerCase().includes(wanted),
  )
  if (wanted !== '' && shown.length === 0) return null
  return (
    <>
      <Drawer
        title="Checkout pages"
        count={pages.isSuccess ? shown.length : null}
        isOpen={isOpen || wanted !== ''}
        toggle={toggle}
        acts={
          <Button kind="link" onClick={() => setMaking(true)}>
            New page
          </Button>
        }
      >
        {pages.isSuccess && shown.length === 0 && (
          <p className="px-1.5 text-[13px] text-ink-2">Each course and bundle has one by itself.</p>
        )}
        <ul>
          {shown.map((page) => (
            <li key={page.id}>
              <NavLink
                to={`/studio/sell/pages/${page.id}`}
                className={({ isActive }) =>
                  classes(
                    'mb-0.5 grid grid-cols-[7px_minmax(0,1fr)] items-center gap-x-2.5 rounded-[5px] py-1 pr-1.5 text-[13.5px]',
                    isActive ? 'bg-acorn' : 'hover:bg-sheet-2',
                  )
                }
              >
                <Spine colors={[page.coverColor ?? 'slate']} className="h-full min-h-5 rounded-[2px]" />
                <span className="min-w-0">
                  <span className="block truncate font-semibold" title={page.name || (page.title ?? undefined)}>
                    {page.name || (page.title ?? 'The basket')}
                  </span>
                  {notesOf(page).length > 0 && (
                    <span className="block text-[12px] text-ink-2">{notesOf(page).join(' · ')}</span>
                  )}
                </span>
              </NavLink>
            </li>
          ))}
        </ul>
      </Drawer>
      {isMaking && <NewPage copied={null} onClose={() => setMaking(false)} />}
    </>
  )
}

/** What there is to say of a page in a few words. */
function notesOf(page: ShelfPage): string[] {
  const counted = (count: number, one: string) => (count > 0 ? `${count} ${one}${count === 1 ? '' : 's'}` : '')
  const state = page.isRetired
    ? 'retired'
    : page.isLive
      ? page.isChanged
        ? 'changes not published'
        : ''
      : 'not published'
  return [
    page.isEveryday || page.title === null ? '' : `for ${page.title}`,
    page.isMain && !page.isEveryday ? 'buttons lead here' : '',
    counted(page.bumps, 'order bump'),
    counted(page.upsells, 'upsell'),
    state,
  ].filter((note) => note !== '')
}
