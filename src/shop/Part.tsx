import type { ComponentType, ReactNode } from 'react'
import { renderToString } from 'react-dom/server'
import type { ShopPage, ShopView } from '../server/client.ts'

/** What the browser takes over of a page: it is made of the page's data alone. */
export type PartComponent<V extends ShopView> = ComponentType<{ page: ShopPage; view: V }>

interface PartProps<V extends ShopView> {
  /** Its file in `parts/`, which the browser loads. */
  name: string
  of: PartComponent<V>
  page: ShopPage
  view: V
  /** Where it stands within a sentence. */
  isInline?: boolean
}

/**
 * A part that the browser takes over; all around it stays the markup that the server made. It is rendered by itself,
 * as the browser will, so that both give its fields the same names.
 */
export function Part<V extends ShopView>({ name, of: Inside, page, view, isInline = false }: PartProps<V>): ReactNode {
  const Place = isInline ? 'span' : 'div'
  const markup = renderToString(<Inside page={page} view={view} />, { identifierPrefix: name })
  // biome-ignore lint/security/noDangerouslySetInnerHtml: markup that React made, of text that it escaped
  return <Place data-part={name} className="contents" dangerouslySetInnerHTML={{ __html: markup }} />
}

/** A page that the browser takes over whole, but for its frame. */
export function wholePart<V extends ShopView>(name: string, of: PartComponent<V>): PartComponent<V> {
  return ({ page, view }) => <Part name={name} of={of} page={page} view={view} />
}

/** The parts that stand in a page's markup, by name: as {@link Part} writes them, which no text of a creator can. */
export function partsIn(markup: string): string[] {
  return [...markup.matchAll(/<(?:div|span) data-part="([a-z-]+)"/g)].map(([, name]) => name as string)
}
