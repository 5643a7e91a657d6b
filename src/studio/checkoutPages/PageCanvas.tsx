import { memo, useEffect, useMemo, useRef } from 'react'
import type { PageFacts } from '../../core/checkoutPages/facts.ts'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import { type Editing, EditingContext } from '../../ui/checkoutPages/editing.tsx'
import { PageLayout } from '../../ui/checkoutPages/PageLayout.tsx'
import { classes } from '../../ui/classes.ts'
import { lookStyle } from '../../ui/look.ts'
import { FactsProvider, useIsChosen, usePageBench } from './bench.tsx'
import { EditRich } from './EditRich.tsx'
import { EditText } from './EditText.tsx'
import { Entry, More } from './entries.tsx'
import { Frame } from './Frame.tsx'
import { Focus, Slot } from './pictures.tsx'

const EDITING: Editing = { Text: EditText, Rich: EditRich, Frame, More, Entry, Slot, Focus }

interface PageCanvasProps {
  content: Pick<PageContent, 'parts' | 'formSide' | 'color'>
  facts: PageFacts
  /** The markup of the order form, as the shop makes it; null: there is nothing to order yet. */
  form: string | null
}

/** The page that is shaped, to be written on; its order form is the shop's own, and only shown. */
export function PageCanvas({ content, facts, form }: PageCanvasProps) {
  const drawnForm = useMemo(() => <ChosenForm markup={form} />, [form])
  return (
    <EditingContext.Provider value={EDITING}>
      <FactsProvider value={facts}>
        <div className="pb-12 text-[15px] leading-[1.45]" style={lookStyle(facts.school.look)}>
          <PageLayout shaped={content} facts={facts} form={drawnForm} />
        </div>
      </FactsProvider>
    </EditingContext.Provider>
  )
}

/** The order form on the bench: it is chosen as a whole, and does nothing. */
const ChosenForm = memo(function ChosenForm({ markup }: { markup: string | null }) {
  const { store } = usePageBench()
  const isChosen = useIsChosen('form')
  return (
    <div
      className={classes('rounded-lg outline-offset-4', isChosen && 'outline-2 outline-leaf')}
      onPointerDownCapture={() => store.getState().choose('form')}
    >
      <ShownForm markup={markup} />
    </div>
  )
})

/** The form as the shop made it, which nothing can be done with; or its place, where there is nothing to order yet. */
export function ShownForm({ markup }: { markup: string | null }) {
  if (markup === null) {
    return (
      <p className="rounded-lg border border-dashed border-ink-3 bg-sheet px-6 py-8 text-ink-2">
        The order form stands here once there is an offer to buy. Until then nobody can order on this page.
      </p>
    )
  }
  return <InertMarkup markup={markup} />
}

function InertMarkup({ markup }: { markup: string }) {
  const place = useRef<HTMLDivElement>(null)
  // The gateway's frame says how high it is to the page around it, which is this one here.
  useEffect(() => {
    const page = place.current?.ownerDocument.defaultView
    if (!page) return
    const hear = ({ source, data }: MessageEvent) => {
      const frames = [...(place.current?.querySelectorAll('iframe') ?? [])]
      const frame = frames.find(({ contentWindow }) => contentWindow === source)
      if (frame && data?.type === 'fields:height') frame.style.height = `${Math.min(Number(data.height) || 0, 300)}px`
    }
    page.addEventListener('message', hear)
    return () => page.removeEventListener('message', hear)
  }, [])
  // biome-ignore lint/security/noDangerouslySetInnerHtml: markup that the shop made, of text that it escaped
  return <div ref={place} inert dangerouslySetInnerHTML={{ __html: markup }} />
}
