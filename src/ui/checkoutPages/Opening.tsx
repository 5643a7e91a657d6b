import type { ReactNode } from 'react'
import type { PageFacts } from '../../core/checkoutPages/facts.ts'
import type { PartOf } from '../../core/checkoutPages/parts.ts'
import { classes } from '../classes.ts'
import { Stitches } from '../Stitches.tsx'
import { useEditing, Words } from './editing.tsx'
import { Picture } from './Picture.tsx'

interface OpeningProps {
  part: PartOf<'opening'>
  facts: PageFacts
  /** What stands behind it, as CSS has it. */
  color: string
  /** The form lies over its lower edge. */
  isUnder: boolean
}

/** The head of a page: a small line, the title, a sentence; behind it a colour, a picture, or nothing. */
export function Opening({ part, facts, color, isUnder }: OpeningProps) {
  const { product, school } = facts
  const isPlain = part.behind === 'plain'
  const hasPicture = part.behind === 'picture'
  return (
    <div
      className={classes(
        'relative overflow-hidden',
        isPlain ? 'pt-6' : 'text-[#f4f8ea]',
        !isPlain && (isUnder ? 'pb-[74px]' : 'pb-9'),
      )}
      style={isPlain ? undefined : { background: color }}
    >
      {hasPicture && (
        <Picture
          part={part}
          at="picture"
          shot={part.picture}
          facts={part.picture ? facts.pictures[part.picture.pictureId] : undefined}
          sizes="(min-width: 768px) 42vw, 100vw"
          className="h-[190px] w-full md:absolute md:inset-y-0 md:right-0 md:h-full md:w-[40%]"
        />
      )}
      {!isPlain && !hasPicture && (
        <Stitches className="absolute top-2 right-10 w-[270px] opacity-50 max-lg:right-[-60px] max-lg:opacity-[.18]" />
      )}
      <div className="pointer-events-none relative mx-auto w-[1080px] max-w-[calc(100%-32px)] pt-5">
        {/* Only what stands there takes presses: beside it lies the picture. */}
        <div className={classes('pointer-events-auto', hasPicture && 'md:w-[56%]')}>
          <Home>
            <Words
              as="span"
              className={classes('display mb-4 block w-fit text-[14px] font-semibold', isPlain && 'text-ink-2')}
              {...{ part, at: 'kicker', value: part.kicker, label: 'Small line', maxLength: 80 }}
              fallback={school.name}
            />
          </Home>
          <Words
            as="h1"
            className={classes('text-[28px] hyphens-auto md:text-[38px]', isPlain && 'max-w-[24ch]')}
            {...{ part, at: 'title', value: part.title, label: 'Title', maxLength: 120 }}
            fallback={product.title}
          />
          <Words
            as="p"
            className={classes('mt-2 max-w-[62ch] text-[16px]', isPlain && 'text-ink-2')}
            {...{ part, at: 'text', value: part.text, label: 'A sentence', maxLength: 300 }}
            fallback={product.summary}
          />
        </div>
      </div>
    </div>
  )
}

/** The small line leads to the shop's front; on the bench it is written on. */
function Home({ children }: { children: ReactNode }) {
  return useEditing() ? children : <a href="/">{children}</a>
}
