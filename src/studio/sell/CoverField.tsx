import { useMutation } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { MAX_PICTURE_BYTES, PICTURE_TOO_LARGE } from '../../core/content/course.ts'
import { Button } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { IN_PLACE } from '../api.ts'

interface CoverFieldProps {
  coverId: string | null
  onChange: (coverId: string | null) => void
}

/** The cover picture: chosen, checked by the server, shown, taken away. */
export function CoverField({ coverId, onChange }: CoverFieldProps) {
  const input = useRef<HTMLInputElement>(null)
  const [isTooLarge, setTooLarge] = useState(false)
  const upload = useMutation({
    mutationFn: (file: File) => {
      const body = new FormData()
      body.set('file', file)
      return unwrap<{ id: string }>(fetch('/api/catalogue/pictures', { method: 'POST', body }))
    },
    onSuccess: ({ id }) => onChange(id),
    onSettled: () => {
      if (input.current) input.current.value = ''
    },
    meta: { ...IN_PLACE, invalidates: [] },
  })
  const choose = (file: File | undefined) => {
    if (!file) return
    upload.reset()
    // The server refuses it before it has come, and a browser that still sends hears nothing of why.
    setTooLarge(file.size > MAX_PICTURE_BYTES)
    if (file.size <= MAX_PICTURE_BYTES) upload.mutate(file)
  }
  const error = isTooLarge ? PICTURE_TOO_LARGE : (upload.error?.at('/file') ?? upload.error?.message)
  return (
    <div>
      <div className="flex items-center gap-3">
        {coverId && (
          <img
            src={`/pictures/${coverId}/small`}
            alt="The cover"
            className="h-[84px] w-[126px] rounded-field object-cover"
          />
        )}
        <input
          ref={input}
          type="file"
          accept="image/*"
          aria-label="Cover picture"
          aria-describedby="cover-note"
          className="sr-only"
          onChange={(event) => choose(event.target.files?.[0])}
        />
        <Button disabled={upload.isPending} onClick={() => input.current?.click()}>
          {upload.isPending ? 'Uploading the picture…' : coverId ? 'Replace' : 'Choose a picture'}
        </Button>
        {coverId && (
          <Button kind="link" onClick={() => onChange(null)}>
            Remove
          </Button>
        )}
      </div>
      <p
        id="cover-note"
        role={error ? 'alert' : undefined}
        className={error ? 'mt-1.5 text-[13px] font-medium text-failed' : 'mt-1.5 text-[13px] text-ink-3'}
      >
        {error ?? 'JPEG, PNG, WebP or AVIF, up to 12 MB.'}
      </p>
    </div>
  )
}
