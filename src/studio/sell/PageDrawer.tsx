import { NavLink } from 'react-router'
import { classes } from '../../ui/classes.ts'
import { Spine } from '../../ui/Spine.tsx'
import { Drawer } from './Drawer.tsx'
import { usePages } from './queries.ts'

interface PageDrawerProps {
  isOpen: boolean
  toggle: () => void
  /** What is searched for on the shelf. */
  search: string
}

/** The checkout pages on the shelf, each by what it sells. */
export function PageDrawer({ isOpen, toggle, search }: PageDrawerProps) {
  const pages = usePages()
  const wanted = search.trim().toLowerCase()
  const shown = (pages.data ?? []).filter(({ title }) => (title ?? 'The basket').toLowerCase().includes(wanted))
  if (wanted !== '' && shown.length === 0) return null
  return (
    <Drawer
      title="Checkout pages"
      count={pages.isSuccess ? shown.length : null}
      isOpen={isOpen || wanted !== ''}
      toggle={toggle}
      acts={null}
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
                <span className="block truncate font-semibold">{page.title ?? 'The basket'}</span>
                {(page.bumps + page.upsells > 0 || page.isChanged) && (
                  <span className="block text-[12px] text-ink-2">
                    {[
                      page.bumps > 0 && `${page.bumps} order ${page.bumps === 1 ? 'bump' : 'bumps'}`,
                      page.upsells > 0 && `${page.upsells} ${page.upsells === 1 ? 'upsell' : 'upsells'}`,
                      page.isChanged && 'changes not live',
                    ]
                      .filter(Boolean)
                      .join(' · ')}
                  </span>
                )}
              </span>
            </NavLink>
          </li>
        ))}
      </ul>
    </Drawer>
  )
}
