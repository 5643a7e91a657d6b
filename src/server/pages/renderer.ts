import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import type { ShopPage } from './views.ts'

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
  /** The markup, and the names of the parts of it that the browser takes over. */
  render(page: ShopPage): Promise<{ markup: string; parts: string[] }>
  /** The order form of a checkout page alone, as the bench shows it. */
  form(page: ShopPage): Promise<string>
  shopFiles(parts: readonly string[]): PageFiles
  studioFiles(): PageFiles
}

interface ManifestEntry {
  file: string
  css?: string[]
  imports?: string[]
}

const SHOP_ENTRY = 'src/shop/main.ts'
export const STUDIO_ENTRY = 'src/studio/main.tsx'

/** What the browser loads for a shop's page: what every page does, and each part that it takes over. */
export function shopEntries(parts: readonly string[]): string[] {
  return [SHOP_ENTRY, ...parts.map((part) => `src/shop/parts/${part}.ts`)]
}

/** @throws where the interface was not built; `./start` builds it. */
export async function builtRenderer(dist: string): Promise<Renderer> {
  const shop = readManifest(dist, 'shop')
  const studio = readManifest(dist, 'studio')
  const module = (await import(pathToFileURL(join(process.cwd(), dist, 'render/render.js')).href)) as {
    renderShop(page: ShopPage): { markup: string; parts: string[] }
    renderForm(page: ShopPage): string
  }
  const sheets = new Map<string, string>()
  const sheet = (path: string) => {
    const text = sheets.get(path) ?? readFileSync(join(dist, 'client', path), 'utf8')
    sheets.set(path, text)
    return text
  }
  return {
    render: async (page) => module.renderShop(page),
    form: async (page) => module.renderForm(page),
    shopFiles: (parts) => {
      const files = filesOf(shop, shopEntries(parts))
      return { ...files, styles: [], inlineStyle: files.styles.map(sheet).join('') }
    },
    studioFiles: () => filesOf(studio, [STUDIO_ENTRY]),
  }
}

/** The list of an interface's files. @throws where it was not built; `./start` builds it. */
export function readManifest(dist: string, name: 'shop' | 'studio'): Record<string, ManifestEntry> {
  const file = join(dist, `client/.vite/${name}.json`)
  if (!existsSync(file)) throw new Error('The interface is not built. Run ./start, or npm run build.')
  return JSON.parse(readFileSync(file, 'utf8')) as Record<string, ManifestEntry>
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
  const scripts = entries.map((entry) => `/${manifest[entry]?.file}`)
  for (const script of scripts) preloads.delete(script)
  return { scripts, preloads: [...preloads], styles: [...styles], inlineStyle: '', extraHead: '' }
}
