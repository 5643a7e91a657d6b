import { useRef, useState } from 'react'
import { MAX_PICTURE_BYTES, PICTURE_TOO_LARGE } from '../../core/content/course.ts'
import { Button } from '../../ui/Button.tsx'
import { ApiError, unwrap } from '../../ui/problem.ts'

interface CoverFieldProps {
  coverId: string | null
  onChange: (coverId: string | null) => void
}

/** The cover picture: chosen, checked by the server, shown, taken away. */
export function CoverField({ coverId, onChange }: CoverFieldProps) {
  const input = useRef<HTMLInputElement>(null)
  const [error, setError] = useState<string | null>(null)
  const [isBusy, setBusy] = useState(false)
  const upload = async (file: File | undefined) => {
    if (!file) return
    // The server refuses it before it has come, and a browser that still sends hears nothing of why.
    if (file.size > MAX_PICTURE_BYTES) return setError(PICTURE_TOO_LARGE)
    setError(null)
    setBusy(true)
    const body = new FormData()
    body.set('file', file)
    try {
      const { id } = await unwrap<{ id: string }>(fetch('/api/catalogue/pictures', { method: 'POST', body }))
      onChange(id)
    } catch (problem) {
      if (!(problem instanceof ApiError)) throw problem
      setError(problem.at('/file') ?? problem.message)
    } finally {
      setBusy(false)
      if (input.current) input.current.value = ''
    }
  }
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
          onChange={(event) => void upload(event.target.files?.[0])}
        />
        <Button disabled={isBusy} onClick={() => input.current?.click()}>
          {isBusy ? 'Reading the picture…' : coverId ? 'Replace' : 'Choose a picture'}
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
