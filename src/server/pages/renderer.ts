import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import type { ShopPage, ShopViewName } from '../views/data.ts'

/** The files of one page, as they stand in its head. */
export interface PageFiles {
  scripts: string[]
  preloads: string[]
  styles: string[]
  /** Style sheets that stand in the page itself, which saves a slow connection a trip. */
  inlineStyle: string
  /** Markup that a development server puts first. */
  extraHead: string
}

/** Turns page data into HTML, and says which files a page needs. */
export interface Renderer {
  render(page: ShopPage): Promise<string>
  shopFiles(view: ShopViewName): PageFiles
  studioFiles(): PageFiles
}

interface ManifestEntry {
  file: string
  css?: string[]
  imports?: string[]
}

const SHOP_ENTRY = 'src/shop/main.tsx'
const STUDIO_ENTRY = 'src/studio/main.tsx'

/** Where each view of the shop lives, so that its chunk is fetched together with the entry. */
export const VIEW_FILES: Record<ShopViewName, string> = {
  school: 'src/shop/catalogue/SchoolPage.tsx',
  course: 'src/shop/catalogue/CoursePage.tsx',
  checkout: 'src/shop/checkout/CheckoutPage.tsx',
  thanks: 'src/shop/checkout/ThanksPage.tsx',
  my: 'src/shop/access/MyPage.tsx',
  plan: 'src/shop/collecting/PlanPage.tsx',
  learn: 'src/shop/access/LearnPage.tsx',
  'sign-in': 'src/shop/people/SignInPage.tsx',
  password: 'src/shop/people/PasswordPage.tsx',
  email: 'src/shop/people/EmailPage.tsx',
  notice: 'src/shop/catalogue/NoticePage.tsx',
}

/** @throws where the interface was not built; `./start` builds it. */
export async function builtRenderer(dist: string): Promise<Renderer> {
  const manifestFile = join(dist, 'client/.vite/manifest.json')
  if (!existsSync(manifestFile)) throw new Error('The interface is not built. Run ./start, or npm run build.')
  const manifest = JSON.parse(readFileSync(manifestFile, 'utf8')) as Record<string, ManifestEntry>
  const module = (await import(pathToFileURL(join(process.cwd(), dist, 'render/render.js')).href)) as {
    renderShop(page: ShopPage): string
  }
  const sheets = new Map<string, string>()
  const sheet = (path: string) => {
    const text = sheets.get(path) ?? readFileSync(join(dist, 'client', path), 'utf8')
    sheets.set(path, text)
    return text
  }
  return {
    render: async (page) => module.renderShop(page),
    shopFiles: (view) => {
      const files = filesOf(manifest, [SHOP_ENTRY, VIEW_FILES[view]])
      return { ...files, styles: [], inlineStyle: files.styles.map(sheet).join('') }
    },
    studioFiles: () => filesOf(manifest, [STUDIO_ENTRY]),
  }
}

/** Everything that the entries pull in before the page can be used. */
export function filesOf(manifest: Record<string, ManifestEntry>, entries: string[]): PageFiles {
  const preloads = new Set<string>()
  const styles = new Set<string>()
  const visit = (key: string) => {
    const entry = manifest[key]
    if (!entry) throw new Error(`The build has no ${key}. Build the interface anew.`)
    if (preloads.has(`/${entry.file}`)) return
    preloads.add(`/${entry.file}`)
    for (const style of entry.css ?? []) styles.add(`/${style}`)
    for (const next of entry.imports ?? []) visit(next)
  }
  for (const entry of entries) visit(entry)
  const main = `/${manifest[entries[0] as string]?.file}`
  preloads.delete(main)
  return { scripts: [main], preloads: [...preloads], styles: [...styles], inlineStyle: '', extraHead: '' }
}
