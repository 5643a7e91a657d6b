import { type ReactNode, useEffect, useRef, useState } from 'react'
import { type PageFacts, whyNotShown } from '../../core/checkoutPages/facts.ts'
import { MAX_GUARANTEE_DAYS, type PagePart, type PartOf, type Shot, shotsOf } from '../../core/checkoutPages/parts.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { pictureAddress } from '../../ui/pictures.ts'
import { useReportUnread } from '../drafting/UnreadFields.tsx'
import { PreviewSection } from '../frame/Places.tsx'
import { PictureInput, UploadNote } from '../sell/PictureUpload.tsx'
import { usePictureUpload } from '../sell/usePictureUpload.ts'
import { FactsProvider, useFacts, usePageBench } from './bench.tsx'
import { CropDialog } from './CropDialog.tsx'
import { PART_NAMES } from './names.ts'
import { VideoChoices } from './VideoChoices.tsx'

interface ChoicesProps<P extends PagePart> {
  part: P
  facts: PageFacts | null
}

/** The few choices of the part that is chosen; its words are written on the page itself. */
export function PartChoices({ part, facts }: ChoicesProps<PagePart>) {
  const [name, what] = PART_NAMES[part.kind]
  const why = facts ? whyNotShown(part, facts) : null
  return (
    <FactsProvider value={facts}>
      <h2 className="mb-1 text-[16px]">{name}</h2>
      <p className="mb-4 text-[13px] text-ink-2">{why ? `Buyers do not see it. ${why}` : what}</p>
      <OfKind part={part} facts={facts} />
      {shotsOf(part).map(({ at, shot }) => (
        <ShotChoices key={at} part={part} at={at} shot={shot} />
      ))}
    </FactsProvider>
  )
}

function OfKind({ part, facts }: ChoicesProps<PagePart>): ReactNode {
  const { set } = usePageBench()
  const put = (at: string) => (value: unknown) => set(part.id, at, value)
  switch (part.kind) {
    case 'opening':
      return <OpeningChoices part={part} facts={facts} />
    case 'logo':
      return (
        <OneOf
          label="Size"
          value={part.size}
          of={[
            ['small', 'Small'],
            ['large', 'Large'],
          ]}
          onChange={put('size')}
        />
      )
    case 'picture':
      return (
        <OneOf
          label="Shape"
          value={part.shape}
          of={[
            ['own', 'Its own'],
            ['wide', 'Wide'],
            ['square', 'Square'],
          ]}
          onChange={put('shape')}
        />
      )
    case 'lessons':
      return (
        <Tick label="With numbers" isOn={part.hasNumbers} onChange={put('hasNumbers')}>
          The titles follow what you publish.
        </Tick>
      )
    case 'guarantee':
      return <GuaranteeChoices part={part} facts={facts} />
    case 'prices':
      return (
        <OneOf
          label="Which one stands out"
          value={part.highlighted ?? ''}
          of={[['', 'As the offers say'], ...(facts?.prices ?? []).map(({ id, name }) => [id, name] as const)]}
          onChange={(id) => set(part.id, 'highlighted', id === '' ? null : id)}
        />
      )
    case 'video':
      return <VideoChoices part={part} facts={facts} />
    case 'countdown':
      return (
        <OneOf
          label="It counts to the end of"
          value={part.to}
          of={[
            ['sale', 'The sale price'],
            ['page', 'The page'],
            ['code', 'The page’s code'],
          ]}
          onChange={put('to')}
        />
      )
    case 'text':
    case 'gets':
    case 'testimonials':
    case 'questions':
    case 'teacher':
    case 'divider':
      return null
  }
}

