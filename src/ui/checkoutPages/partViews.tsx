import { Play } from 'lucide-react'
import type { ReactNode } from 'react'
import { isAnswered, isTestimonial, type PageFacts, rowsThatDiffer } from '../../core/checkoutPages/facts.ts'
import { orderHeadings } from '../../core/checkoutPages/headings.ts'
import {
  MAX_LINES_GOT,
  MAX_QUESTIONS,
  MAX_TESTIMONIALS,
  type PagePart,
  type PartOf,
} from '../../core/checkoutPages/parts.ts'
import { formatEnd, formatLeft } from '../../core/checkoutPages/timeLeft.ts'
import { PARTS } from '../../core/words/en/page.ts'
import { say } from '../../core/words/message.ts'
import { buttonClass } from '../Button.tsx'
import { classes } from '../classes.ts'
import { pictureAddress } from '../pictures.ts'
import { RichHtml } from '../RichHtml.tsx'
import { Badge } from './Badge.tsx'
import { useEditing, Words } from './editing.tsx'
import { Picture } from './Picture.tsx'

interface PartProps<P extends PagePart> {
  part: P
  facts: PageFacts
}

/** Narrow beside the form, wide above and below it. */
const isNarrow = ({ place }: PagePart) => place === 'beside'

function Heading({ part, value, fallback }: { part: PagePart; value: string; fallback: string }) {
  return (
    <Words
      as="h2"
      className={isNarrow(part) ? 'mb-1.5 text-[17px]' : 'mb-3 text-[22px]'}
      {...{ part, at: 'title', value, label: 'Heading', maxLength: 80, fallback }}
    />
  )
}

const LINE =
  'relative border-b border-line py-2 pl-6 before:absolute before:top-[17px] before:left-0.5 before:h-[2.5px] before:w-3 before:bg-leaf'

export function Logo({ part, facts }: PartProps<PartOf<'logo'>>) {
  const { name } = facts.school
  const { logoId } = facts.school.look
  if (!logoId) return null
  return (
    <img
      src={pictureAddress(logoId, 480)}
      alt={name}
      className={classes('w-auto object-contain object-left', part.size === 'large' ? 'h-16' : 'h-9')}
    />
  )
}

export function RichText({ part }: PartProps<PartOf<'text'>>) {
  const editing = useEditing()
  const looks = classes('max-w-[62ch] leading-relaxed', isNarrow(part) ? 'text-[15px]' : 'text-[16px]')
  if (editing) {
    return (
      <div className={looks}>
        <editing.Rich part={part} html={part.html} />
      </div>
    )
  }
  return <RichHtml className={looks} html={orderHeadings(part.html)} />
}

export function PicturePart({ part, facts }: PartProps<PartOf<'picture'>>) {
  const known = part.picture ? facts.pictures[part.picture.pictureId] : undefined
  const shape = { own: known ? '' : 'aspect-[3/2]', wide: 'aspect-[21/9]', square: 'aspect-square' }[part.shape]
  return (
    <figure className={part.shape === 'square' ? 'max-w-[520px]' : undefined}>
      <Picture
        part={part}
        at="picture"
        shot={part.picture}
        facts={known}
        sizes={isNarrow(part) ? '(min-width: 768px) 40vw, 100vw' : '(min-width: 1112px) 1080px, 100vw'}
        className={classes('rounded-lg', shape)}
        isLazy={part.place !== 'above'}
      />
      <Words
        as="figcaption"
        className="mt-1.5 text-[13.5px] text-ink-2"
        {...{ part, at: 'caption', value: part.caption, label: 'Caption', maxLength: 200 }}
      />
    </figure>
  )
}

