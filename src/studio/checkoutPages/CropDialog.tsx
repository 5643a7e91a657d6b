import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import ReactCrop, { type PercentCrop } from 'react-image-crop'
import 'react-image-crop/dist/ReactCrop.css'
import type { Shot } from '../../core/checkoutPages/parts.ts'
import { Button } from '../../ui/Button.tsx'
import { pictureAddress } from '../../ui/pictures.ts'
import { unwrap } from '../../ui/problem.ts'
import { api, IN_PLACE } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'

const WHOLE: PercentCrop = { unit: '%', x: 0, y: 0, width: 100, height: 100 }

interface CropDialogProps {
  shot: Shot
  change: (shot: Shot) => void
  onClose: () => void
}

/** What is used of a picture: a rectangle that is drawn over it, or moved by the arrow keys. The whole picture is kept. */
export function CropDialog({ shot, change, onClose }: CropDialogProps) {
  const { cut } = shot
  const wholeId = cut?.pictureId ?? shot.pictureId
  const [crop, setCrop] = useState<PercentCrop>(cut ? { unit: '%', ...cut } : WHOLE)
  const isWhole = crop.width > 99.5 && crop.height > 99.5
  const { mutate, error, isPending } = useMutation({
    mutationFn: async (): Promise<Shot> => {
      const focus = { x: 50, y: 50 }
      if (isWhole) return { ...shot, pictureId: wholeId, cut: null, focus }
      const { x, y, width, height } = crop
      const json = { x, y, width, height }
      const { id } = await unwrap(api.media.pictures[':id'].cut.$post({ param: { id: wholeId }, json }))
      return { ...shot, pictureId: id, cut: { pictureId: wholeId, ...json }, focus }
    },
    onSuccess: (cropped) => {
      change(cropped)
      onClose()
    },
    meta: { ...IN_PLACE, invalidates: [] },
  })
  return (
    <Dialog
      title="Crop"
      text="What is outside is not shown anywhere; the whole picture is kept."
      onClose={onClose}
      wide
    >
      <ReactCrop
        crop={crop}
        keepSelection
        ruleOfThirds
        className="[--rc-focus-color:var(--color-acorn)]"
        minWidth={40}
        minHeight={40}
        ariaLabels={{
          cropArea: 'What is used of the picture. Arrow keys move it.',
          nwDragHandle: 'Upper left corner. Arrow keys move it.',
          nDragHandle: 'Upper edge. Arrow keys move it.',
          neDragHandle: 'Upper right corner. Arrow keys move it.',
          eDragHandle: 'Right edge. Arrow keys move it.',
          seDragHandle: 'Lower right corner. Arrow keys move it.',
          sDragHandle: 'Lower edge. Arrow keys move it.',
          swDragHandle: 'Lower left corner. Arrow keys move it.',
          wDragHandle: 'Left edge. Arrow keys move it.',
        }}
        onChange={(_pixels, percent) => setCrop(percent)}
      >
        <img src={pictureAddress(wholeId, 1200)} alt="" className="max-h-[56vh] w-full object-contain" />
      </ReactCrop>
      {error && (
        <p role="alert" className="mt-2 font-medium text-failed">
          {error.at('/cut') ?? error.message}
        </p>
      )}
      <div className="mt-5 flex items-center justify-end gap-2">
        <Button kind="link" className="mr-auto" onClick={() => setCrop(WHOLE)}>
          The whole picture
        </Button>
        <Button onClick={onClose}>Cancel</Button>
        <Button kind="press" disabled={isPending} onClick={() => mutate()}>
          {isPending ? 'Cropping…' : 'Crop'}
        </Button>
      </div>
    </Dialog>
  )
}
