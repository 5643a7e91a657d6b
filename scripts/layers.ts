import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join, normalize } from 'node:path'

/**
 * The import rule between layers (docs/architecture.md): each may import itself and those named.
 * `studio` and `shop` know the server only through the types in `src/server/client.ts`.
 */
const MAY_IMPORT: Record<string, readonly string[]> = {
  core: [],
  gateways: ['core'],
  server: ['core', 'gateways'],
  ui: ['core'],
  studio: ['core', 'ui'],
  shop: ['core', 'ui'],
  standins: [],
}
const SERVER_TYPES = 'src/server/client.ts'

/**
 * The folders of the server, the lowest first: each may import those before it, tests any. So there are no circles
 * between folders; Biome refuses those between files. Files that lie beside the folders are above them all.
 */
const SERVER_FOLDERS = [
  'log',
  'db',
  'http',
  'platform',
  'files',
  'drafts',
  'journal',
  'school',
  'session',
  'media',
  'outbox',
  'ledger',
  'gateways',
  'agreements',
  'catalogue',
  'bundles',
  'offers',
  'coupons',
  'checkoutPages',
  'access',
  'charging',
  'fulfilment',
  'transfers',
  'lookup',
  'orders',
  'checkout',
  'baskets',
  'upsells',
  'collecting',
  'refunds',
  'money',
  'people',
  'messages',
  'support',
  'pages',
  'upkeep',
  'practice',
  'setup',
  'schoolFile',
  'events',
]
const IMPORT =
  /(?:^|\n)\s*(import|export)\s+(type\s+)?[^'"\n;]*?(?:\{[^}]*\}\s*)?(?:from\s+)?['"](\.[^'"]+)['"]|import\(\s*['"](\.[^'"]+)['"]\s*\)/g

function files(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    return entry.isDirectory() ? files(path) : /\.tsx?$/.test(entry.name) ? [path] : []
  })
}

/** What a file imports against the rule, in words. */
export function violations(path: string, source: string): string[] {
  const layer = path.split('/')[1] ?? ''
  const allowed = MAY_IMPORT[layer]
  if (!allowed || path.includes('.test.')) return []
  return [...source.matchAll(IMPORT)].flatMap(([, , typeOnly, from, dynamic]) => {
    const target = normalize(join(dirname(path), from ?? dynamic ?? ''))
    const other = target.split('/')[1] ?? ''
    if (layer === 'server' && other === 'server')
      return isBelow(target, path) ? [] : [`${path} imports ${target}, which lies above it`]
    if (other === layer || allowed.includes(other)) return []
    const isTypedClient = (layer === 'studio' || layer === 'shop') && target === SERVER_TYPES && typeOnly !== undefined
    return isTypedClient ? [] : [`${path} imports ${target}, which ${layer} may not`]
  })
}

/** Whether a file of the server may be imported by another: its folder comes before, or is the same. */
function isBelow(target: string, importer: string): boolean {
  return heightOf(target) <= heightOf(importer)
}

function heightOf(path: string): number {
  const [, , folder = '', file] = path.split('/')
  if (file === undefined) return SERVER_FOLDERS.length
  const height = SERVER_FOLDERS.indexOf(folder)
  if (height < 0) throw new Error(`${path}: enter the folder “${folder}” into SERVER_FOLDERS, at its height.`)
  return height
}

if (process.argv[1]?.endsWith('layers.ts')) {
  const found = files('src').flatMap((path) => violations(path, readFileSync(path, 'utf8')))
  for (const line of found) console.error(line)
  if (found.length > 0) process.exit(1)
  console.log('layers: every import points the right way')
}
