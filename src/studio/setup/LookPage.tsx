import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { type Look, TYPE_PAIRS, type TypePair } from '../../core/look/look.ts'
import { readable } from '../../core/look/readable.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { lookStyle } from '../../ui/look.ts'
import { pictureAddress } from '../../ui/pictures.ts'
import { unwrap } from '../../ui/problem.ts'
import { api, IN_PLACE } from '../api.ts'
import { Canvas } from '../checkoutPages/Canvas.tsx'
import { loadShown, ShownPage } from '../checkoutPages/ShownPage.tsx'
import { Dialog } from '../drafting/Dialog.tsx'
import { PreviewSection, Section } from '../frame/Places.tsx'
import { PictureInput, UploadNote } from '../sell/PictureUpload.tsx'
import { usePages } from '../sell/queries.ts'
import { usePictureUpload } from '../sell/usePictureUpload.ts'
import { useSession } from '../session/session.ts'
import { SetupFrame } from './SetupPage.tsx'

const TYPE_NAMES: Record<TypePair, readonly [name: string, what: string]> = {
  workshop: ['Workshop', 'Headings with character, text that is plain.'],
  book: ['Book', 'A book’s letters, for headings and text.'],
}

/** Setup → Looks: how the shop looks, set once for all its pages. */
export function LookPage() {
  const { school } = useSession()
  const [look, setLook] = useState<Look>(school.look)
  const [isAsking, setAsking] = useState(false)
  const change = (patch: Partial<Look>) => setLook({ ...look, ...patch })
  const shown = { ...look, color: look.color === null ? null : readable(look.color).color }
  const isChanged = (Object.keys(shown) as (keyof Look)[]).some((field) => shown[field] !== school.look[field])
  return (
    <SetupFrame
      bench={
        <>
          <h1 className="text-[27px]">Looks</h1>
          <p className="mt-1 max-w-[60ch] text-ink-2">
            Set once for the shop and all checkout pages. A page can differ in its colour only.
          </p>
          <Section title="Logo">
            <Logo logoId={look.logoId} change={(logoId) => change({ logoId })} />
          </Section>
          <Section title="Colour">
            <Colour color={look.color} change={(color) => change({ color })} />
          </Section>
          <Section title="Type">
            <div role="radiogroup" aria-label="Type" className="grid max-w-[460px] grid-cols-2 gap-2">
              {TYPE_PAIRS.map((pair) => (
                <Choice key={pair} name="type" isChosen={look.type === pair} choose={() => change({ type: pair })}>
                  <span style={lookStyle({ ...look, type: pair })} className="block">
                    <b className="display block text-[19px] font-semibold">{TYPE_NAMES[pair][0]}</b>
                    <span className="block text-[13.5px] text-ink-2">{TYPE_NAMES[pair][1]}</span>
                  </span>
                </Choice>
              ))}
            </div>
          </Section>
          <Section title="Corners">
            <div role="radiogroup" aria-label="Corners" className="grid max-w-[460px] grid-cols-2 gap-2">
              {(['round', 'square'] as const).map((corners) => (
                <Choice
                  key={corners}
                  name="corners"
                  isChosen={look.corners === corners}
                  choose={() => change({ corners })}
                >
                  <span
                    className={classes(
                      'block border-2 border-ink px-3 py-1 text-center',
                      corners === 'round' && 'rounded-lg',
                    )}
                  >
                    {corners === 'round' ? 'Round' : 'Square'}
                  </span>
                </Choice>
              ))}
            </div>
          </Section>
          <p className="mt-5 flex items-center gap-4 border-t border-line pt-4">
            <Button kind="press" disabled={!isChanged} onClick={() => setAsking(true)}>
              Use this look…
            </Button>
            {isChanged ? (
              <Button kind="link" onClick={() => setLook(school.look)}>
                Back to the look in use
              </Button>
            ) : (
              <span className="text-[13px] text-ink-3">In use.</span>
            )}
          </p>
          {isAsking && <AskLook look={look} shown={shown} onClose={() => setAsking(false)} onSaved={setLook} />}
        </>
      }
      mirror={
        <PreviewSection label="What is set here">
          <p className="text-[13.5px] text-ink-2">
            Buttons, fields and states keep their colours everywhere: they have been measured so that everybody can read
            them.
          </p>
        </PreviewSection>
      }
    />
  )
}

interface ChoiceProps {
  name: string
  isChosen: boolean
  choose: () => void
  children: React.ReactNode
}

function Choice({ name, isChosen, choose, children }: ChoiceProps) {
  return (
    <label className="cursor-pointer rounded-lg border border-line px-3 py-2.5 has-checked:border-leaf has-checked:bg-acorn-soft has-focus-visible:outline-2 has-focus-visible:outline-leaf">
      <input type="radio" name={name} className="sr-only" checked={isChosen} onChange={choose} />
      {children}
    </label>
  )
}

function Logo({ logoId, change }: { logoId: string | null; change: (logoId: string | null) => void }) {
  const upload = usePictureUpload(change)
  return (
    <>
      <div className="flex items-center gap-4">
        {logoId && (
          <img src={pictureAddress(logoId, 480)} alt="The logo" className="h-12 w-auto max-w-[240px] object-contain" />
        )}
        <PictureInput upload={upload} label="Logo" />
        <Button disabled={upload.isPending} onClick={() => upload.input.current?.click()}>
          {upload.isPending ? 'Uploading…' : logoId ? 'Replace' : 'Choose a picture'}
        </Button>
        {logoId && (
          <Button kind="link" onClick={() => change(null)}>
            Remove
          </Button>
        )}
      </div>
      <UploadNote
        problem={upload.error}
        hint="Shown by the part “Logo”. A PNG or WebP with a transparent background looks best."
      />
    </>
  )
}