function OpeningChoices({ part, facts }: ChoicesProps<PartOf<'opening'>>) {
  const { set } = usePageBench()
  const color = facts ? COVER_CLASS[facts.product.coverColor] : 'bg-slate'
  const looks = [
    ['color', 'Colour', <i key="color" className={classes('block size-full', color)} />],
    [
      'picture',
      'Picture',
      <i key="picture" className={classes('flex size-full justify-end', color)}>
        <i className="h-full w-2/5 bg-[repeating-linear-gradient(45deg,#fff8_0_3px,transparent_3px_6px)]" />
      </i>,
    ],
    ['plain', 'Plain', <i key="plain" className="block size-full bg-sheet" />],
  ] as const
  return (
    <PreviewSection label="Behind it">
      <div role="radiogroup" aria-label="Behind the opening" className="flex gap-2">
        {looks.map(([value, name, drawn]) => (
          <label key={value} className="text-center text-[12px] text-ink-2">
            <input
              type="radio"
              name="behind"
              checked={part.behind === value}
              onChange={() => set(part.id, 'behind', value)}
              className="peer sr-only"
            />
            <span className="block h-11 w-[66px] overflow-hidden rounded-field border border-line-2 outline-offset-2 outline-leaf peer-checked:outline-2 peer-focus-visible:outline-3">
              {drawn}
            </span>
            {name}
          </label>
        ))}
      </div>
    </PreviewSection>
  )
}

function GuaranteeChoices({ part }: ChoicesProps<PartOf<'guarantee'>>) {
  const { set } = usePageBench()
  return (
    <>
      <GuaranteeDays key={part.id} part={part} />
      <Tick label="With a seal" isOn={part.hasBadge} onChange={(isOn) => set(part.id, 'hasBadge', isOn)} />
    </>
  )
}

const WRONG_DAYS = `Write a whole number from 1 to ${MAX_GUARANTEE_DAYS}, or leave it empty.`

/** How many days, or none. What cannot be read stays as it was typed, and the draft as it was before. */
function GuaranteeDays({ part }: { part: PartOf<'guarantee'> }) {
  const { set } = usePageBench()
  const label = 'Days in which buyers get their money back'
  const [text, setText] = useState(String(part.days ?? ''))
  const known = useRef(part.days)
  useEffect(() => {
    if (part.days === known.current) return
    known.current = part.days
    setText(String(part.days ?? ''))
  }, [part.days])
  const read = readDays(text)
  const why = read === undefined ? WRONG_DAYS : null
  useReportUnread(label, why)
  const type = (typed: string) => {
    setText(typed)
    const days = readDays(typed)
    if (days === undefined) return
    known.current = days
    set(part.id, 'days', days)
  }
  return (
    <Field label={label} error={why} hint="Empty: no number of days is said." className="mb-3">
      {(wiring) => (
        <input
          {...wiring}
          inputMode="numeric"
          maxLength={8}
          className={`${BOX_INPUT} max-w-[90px]`}
          value={text}
          onChange={({ target }) => type(target.value)}
        />
      )}
    </Field>
  )
}

/** The days that were typed; null: none, undefined: it cannot be read. */
function readDays(typed: string): number | null | undefined {
  const text = typed.trim()
  if (text === '') return null
  const days = /^\d+$/.test(text) ? Number(text) : 0
  return days >= 1 && days <= MAX_GUARANTEE_DAYS ? days : undefined
}

/** From how many pixels on a picture is sharp where it stands: large, beside the form, beside a text, or as a face. */
function wideEnough({ kind, place }: PagePart): number {
  if (kind === 'testimonials') return 88
  if (kind === 'teacher') return 360
  return place === 'beside' ? 480 : 800
}

type Cut = readonly [where: string | number, shape: string, looks: string]

/** Widths of screens, with the shape in which an opening's picture is cut there. */
const OPENING_CUTS: readonly Cut[] = [
  [1280, 'rounded-[4px] aspect-[512/240]', 'w-[112px]'],
  [768, 'rounded-[4px] aspect-[307/270]', 'w-[84px]'],
  [390, 'rounded-[4px] aspect-[390/190]', 'w-[76px]'],
]

/** How a picture is cut where it is shown; one that is shown whole has no cut. */
function cutsOf(part: PagePart): readonly Cut[] {
  const everywhere = (shape: string) => [['at every width', shape, 'w-[112px]']] as const
  switch (part.kind) {
    case 'opening':
      return OPENING_CUTS
    case 'picture':
      if (part.shape === 'own') return []
      return everywhere(classes('rounded-[4px]', part.shape === 'wide' ? 'aspect-[21/9]' : 'aspect-square'))
    case 'teacher':
      return everywhere('rounded-[4px] aspect-square')
    default:
      return everywhere('rounded-full aspect-square')
  }
}

