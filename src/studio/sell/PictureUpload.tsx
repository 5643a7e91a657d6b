import { classes } from '../../ui/classes.ts'
import type { usePictureUpload } from './usePictureUpload.ts'

type Upload = ReturnType<typeof usePictureUpload>

/** The file field of a picture's upload: a button of the place opens it, so that it is not seen itself. */
export function PictureInput({ upload: { input, choose }, label }: { upload: Upload; label: string }) {
  return (
    <input
      ref={input}
      type="file"
      accept="image/*"
      aria-label={label}
      className="sr-only"
      tabIndex={-1}
      onChange={(event) => choose(event.target.files?.[0])}
    />
  )
}

interface UploadNoteProps {
  /** What is wrong with what was uploaded. */
  problem: string | null | undefined
  /** What is said while nothing is. */
  hint?: string
}

/** What is wrong with an upload, or else what can be uploaded. */
export function UploadNote({ problem, hint }: UploadNoteProps) {
  if (!problem && !hint) return null
  return (
    <p
      role={problem ? 'alert' : undefined}
      className={classes('mt-1.5 text-[13px]', problem ? 'font-medium text-failed' : 'text-ink-3')}
    >
      {problem || hint}
    </p>
  )
}
