import { Button } from '../../ui/Button.tsx'
import { pictureAddress } from '../../ui/pictures.ts'
import { PictureInput, UploadNote } from './PictureUpload.tsx'
import { usePictureUpload } from './usePictureUpload.ts'

interface CoverFieldProps {
  coverId: string | null
  onChange: (coverId: string | null) => void
}

/** The cover picture: chosen, checked by the server, shown, taken away. */
export function CoverField({ coverId, onChange }: CoverFieldProps) {
  const upload = usePictureUpload(onChange)
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
        <PictureInput upload={upload} label="Cover picture" />
        <Button disabled={upload.isPending} onClick={() => upload.input.current?.click()}>
          {upload.isPending ? 'Uploading the picture…' : coverId ? 'Replace' : 'Choose a picture'}
        </Button>
        {coverId && (
          <Button kind="link" onClick={() => onChange(null)}>
            Remove
          </Button>
        )}
      </div>
      <UploadNote problem={upload.error} hint="JPEG, PNG, WebP or AVIF, up to 12 MB." />
    </div>
  )
}
