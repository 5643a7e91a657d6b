import type { PagePart } from '../../core/checkoutPages/parts.ts'
import { RichText } from '../sell/RichText.tsx'
import { usePageBench } from './bench.tsx'

/** A longer text of the page, written on where it stands, with its tools above it. */
export function EditRich({ part, html }: { part: PagePart; html: string }) {
  const { set } = usePageBench()
  return <RichText label="Text" html={html} onChange={(written) => set(part.id, 'html', written)} />
}
