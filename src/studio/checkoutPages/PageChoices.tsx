import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import { COVER_COLORS, type CoverColor } from '../../core/content/course.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { pictureAddress } from '../../ui/pictures.ts'
import { unwrap } from '../../ui/problem.ts'
import { api, IN_PLACE } from '../api.ts'
import { instantOf } from '../days/instantOf.ts'
import { PreviewSection } from '../frame/Places.tsx'
import { Select } from '../frame/Select.tsx'
import { AddTime, MomentField } from '../sell/MomentField.tsx'
import { PictureInput, UploadNote } from '../sell/PictureUpload.tsx'
import type { BenchPage } from '../sell/queries.ts'
import { usePictureUpload } from '../sell/usePictureUpload.ts'
import { useSession, useStudioToday } from '../session/session.ts'
import { Tick } from './Choices.tsx'

interface PageChoicesProps {
  page: BenchPage
  content: PageContent
  change: (patch: Partial<PageContent>) => void
  problemAt: (field: string) => string | undefined
}

/** What the page is as a whole: its name, its address, its colour, its end, and what leads to it. */
export function PageChoices({ page, content, change, problemAt }: PageChoicesProps) {
  const isOwn = page.product !== null && !page.isEveryday
  return (
    <>
      <h2 className="mb-3 text-[16px]">The page</h2>
      <Field label="Name, only for you" className="mb-4">
        {(wiring) => (
          <input
            {...wiring}
            className={BOX_INPUT}
            maxLength={80}
            placeholder={page.product?.title ?? 'The basket'}
            value={content.name}
            onChange={(event) => change({ name: event.target.value })}
          />
        )}
      </Field>
      {isOwn && <Address page={page} />}
      <Colour color={content.color} change={(color) => change({ color })} />
      {isOwn && <End page={page} ends={content.ends} change={(ends) => change({ ends })} problemAt={problemAt} />}
      {page.product && <Main page={page} />}
    </>
  )
}

function Address({ page }: { page: BenchPage }) {
  const [slug, setSlug] = useState(page.slug)
  const { mutate, error, isPending } = useMutation({
    mutationFn: () => unwrap(api.pages[':id'].address.$put({ param: { id: page.id }, json: { slug: slug.trim() } })),
    meta: { ...IN_PLACE, invalidates: [['page', page.id], ['pages']] },
  })
  const isChanged = slug.trim() !== page.slug
  return (
    <form
      className="mb-4"
      onSubmit={(event) => {
        event.preventDefault()
        if (isChanged) mutate()
      }}
    >
      <Field
        label="Address"
        error={error?.at('/slug') ?? error?.message}
        hint={`${location.host}/buy/${page.slug}${page.live ? '. An old address leads on to the new one.' : ''}`}
      >
        {(wiring) => (
          <span className="flex items-baseline gap-2">
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={60}
              spellCheck={false}
              value={slug}
              onChange={(event) => setSlug(event.target.value)}
            />
            {isChanged && (
              <Button type="submit" disabled={isPending}>
                Change
              </Button>
            )}
          </span>
        )}
      </Field>
    </form>
  )
}

const COLOR_NAMES: Record<CoverColor, string> = {
  spruce: 'Spruce',
  madder: 'Madder',
  ochre: 'Ochre',
  indigo: 'Indigo',
  slate: 'Slate',
  plum: 'Plum',
}

function Colour({ color, change }: { color: CoverColor | null; change: (color: CoverColor | null) => void }) {
  const choices = [
    [null, 'Its own', ''] as const,
    ...COVER_COLORS.map((one) => [one, COLOR_NAMES[one], COVER_CLASS[one]] as const),
  ]
  return (
    <PreviewSection label="Colour of this page">
      <div role="radiogroup" aria-label="Colour of this page" className="flex flex-wrap gap-2">
        {choices.map(([value, name, looks]) => (
          <label key={name} title={name}>
            <input
              type="radio"
              name="color"
              aria-label={name}
              checked={color === value}
              onChange={() => change(value)}
              className="peer sr-only"
            />
            <span
              className={classes(
                'grid h-8 place-items-center rounded-field border border-line-2 px-2 text-[12.5px] outline-offset-2 outline-leaf peer-checked:outline-2 peer-focus-visible:outline-3',
                value === null ? 'bg-sheet' : `w-8 ${looks}`,
              )}
            >
              {value === null && 'The product’s'}
            </span>
          </label>
        ))}
      </div>
    </PreviewSection>
  )
}

interface EndProps extends Pick<PageChoicesProps, 'page' | 'problemAt'> {
  ends: PageContent['ends']
  change: (ends: PageContent['ends']) => void
}

