import { ImagePlus, Video as VideoIcon } from 'lucide-react'
import type { KeyboardEvent, PointerEvent } from 'react'
import { newShot, type PagePart, type Shot } from '../../core/checkoutPages/parts.ts'
import { classes } from '../../ui/classes.ts'
import { PictureInput } from '../sell/PictureUpload.tsx'
import { usePictureUpload } from '../sell/usePictureUpload.ts'
import { useIsChosen, usePageBench } from './bench.tsx'

interface SlotProps {
  part: PagePart
  at: string
  what: 'picture' | 'video'
  className?: string
}

/** Where a picture or a video will stand. A picture is chosen right there; a video in the part's choices. */
export function Slot({ part, at, what, className = '' }: SlotProps) {
  const { set } = usePageBench()
  const upload = usePictureUpload((id) => set(part.id, at, newShot(id)))
  const Icon = what === 'picture' ? ImagePlus : VideoIcon
  const looks =
    'grid min-h-11 place-content-center place-items-center gap-1 overflow-hidden border-2 border-dashed border-current/50 text-center text-[13px]'
  if (what === 'video') {
    return (
      <div className={classes(looks, className)}>
        <Icon size={22} aria-hidden="true" />
        <span>Choose the video at the side</span>
      </div>
    )
  }
  const isSmall = part.kind === 'testimonials'
  const why = upload.error && (
    <span role="alert" className="mx-3 block rounded-field bg-failed-soft px-2.5 py-1 font-medium text-failed">
      {upload.error}
    </span>
  )
  return (
    <div className={classes(isSmall && 'relative', className)}>
      <button
        type="button"
        disabled={upload.isPending}
        className={classes(looks, 'size-full rounded-[inherit]')}
        onClick={() => upload.input.current?.click()}
      >
        <Icon size={isSmall ? 16 : 22} aria-hidden="true" />
        <span className={isSmall ? 'sr-only' : undefined}>{upload.isPending ? 'Uploading…' : 'Choose a picture'}</span>
        {!isSmall && why}
      </button>
      {/* There is no room for it in the place of a face. */}
      {isSmall && why && <div className="absolute top-full left-0 z-20 mt-1 w-60">{why}</div>}
      <PictureInput upload={upload} label="Picture" />
    </div>
  )
}

/** How far an arrow key moves what stays in sight, in percent. */
const STEP = 2

/** What stays in sight of a picture, wherever it is cut: a point that is dragged, or moved by the arrow keys. */
export function Focus({ part, at, shot }: { part: PagePart; at: string; shot: Shot }) {
  const { set } = usePageBench()
  const isChosen = useIsChosen(part.id)
  if (!isChosen) return null
  const { x, y } = shot.focus
  const move = (to: { x: number; y: number }) => {
    const bounded = (value: number) => Math.round(Math.min(100, Math.max(0, value)))
    set(part.id, `${at}/focus`, { x: bounded(to.x), y: bounded(to.y) })
  }
  const drag = (event: PointerEvent<HTMLButtonElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return
    const box = event.currentTarget.parentElement?.getBoundingClientRect()
    if (!box) return
    move({ x: ((event.clientX - box.left) / box.width) * 100, y: ((event.clientY - box.top) / box.height) * 100 })
  }
  const onKeyDown = (event: KeyboardEvent) => {
    const by = { ArrowLeft: [-STEP, 0], ArrowRight: [STEP, 0], ArrowUp: [0, -STEP], ArrowDown: [0, STEP] }[event.key]
    if (!by) return
    event.preventDefault()
    move({ x: x + (by[0] ?? 0), y: y + (by[1] ?? 0) })
  }
  return (
    <button
      type="button"
      aria-label={`What stays in sight: ${x} % from the left, ${y} % from the top. Arrow keys move it.`}
      className="absolute size-[30px] -translate-1/2 cursor-grab touch-none rounded-full border-2 border-sheet shadow-[0_0_0_1px_rgb(26_35_28/.6)] after:absolute after:top-1/2 after:left-1/2 after:size-1 after:-translate-1/2 after:rounded-full after:bg-sheet active:cursor-grabbing"
      style={{ left: `${x}%`, top: `${y}%` }}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={drag}
      onKeyDown={onKeyDown}
    />
  )
}