function Colour({ color, change }: { color: string | null; change: (color: string | null) => void }) {
  const used = color === null ? null : readable(color)
  return (
    <>
      <div role="radiogroup" aria-label="Colour" className="grid max-w-[460px] grid-cols-2 gap-2">
        <Choice name="color" isChosen={color === null} choose={() => change(null)}>
          <b className="block font-semibold">The products’ own</b>
          <span className="block text-[13.5px] text-ink-2">Each course has its cover colour.</span>
        </Choice>
        <Choice name="color" isChosen={color !== null} choose={() => change(color ?? '#2f5d50')}>
          <b className="block font-semibold">One for all</b>
          <span className="block text-[13.5px] text-ink-2">The colour of your school.</span>
        </Choice>
      </div>
      {color !== null && <MainColour color={color} change={change} />}
      {used?.isChanged && (
        <p
          role="status"
          className="mt-2 flex max-w-[460px] items-center gap-3 rounded-field bg-late-soft px-3 py-2 text-[13.5px]"
        >
          <i className="size-7 flex-none rounded-[4px]" style={{ background: used.color }} />
          White text could not be read on this colour. The pages use the nearest one on which it can: {used.color}.
        </p>
      )}
    </>
  )
}

/** The main colour: picked, or written as the school's printed matter has it. What is no colour stays as it was typed. */
function MainColour({ color, change }: { color: string; change: (color: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null)
  const why = typed !== null && readHex(typed) === null ? 'Write a colour like #8f6220.' : null
  return (
    <Field label="Main colour" error={why} className="mt-3 max-w-[260px]">
      {(wiring) => (
        <span className="flex gap-2">
          <input
            type="color"
            aria-label="Colour picker"
            className="mt-1 h-10 w-14 cursor-pointer rounded-field border border-line-2 bg-sheet p-1"
            value={color}
            onChange={(event) => {
              setTyped(null)
              change(event.target.value)
            }}
          />
          <input
            {...wiring}
            className={`${BOX_INPUT} w-auto flex-1`}
            maxLength={9}
            spellCheck={false}
            value={typed ?? color}
            onChange={(event) => {
              setTyped(event.target.value)
              const hex = readHex(event.target.value)
              if (hex !== null) change(hex)
            }}
            onBlur={() => {
              if (why === null) setTyped(null)
            }}
          />
        </span>
      )}
    </Field>
  )
}

/** `#rrggbb` of what was typed, also in capitals, in short, or without its mark; null where it is no colour. */
function readHex(typed: string): string | null {
  const [, digits] = /^#?([0-9a-f]{6}|[0-9a-f]{3})$/i.exec(typed.trim()) ?? []
  if (!digits) return null
  return `#${(digits.length === 3 ? [...digits].map((digit) => digit + digit).join('') : digits).toLowerCase()}`
}

interface AskLookProps {
  look: Look
  /** The same, with the colour that is used. */
  shown: Look
  onClose: () => void
  onSaved: (look: Look) => void
}

/** Shows three pages with another look before all of them get it. */
function AskLook({ look, shown, onClose, onSaved }: AskLookProps) {
  const pages = usePages()
  const three = (pages.data ?? [])
    .filter(({ isLive, isRetired, title }) => isLive && !isRetired && title !== null)
    .slice(0, 3)
  const { mutate, error, isPending } = useMutation({
    mutationFn: () => unwrap(api.school.look.$put({ json: look })),
    onSuccess: (saved) => {
      onSaved(saved)
      toast('All pages have this look now.')
      onClose()
    },
    meta: { ...IN_PLACE, invalidates: [['session'], ['page']] },
  })
  return (
    <Dialog
      title="Use this look"
      text={
        three.length > 0
          ? 'All pages of the shop get it at once. This is how they will look:'
          : 'All pages of the shop get it at once.'
      }
      onClose={onClose}
      wide
    >
      <div className="grid grid-cols-3 gap-3">
        {three.map(({ id, name, title }) => (
          <figure key={id}>
            <div className="grid h-[220px]">
              <PageInLook id={id} look={shown} title={name || (title ?? '')} />
            </div>
            <figcaption className="mt-1 text-center text-[13px] text-ink-2">{name || title}</figcaption>
          </figure>
        ))}
      </div>
      {error && (
        <p role="alert" className="mt-3 font-medium text-failed">
          {error.problem.errors[0]?.why ?? error.message}
        </p>
      )}
      <div className="mt-5 flex justify-end gap-2">
        <Button onClick={onClose}>Not yet</Button>
        <Button kind="press" disabled={isPending} onClick={() => mutate()}>
          Use it everywhere
        </Button>
      </div>
    </Dialog>
  )
}

function PageInLook({ id, look, title }: { id: string; look: Look; title: string }) {
  const { data } = useQuery({
    queryKey: ['page', id, 'in-look'],
    queryFn: async () => {
      const { live, draft } = await unwrap(api.pages[':id'].$get({ param: { id } }))
      const content = live ?? draft
      return { content, shown: await loadShown(id, content, 'first') }
    },
  })
  return (
    <Canvas width={1080} label={title} undo={nothing} redo={nothing}>
      {data && <ShownPage content={data.content} shown={data.shown} isOld look={look} />}
    </Canvas>
  )
}

function nothing() {}
