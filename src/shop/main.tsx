import { hydrateRoot } from 'react-dom/client'
import type { ShopPage } from '../server/client.ts'
import { ShopFrame } from './ShopFrame.tsx'
import './shop.css'
import { Taken } from './Taken.tsx'
import { loadView } from './views.ts'

const page = JSON.parse(document.getElementById('page')?.textContent ?? '') as ShopPage
const View = await loadView(page.view.name)
hydrateRoot(
  document.getElementById('app') as HTMLElement,
  <Taken>
    <ShopFrame page={page}>
      <View page={page} view={page.view} />
    </ShopFrame>
  </Taken>,
)

// A page that comes back from the browser's memory may show an old price or an old state.
addEventListener('pageshow', (event) => {
  if (event.persisted) location.reload()
})