export function Video({ part, facts }: PartProps<PartOf<'video'>>) {
  const editing = useEditing()
  const video = part.videoId ? facts.videos[part.videoId] : undefined
  if (!part.videoId || !video) {
    return editing ? <editing.Slot part={part} at="videoId" what="video" className="aspect-video w-full" /> : null
  }
  const minutes = Math.floor(video.length / 60)
  const length = `${minutes}:${String(Math.round(video.length % 60)).padStart(2, '0')}`
  return (
    <figure className={isNarrow(part) ? undefined : 'max-w-[820px]'}>
      {/* Nothing of the video is loaded before it is pressed: the link works without a script, too. */}
      <a
        href={`/videos/${part.videoId}`}
        data-video={part.videoId}
        data-captions={video.hasCaptions ? `/videos/${part.videoId}/captions` : undefined}
        aria-label={part.title ? say(PARTS.play, { title: part.title }) : PARTS.playVideo}
        className="relative block overflow-hidden rounded-lg bg-indigo"
        style={{ aspectRatio: `${video.width} / ${video.height}` }}
      >
        {part.stillId && (
          <img src={pictureAddress(part.stillId, 1200)} alt="" loading="lazy" className="size-full object-cover" />
        )}
        <span className="absolute top-1/2 left-1/2 grid size-14 -translate-1/2 place-items-center rounded-full bg-sheet text-ink">
          <Play size={24} fill="currentColor" className="ml-1" />
        </span>
        <span className="absolute bottom-2 left-2.5 rounded bg-ink/75 px-1.5 text-[12.5px] text-sheet">{length}</span>
      </a>
      <Words
        as="figcaption"
        className="mt-1.5 text-[13.5px] text-ink-2"
        {...{ part, at: 'title', value: part.title, label: 'Title of the video', maxLength: 80 }}
      />
    </figure>
  )
}

export function Gets({ part }: PartProps<PartOf<'gets'>>) {
  const editing = useEditing()
  const shown = editing ? part.lines.map((line, index) => ({ line, index })) : written(part.lines)
  return (
    <section>
      <Heading part={part} value={part.title} fallback={PARTS.gets} />
      <ul className={isNarrow(part) ? undefined : 'grid gap-x-10 md:grid-cols-2'}>
        {shown.map(({ line, index }) => (
          <li key={index} className={LINE}>
            <Words
              as="span"
              {...{ part, at: `lines/${index}`, value: line, label: `Line ${index + 1}`, maxLength: 160 }}
            />
            {editing && <editing.Entry part={part} list="lines" index={index} length={part.lines.length} />}
          </li>
        ))}
      </ul>
      {editing && part.lines.length < MAX_LINES_GOT && (
        <editing.More part={part} list="lines" length={part.lines.length} />
      )}
    </section>
  )
}

function written(lines: readonly string[]) {
  return lines.flatMap((line, index) => (line.trim() === '' ? [] : [{ line, index }]))
}

export function Lessons({ part, facts }: PartProps<PartOf<'lessons'>>) {
  const { titles, titlesOf, saving, product } = facts
  return (
    <section>
      <Heading part={part} value={part.title} fallback={PARTS[titlesOf]} />
      <ul>
        {titles.map((title, index) => (
          <li key={`${index}-${title}`} className={part.hasNumbers ? 'flex gap-3 border-b border-line py-2' : LINE}>
            {part.hasNumbers && <span className="w-5 shrink-0 text-right text-ink-3">{index + 1}</span>}
            <span className="min-w-0">{title}</span>
          </li>
        ))}
      </ul>
      {saving && <p className="mt-3 font-semibold">{saving}</p>}
      <p className="mt-4 text-[13.5px] text-ink-2">
        <a className="link" href={product.about.href}>
          {product.about.label}
        </a>
      </p>
    </section>
  )
}