function End({ page, ends, change, problemAt }: EndProps) {
  const { school } = useSession()
  const today = useStudioToday()
  if (!ends) {
    const add = () => change({ at: instantOf(today, null, school.timeZone, 'until'), leadsTo: null })
    return (
      <p className="mb-5 text-[13.5px]">
        It stays until you take it off.{' '}
        <Button kind="link" onClick={add}>
          Add an end
        </Button>
      </p>
    )
  }
  return (
    <PreviewSection label="End">
      <p className="leading-[2]">
        Orders are taken
        <MomentField
          which="until"
          of="Page"
          instant={ends.at}
          timeZone={school.timeZone}
          problem={problemAt('/ends/at') ?? null}
          onChange={(at) => change(at === null ? null : { ...ends, at })}
        />
        .{' '}
        <AddTime
          which="until"
          instant={ends.at}
          timeZone={school.timeZone}
          onChange={(at) => at !== null && change({ ...ends, at })}
        />
      </p>
      <Field label="From then on" error={problemAt('/ends/leadsTo')} className="mt-1">
        {(wiring) => (
          <Select
            wiring={wiring}
            className={BOX_INPUT}
            value={ends.leadsTo ?? ''}
            options={[
              ['', 'It says that it is over'],
              ...page.others.map(({ id, name }) => [id, `It leads to ${name}`] as const),
            ]}
            onChange={(id) => change({ ...ends, leadsTo: id === '' ? null : id })}
          />
        )}
      </Field>
    </PreviewSection>
  )
}

function Main({ page }: { page: BenchPage }) {
  const { mutate, isPending } = useMutation({
    mutationFn: () => unwrap(api.pages[':id'].main.$put({ param: { id: page.id } })),
    meta: { invalidates: [['page', page.id], ['pages']] },
  })
  return (
    <PreviewSection label="What leads here">
      {page.isMain ? (
        <p className="text-[13.5px]">
          The buttons of the shop, the basket and the messages lead to this page
          {page.isEveryday ? ', unless you choose another one there' : ''}.
        </p>
      ) : (
        <>
          <p className="mb-2 text-[13.5px]">
            Only its own link leads here. The buttons of the shop, the basket and the messages lead to another page.
          </p>
          <Button disabled={isPending || !page.live} onClick={() => mutate()}>
            Let the buttons lead here
          </Button>
          {!page.live && <p className="mt-1 text-[13px] text-ink-3">Publish it first.</p>}
        </>
      )}
    </PreviewSection>
  )
}

/** What search engines and shared links show of it. */
export function SearchChoices({ page, content, change }: Omit<PageChoicesProps, 'problemAt'>) {
  const { school } = useSession()
  const { search } = content
  const set = (patch: Partial<PageContent['search']>) => change({ search: { ...search, ...patch } })
  const opening = content.parts.find((part) => part.kind === 'opening')
  const title = search.title || `${opening?.title || page.product?.title || 'The basket'} · ${school.name}`
  return (
    <>
      <h2 className="mb-3 text-[16px]">Search and sharing</h2>
      <div className="mb-4 rounded-lg border border-line bg-sheet px-3.5 py-3">
        <p className="text-[12px] text-ink-3">
          {location.host} › buy › {page.slug}
        </p>
        <p className="mt-0.5 text-[15px] font-semibold text-leaf">{title}</p>
        <p className="mt-0.5 text-[13px] text-ink-2">{search.description || opening?.text || page.product?.summary}</p>
      </div>
      <Field label="Title" hint={`${search.title.length} of 70. Empty: made from the page.`} className="mb-3">
        {(wiring) => (
          <input
            {...wiring}
            className={BOX_INPUT}
            maxLength={70}
            value={search.title}
            onChange={(event) => set({ title: event.target.value })}
          />
        )}
      </Field>
      <Field label="Description" hint={`${search.description.length} of 200`} className="mb-3">
        {(wiring) => (
          <textarea
            {...wiring}
            rows={3}
            className={BOX_INPUT}
            maxLength={200}
            value={search.description}
            onChange={(event) => set({ description: event.target.value.replaceAll('\n', ' ') })}
          />
        )}
      </Field>
      <SharingPicture page={page} pictureId={search.pictureId} change={(pictureId) => set({ pictureId })} />
      <Tick label="Search engines may list it" isOn={search.isListed} onChange={(isListed) => set({ isListed })} />
    </>
  )
}

/** What a shared link shows: drawn from title, price and colour, or a picture of the creator's. */
function SharingPicture({
  page,
  pictureId,
  change,
}: {
  page: BenchPage
  pictureId: string | null
  change: (pictureId: string | null) => void
}) {
  const upload = usePictureUpload(change)
  return (
    <PreviewSection label="Picture of a shared link">
      {pictureId !== null ? (
        <img
          src={pictureAddress(pictureId, 800)}
          alt="Shown beside a shared link"
          className="aspect-[1200/630] w-full rounded-field border border-line object-cover"
        />
      ) : page.live ? (
        <img
          src={`/sharing/${page.slug}.png?v=${page.liveVersion}`}
          alt="Drawn from title, price and colour"
          className="aspect-[1200/630] w-full rounded-field border border-line"
        />
      ) : (
        <p className="text-[13.5px] text-ink-2">Drawn from title, price and colour once the page is published.</p>
      )}
      <PictureInput upload={upload} label="Picture of a shared link" />
      <p className="mt-1.5 flex gap-4 text-[13px]">
        <Button kind="link" disabled={upload.isPending} onClick={() => upload.input.current?.click()}>
          {upload.isPending ? 'Uploading…' : 'Replace'}
        </Button>
        {pictureId !== null && (
          <Button kind="link" onClick={() => change(null)}>
            Let it be drawn
          </Button>
        )}
      </p>
      <UploadNote problem={upload.error} />
    </PreviewSection>
  )
}
