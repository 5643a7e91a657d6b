import { memo, type ReactNode } from 'react'
import { partsAt } from '../../core/checkoutPages/arrange.ts'
import { type PageFacts, whyNotShown } from '../../core/checkoutPages/facts.ts'
import type { PagePart, Place } from '../../core/checkoutPages/parts.ts'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import { classes } from '../classes.ts'
import { headColor } from '../look.ts'
import { useEditing } from './editing.tsx'
import { Opening } from './Opening.tsx'
import {
  Countdown,
  Divider,
  Gets,
  Guarantee,
  Lessons,
  Logo,
  PicturePart,
  Prices,
  Questions,
  RichText,
  Teacher,
  Testimonials,
  Video,
} from './partViews.tsx'

interface PageLayoutProps {
  shaped: Pick<PageContent, 'parts' | 'formSide' | 'color'>
  facts: PageFacts
  /** The order form. */
  form: ReactNode
}

/** As wide as everything on a page that does not run from edge to edge. */
const CONTAINER = 'mx-auto w-[1080px] max-w-[calc(100%-32px)]'

/**
 * A checkout page: its parts above, beside and below the order form. The shop renders it on the server; the studio shows
 * the same on the bench, to be written on.
 */
export function PageLayout({ shaped, facts, form }: PageLayoutProps) {
  const editing = useEditing()
  const shown = editing ? shaped.parts : shaped.parts.filter((part) => whyNotShown(part, facts) === null)
  const at = (place: Place) => partsAt(shown, place)
  const color = headColor(shaped.color, facts.school.look, facts.product.coverColor)
  const above = at('above')
  const last = above.at(-1)
  const isUnder = last?.kind === 'opening' && last.behind !== 'plain'
  const beside = at('beside')
  const below = at('below')
  const hasTitle = above.some(({ kind }) => kind === 'opening')
  const draw = (part: PagePart) => <PartView key={part.id} {...{ part, facts, color, isUnder }} />
  return (
    <main>
      {!hasTitle && (
        <div className={classes(CONTAINER, 'pt-7')}>
          <h1 className="text-[28px] md:text-[38px]">{facts.product.title}</h1>
        </div>
      )}
      {above.map((part) =>
        part.kind === 'opening' ? (
          draw(part)
        ) : (
          <div key={part.id} className={classes(CONTAINER, 'pt-7')}>
            {draw(part)}
          </div>
        ),
      )}
      <div
        id="order"
        className={classes(
          CONTAINER,
          'relative grid scroll-mt-4 grid-cols-1 items-start gap-x-[52px] gap-y-2',
          isUnder ? '-mt-[46px]' : 'pt-8',
          beside.length > 0 &&
            (shaped.formSide === 'left'
              ? 'md:grid-cols-[minmax(0,1.3fr)_minmax(0,1fr)]'
              : 'md:grid-cols-[minmax(0,1fr)_minmax(0,1.3fr)]'),
        )}
      >
        <div
          className={classes(
            'min-w-0',
            beside.length === 0 && 'w-full max-w-[640px] justify-self-center',
            beside.length > 0 && shaped.formSide === 'right' && 'md:order-last',
          )}
        >
          {form}
        </div>
        {beside.length > 0 && (
          <div
            className={classes(
              'grid min-w-0 grid-cols-1 content-start gap-8 pt-5',
              isUnder ? 'md:pt-[66px]' : 'md:pt-4',
            )}
          >
            {beside.map(draw)}
          </div>
        )}
      </div>
      {below.length > 0 && <div className={classes(CONTAINER, 'mt-12 grid grid-cols-1 gap-12')}>{below.map(draw)}</div>}
    </main>
  )
}

interface PartViewProps {
  part: PagePart
  facts: PageFacts
  color: string
  isUnder: boolean
}

/** One part; drawn anew only where it, or what it shows, has changed. */
export const PartView = memo(function PartView(props: PartViewProps) {
  const editing = useEditing()
  const drawn = drawPart(props)
  return editing ? <editing.Frame part={props.part}>{drawn}</editing.Frame> : drawn
})

function drawPart({ part, facts, color, isUnder }: PartViewProps): ReactNode {
  switch (part.kind) {
    case 'opening':
      return <Opening {...{ part, facts, color, isUnder }} />
    case 'logo':
      return <Logo part={part} facts={facts} />
    case 'text':
      return <RichText part={part} facts={facts} />
    case 'picture':
      return <PicturePart part={part} facts={facts} />
    case 'video':
      return <Video part={part} facts={facts} />
    case 'gets':
      return <Gets part={part} facts={facts} />
    case 'lessons':
      return <Lessons part={part} facts={facts} />
    case 'testimonials':
      return <Testimonials part={part} facts={facts} />
    case 'guarantee':
      return <Guarantee part={part} facts={facts} />
    case 'questions':
      return <Questions part={part} facts={facts} />
    case 'prices':
      return <Prices part={part} facts={facts} />
    case 'teacher':
      return <Teacher part={part} facts={facts} />
    case 'countdown':
      return <Countdown part={part} facts={facts} />
    case 'divider':
      return <Divider part={part} facts={facts} />
  }
}