export function Testimonials({ part, facts }: PartProps<PartOf<'testimonials'>>) {
  const editing = useEditing()
  const all = part.people.map((person, index) => ({ person, index }))
  const shown = editing ? all : all.filter(({ person }) => isTestimonial(person))
  const columns = isNarrow(part) ? '' : shown.length > 2 ? 'md:grid-cols-3' : shown.length > 1 ? 'md:grid-cols-2' : ''
  return (
    <section>
      <Heading part={part} value={part.title} fallback={PARTS.testimonials} />
      <ul className={classes('grid gap-x-10 gap-y-6', columns)}>
        {shown.map(({ person, index }) => (
          <li key={person.id} className="relative">
            <blockquote>
              <Words
                as="p"
                hasLines
                className={classes(
                  "display leading-[1.4] font-medium before:content-['“'] after:content-['”']",
                  isNarrow(part) ? 'text-[16px]' : 'text-[18px]',
                )}
                {...{ part, at: `people/${index}/words`, value: person.words, label: 'What they said', maxLength: 500 }}
              />
            </blockquote>
            <div className="mt-2 flex items-center gap-2.5 text-[13px] text-ink-2">
              {(person.picture || editing) && (
                <Picture
                  part={part}
                  at={`people/${index}/picture`}
                  shot={person.picture}
                  facts={person.picture ? facts.pictures[person.picture.pictureId] : undefined}
                  sizes="44px"
                  className="size-11 shrink-0 rounded-full"
                  isLazy
                />
              )}
              <span>
                <Words
                  as="span"
                  className="font-semibold text-ink"
                  {...{ part, at: `people/${index}/name`, value: person.name, label: 'Name', maxLength: 80 }}
                />
                {(person.role || editing) && ', '}
                <Words
                  as="span"
                  {...{ part, at: `people/${index}/role`, value: person.role, label: 'What they do', maxLength: 80 }}
                />
              </span>
            </div>
            {editing && <editing.Entry part={part} list="people" index={index} length={part.people.length} />}
          </li>
        ))}
      </ul>
      {editing && part.people.length < MAX_TESTIMONIALS && (
        <editing.More part={part} list="people" length={part.people.length} />
      )}
    </section>
  )
}

export function Guarantee({ part }: PartProps<PartOf<'guarantee'>>) {
  const { days } = part
  return (
    <section className={classes('flex items-center gap-5', !isNarrow(part) && 'max-w-[720px]')}>
      {part.hasBadge && <Badge days={days} className="size-[88px] shrink-0" />}
      <div className="min-w-0 flex-1">
        <h2 className={classes('mb-1', isNarrow(part) ? 'text-[17px]' : 'text-[20px]')}>
          {days === null ? PARTS.guaranteePlain : say(PARTS.guarantee, { count: days })}
        </h2>
        <Words
          as="p"
          hasLines
          className="text-ink-2"
          {...{ part, at: 'text', value: part.text, label: 'What it means for the buyer', maxLength: 500 }}
        />
      </div>
    </section>
  )
}

export function Questions({ part }: PartProps<PartOf<'questions'>>) {
  const editing = useEditing()
  const all = part.list.map((entry, index) => ({ entry, index }))
  const shown = editing ? all : all.filter(({ entry }) => isAnswered(entry))
  return (
    <section className="max-w-[760px]">
      <Heading part={part} value={part.title} fallback={PARTS.questions} />
      <div>
        {shown.map(({ entry, index }) => (
          <div key={entry.id} className="border-b border-line py-3">
            <Words
              as="h3"
              className="text-[16.5px]"
              {...{ part, at: `list/${index}/question`, value: entry.question, label: 'Question', maxLength: 200 }}
            />
            <Words
              as="p"
              hasLines
              className="mt-1 text-ink-2"
              {...{ part, at: `list/${index}/answer`, value: entry.answer, label: 'Answer', maxLength: 2000 }}
            />
            {editing && <editing.Entry part={part} list="list" index={index} length={part.list.length} />}
          </div>
        ))}
      </div>
      {editing && part.list.length < MAX_QUESTIONS && (
        <editing.More part={part} list="list" length={part.list.length} />
      )}
    </section>
  )
}

