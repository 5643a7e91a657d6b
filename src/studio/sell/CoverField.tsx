import { Button } from '../../ui/Button.tsx'
import { pictureAddress } from '../../ui/pictures.ts'
import { usePictureUpload } from './usePictureUpload.ts'

interface CoverFieldProps {
  coverId: string | null
  onChange: (coverId: string | null) => void
}

/** The cover picture: chosen, checked by the server, shown, taken away. */
export function CoverField({ coverId, onChange }: CoverFieldProps) {
  const { input, choose, isPending, error } = usePictureUpload(onChange)
  return (
    <div>
      <div className="flex items-center gap-3">
        {coverId && (
          <img
            src={pictureAddress(coverId, 320)}
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
        <Button disabled={isPending} onClick={() => input.current?.click()}>
          {isPending ? 'Uploading the picture…' : coverId ? 'Replace' : 'Choose a picture'}
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
