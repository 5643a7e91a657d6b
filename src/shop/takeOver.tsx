import { hydrateRoot } from 'react-dom/client'
import type { ShopPage, ShopView } from '../server/client.ts'
import type { PartComponent } from './Part.tsx'
import { Taken } from './Taken.tsx'

/** Takes over one part of the page that the server made: its file in `parts/` calls this. */
export function takeOver<V extends ShopView>(name: string, Inside: PartComponent<V>): void {
  const place = document.querySelector(`[data-part="${name}"]`) as HTMLElement
  const page = JSON.parse(document.getElementById('page')?.textContent ?? '') as ShopPage & { view: V }
  hydrateRoot(
    place,
    <Taken place={place}>
      <Inside page={page} view={page.view} />
    </Taken>,
    { identifierPrefix: name },
  )
}
