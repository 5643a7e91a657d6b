import { useMutation } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { MAX_PICTURE_BYTES, PICTURE_TOO_LARGE } from '../../core/content/course.ts'
import { unwrap } from '../../ui/problem.ts'
import { IN_PLACE } from '../api.ts'

/** Uploads a picture from a file field; what is wrong with it is said in `error`. */
export function usePictureUpload(done: (pictureId: string) => void) {
  const input = useRef<HTMLInputElement>(null)
  const [isTooLarge, setTooLarge] = useState(false)
  const upload = useMutation({
    mutationFn: (file: File) => {
      const body = new FormData()
      body.set('file', file)
      return unwrap<{ id: string }>(fetch('/api/media/pictures', { method: 'POST', body }))
    },
    onSuccess: ({ id }) => done(id),
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
  return { input, choose, isPending: upload.isPending, error }
}
