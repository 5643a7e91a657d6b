import { useMutation } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { Button } from '../../ui/Button.tsx'
import { useOnce } from '../../ui/useOnce.ts'
import { api, IN_PLACE } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'

interface CodesInProps {
  id: string
  done: () => Promise<unknown>
}

/** Takes codes of a CSV file into a set: which rows failed and why is said, with their lines. */
export function CodesIn({ id, done }: CodesInProps) {
  const input = useRef<HTMLInputElement>(null)
  const [file, setFile] = useState<File | null>(null)
  return (
    <>
      <Button kind="link" onClick={() => input.current?.click()}>
        Add from a CSV file…
      </Button>
      <input
        ref={input}
        type="file"
        accept=".csv,text/csv,text/plain"
        aria-label="CSV file with codes"
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => {
          setFile(event.target.files?.[0] ?? null)
          // The same file can be chosen once more, mended.
          event.target.value = ''
        }}
      />
      {file && <ImportDialog id={id} file={file} done={done} onClose={() => setFile(null)} />}
    </>
  )
}

/** So many rows that failed are listed; the others are counted. */
const MAX_LISTED = 100

function ImportDialog({ id, file, done, onClose }: CodesInProps & { file: File; onClose: () => void }) {
  const [rest, setRest] = useState<'take' | 'nothing'>('nothing')
  const once = useOnce()
  const take = useMutation({
    mutationFn: async () => {
      const csv = await file.text()
      return once((header) => api.coupons[':id'].codes.import.$post({ param: { id }, json: { csv, rest }, header }))
    },
    onSuccess: () => done(),
    meta: IN_PLACE,
  })
  const result = take.data
  return (
    <Dialog
      title={`Codes of ${file.name}`}
      text="The first column of each row is a code; each works once."
      onClose={onClose}
    >
      {!result && (
        <fieldset>
          <legend className="font-semibold">If a row cannot be taken</legend>
          {(
            [
              ['nothing', 'take nothing, so that the file can be mended'],
              ['take', 'take the others'],
            ] as const
          ).map(([value, label]) => (
            <label key={value} className="mt-1 flex items-center gap-2">
              <input type="radio" name="rest" checked={rest === value} onChange={() => setRest(value)} />
              {label}
            </label>
          ))}
        </fieldset>
      )}
      {result && (
        <div role="status">
          <p className="font-semibold">
            {result.taken === 0 ? 'Nothing was taken.' : `${formatCodes(result.taken)} taken.`}
          </p>
          {result.refused.length > 0 && (
            <>
              <p className="mt-1">{formatRefused(result.refused.length)}</p>
              <ul className="mt-1 max-h-[220px] overflow-auto text-[13.5px]" tabIndex={-1}>
                {result.refused.slice(0, MAX_LISTED).map(({ line, code, why }) => (
                  <li key={line} className="border-b border-line py-1 [overflow-wrap:anywhere]">
                    Line {line}
                    {code && (
                      <>
                        {' '}
                        <b className="font-semibold">{code}</b>
                      </>
                    )}
                    : {why}
                  </li>
                ))}
              </ul>
              {result.refused.length > MAX_LISTED && (
                <p className="mt-1 text-[13.5px] text-ink-2">and {result.refused.length - MAX_LISTED} more.</p>
              )}
            </>
          )}
        </div>
      )}
      {take.error && (
        <p role="alert" className="mt-3 font-medium text-failed">
          {take.error.at('/csv') ?? take.error.message}
        </p>
      )}
      <div className="mt-5 flex justify-end gap-2">
        <Button onClick={onClose}>{result ? 'Close' : 'Cancel'}</Button>
        {(!result || (result.taken === 0 && result.refused.length > 0)) && (
          <Button
            kind="press"
            disabled={take.isPending}
            onClick={() => {
              if (!result) return take.mutate()
              setRest('take')
              take.reset()
            }}
          >
            {result ? 'Choose again' : take.isPending ? 'Taking them…' : 'Take the codes'}
          </Button>
        )}
      </div>
    </Dialog>
  )
}

function formatCodes(count: number): string {
  return count === 1 ? '1 code' : `${count} codes`
}

function formatRefused(count: number): string {
  return count === 1 ? '1 row cannot be taken:' : `${count} rows cannot be taken:`
}