function ShotChoices({ part, at, shot }: { part: PagePart; at: string; shot: Shot }) {
  const { set } = usePageBench()
  const upload = usePictureUpload((id) =>
    set(part.id, at, { ...shot, pictureId: id, cut: null, focus: { x: 50, y: 50 } }),
  )
  const [isCropping, setCropping] = useState(false)
  const cuts = cutsOf(part)
  const size = useFacts()?.pictures[shot.pictureId]
  const index = /^people\/(\d+)/.exec(at)?.[1]
  return (
    <PreviewSection label={index === undefined ? 'Picture' : `Picture ${Number(index) + 1}`}>
      {cuts.length > 0 && (
        <div className="mb-2 flex items-end gap-2">
          {cuts.map(([where, shape, looks]) => (
            <figure key={where} className={looks}>
              <img
                src={pictureAddress(shot.pictureId, 320)}
                alt=""
                className={classes('w-full object-cover', shape)}
                style={{ objectPosition: `${shot.focus.x}% ${shot.focus.y}%` }}
              />
              <figcaption className="mt-0.5 text-center text-[11.5px] text-ink-3">{where}</figcaption>
            </figure>
          ))}
        </div>
      )}
      <Field label="What can be seen on it" className="mb-2">
        {(wiring) => (
          <input
            {...wiring}
            className={BOX_INPUT}
            maxLength={200}
            disabled={shot.isDecoration}
            placeholder={shot.isDecoration ? 'Decoration' : 'For people who cannot see it'}
            value={shot.isDecoration ? '' : shot.alt}
            onChange={(event) => set(part.id, `${at}/alt`, event.target.value)}
          />
        )}
      </Field>
      <Tick
        label="It is decoration and says nothing new"
        isOn={shot.isDecoration}
        onChange={(isOn) => set(part.id, `${at}/isDecoration`, isOn)}
      />
      <p className="mt-2 flex gap-4 text-[13px]">
        <PictureInput upload={upload} label="Replace the picture" />
        <Button kind="link" disabled={upload.isPending} onClick={() => upload.input.current?.click()}>
          {upload.isPending ? 'Uploading…' : 'Replace'}
        </Button>
        <Button kind="link" onClick={() => setCropping(true)}>
          Crop…
        </Button>
        <Button kind="link" onClick={() => set(part.id, at, null)}>
          Remove
        </Button>
      </p>
      {isCropping && (
        <CropDialog shot={shot} change={(cropped) => set(part.id, at, cropped)} onClose={() => setCropping(false)} />
      )}
      {size && size.width < wideEnough(part) && (
        <p className="mt-2 rounded-field bg-late-soft px-2.5 py-2 text-[13px]">
          It is {size.width} pixels wide, which is too few for this place: it may look blurred.
        </p>
      )}
      <UploadNote problem={upload.error} />
    </PreviewSection>
  )
}

interface OneOfProps {
  label: string
  value: string
  of: readonly (readonly [value: string, name: string])[]
  onChange: (value: string) => void
}

/** One of a few, all in sight. */
export function OneOf({ label, value, of, onChange }: OneOfProps) {
  return (
    <fieldset className="mb-4">
      <legend className="mb-1.5 text-[12px] font-semibold text-ink-3">{label}</legend>
      {of.map(([one, name]) => (
        <label key={one} className="flex items-center gap-2 py-0.5 text-[13.5px]">
          <input
            type="radio"
            name={label}
            className="accent-leaf"
            checked={value === one}
            onChange={() => onChange(one)}
          />
          {name}
        </label>
      ))}
    </fieldset>
  )
}

interface TickProps {
  label: string
  isOn: boolean
  onChange: (isOn: boolean) => void
  children?: ReactNode
}

export function Tick({ label, isOn, onChange, children }: TickProps) {
  return (
    <label className="flex items-start gap-2 text-[13.5px]">
      <input
        type="checkbox"
        className="mt-0.5 accent-leaf"
        checked={isOn}
        onChange={(event) => onChange(event.target.checked)}
      />
      <span>
        {label}
        {children && <span className="block text-[13px] text-ink-2">{children}</span>}
      </span>
    </label>
  )
}