export function Prices({ part, facts }: PartProps<PartOf<'prices'>>) {
  const { prices } = facts
  const rows = rowsThatDiffer(prices)
  const highlighted = part.highlighted ?? prices.find(({ isHighlighted }) => isHighlighted)?.id
  return (
    <section>
      <Heading part={part} value={part.title} fallback={PARTS.prices} />
      <ul className="grid items-stretch gap-3 md:grid-cols-[repeat(auto-fit,minmax(200px,1fr))]">
        {prices.map((column) => {
          const isHighlighted = column.id === highlighted
          return (
            <li
              key={column.id}
              className={classes(
                'flex flex-col rounded-lg border bg-sheet px-4 py-4',
                isHighlighted ? 'border-leaf bg-acorn-soft' : 'border-line',
              )}
            >
              {isHighlighted && <p className="mb-1 text-[12px] font-semibold text-leaf">{PARTS.chosen}</p>}
              <h3 className="text-[16px]">{column.name}</h3>
              <p className="display mt-1 text-[20px] leading-snug font-semibold">{column.price}</p>
              <dl className="mt-3 text-[13.5px]">
                {rows.map((row) => (
                  <div key={row} className="flex justify-between gap-3 border-t border-line py-1.5">
                    <dt className="text-ink-2">{row}</dt>
                    <dd className="text-right">{column.rows[row]}</dd>
                  </div>
                ))}
              </dl>
              {column.lines.length > 0 && (
                <ul className="mt-1.5 text-[13.5px] text-ink-2">
                  {column.lines.map((line, index) => (
                    <li key={`${index}-${line}`}>{line}</li>
                  ))}
                </ul>
              )}
              <div className="mt-auto pt-3">
                <a
                  href={`?offer=${column.id}#order`}
                  className={buttonClass(isHighlighted ? 'press' : 'quiet', 'block w-full text-center')}
                >
                  {PARTS.choose}
                  <span className="sr-only">: {column.name}</span>
                </a>
              </div>
            </li>
          )
        })}
      </ul>
    </section>
  )
}

export function Teacher({ part, facts }: PartProps<PartOf<'teacher'>>) {
  const editing = useEditing()
  return (
    <section>
      <Heading part={part} value={part.title} fallback={PARTS.teacher} />
      <div className={classes('flex gap-6', isNarrow(part) ? 'flex-col' : 'max-sm:flex-col')}>
        {(part.picture || editing) && (
          <Picture
            part={part}
            at="picture"
            shot={part.picture}
            facts={part.picture ? facts.pictures[part.picture.pictureId] : undefined}
            sizes="180px"
            className="size-[140px] shrink-0 rounded-lg sm:size-[180px]"
            isLazy
          />
        )}
        <div className="min-w-0 max-w-[62ch] flex-1">
          <Words
            as="p"
            className="display text-[17px] font-semibold"
            {...{ part, at: 'name', value: part.name, label: 'Name', maxLength: 80 }}
          />
          <Words
            as="p"
            hasLines
            className="mt-1 leading-relaxed"
            {...{ part, at: 'text', value: part.text, label: 'Who they are', maxLength: 1500 }}
          />
        </div>
      </div>
    </section>
  )
}

export function Countdown({ part, facts }: PartProps<PartOf<'countdown'>>) {
  const end = facts.ends[part.to]
  if (end === null) return null
  const moment = formatEnd(end, facts.school)
  const said = { sale: PARTS.countdownSale, page: PARTS.countdownPage, code: PARTS.countdownCode }[part.to]
  return (
    <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1 rounded-lg border border-line bg-sheet px-4 py-3">
      <p className="display text-[19px] font-semibold" data-until={end} data-at={facts.at}>
        {formatLeft(end, facts.at)}
      </p>
      <Words
        as="p"
        className="text-ink-2"
        {...{ part, at: 'text', value: part.text, label: 'What ends', maxLength: 120 }}
        fallback={say(said, { moment })}
      />
    </div>
  )
}

export function Divider(_: PartProps<PartOf<'divider'>>): ReactNode {
  return (
    <svg viewBox="0 0 240 12" aria-hidden="true" className="mx-auto w-[240px] text-line-2">
      <path d="M0 6c20-8 40-8 60 0s40 8 60 0 40-8 60 0 40 8 60 0" fill="none" stroke="currentColor" strokeWidth="2" />
    </svg>
  )
}
