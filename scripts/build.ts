import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { basename, join } from 'node:path'
import { brotliCompressSync } from 'node:zlib'
import { build } from 'vite'
import { STUDIO_ENTRY, shopEntries } from '../src/server/pages/renderer.ts'
import { checkBudget } from './budget.ts'
import { SetUpError } from './postgres.ts'

const MADE_OF = [
  'src/core',
  'src/ui',
  'src/shop',
  'src/studio',
  'vite.config.ts',
  'scripts/budget.ts',
  'scripts/build.ts',
  'package-lock.json',
]

/**
 * Builds the interface into `dist` where what it is made of has changed since the last time: the
 * browser's files, and the shop's pages for the server.
 * @throws SetUpError where it does not build, or the checkout page is over its budget.
 */
export async function buildWhatChanged(dist: string): Promise<void> {
  const stamp = join(dist, 'built-from')
  const wanted = fingerprint(MADE_OF)
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return
  console.log('Building the interface…')
  try {
    rmSync(join(dist, 'client'), { recursive: true, force: true })
    // Each by itself: what only the studio uses of a file that both use would else weigh on the shop.
    await buildClient(dist, 'shop', shopEntries(readdirSync('src/shop/parts').map((file) => basename(file, '.ts'))))
    await buildClient(dist, 'studio', [STUDIO_ENTRY])
    packFiles(join(dist, 'client/assets'))
    await build({
      logLevel: 'warn',
      build: { ssr: 'src/shop/render.tsx', outDir: join(dist, 'render'), emptyOutDir: true },
    })
  } catch (error) {
    throw new SetUpError(`The interface could not be built: ${error instanceof Error ? error.message : error}`)
  }
  console.log(checkBudget(dist))
  mkdirSync(dist, { recursive: true })
  writeFileSync(stamp, wanted)
}

/** What every part of the shop's pages needs is one file: many small ones are fetched slower and packed worse. */
const EVERY_PART =
  /node_modules\/(react|react-dom|scheduler|hono)\/|src\/(shop\/(takeOver|Taken|api)|ui\/(Button|classes|problem)|core\/(money\/format|calendar\/formatDay|sentence\/words))\.tsx?$/

/**
 * The scripts of a page are few enough to be fetched at once: a browser keeps six connections to a server, and whatever
 * waits for one comes a round trip later.
 */
const SHOP_CHUNKS = [
  { name: 'base', test: EVERY_PART, priority: 1 },
  { name: 'shared', minShareCount: 2 },
]

/** Writes the browser's files of one interface, and the list of them. */
function buildClient(dist: string, name: 'shop' | 'studio', input: string[]) {
  return build({
    logLevel: 'warn',
    build: {
      outDir: join(dist, 'client'),
      emptyOutDir: false,
      manifest: `.vite/${name}.json`,
      // Browsers that the product is made for need none.
      modulePreload: { polyfill: false },
      // What the studio always needs is one chunk; it is loaded once a day by one person.
      chunkSizeWarningLimit: 1300,
      rolldownOptions: {
        input,
        output: name === 'shop' ? { codeSplitting: { groups: SHOP_CHUNKS } } : {},
      },
    },
  })
}

/** Puts each script and style beside itself as it is sent, packed as small as it gets; done once, it may take its time. */
function packFiles(folder: string) {
  for (const name of readdirSync(folder).filter((file) => /\.(js|css)$/.test(file))) {
    const whole = readFileSync(join(folder, name))
    const packed = brotliCompressSync(whole)
    if (packed.length < whole.length) writeFileSync(join(folder, `${name}.br`), packed)
  }
}

function fingerprint(paths: string[]): string {
  const hash = createHash('sha256')
  const add = (path: string, isFolder: boolean) => {
    if (!isFolder) return void hash.update(path).update(readFileSync(path))
    for (const entry of readdirSync(path, { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1))) {
      if (!entry.name.includes('.test.')) add(join(path, entry.name), entry.isDirectory())
    }
  }
  for (const path of paths) add(path, !/\.(ts|json)$/.test(path))
  return hash.digest('hex')
}

if (process.argv[1]?.endsWith('build.ts')) {
  try {
    await buildWhatChanged(process.env.DIST ?? 'dist')
  } catch (error) {
    console.error(error instanceof SetUpError ? error.message : error)
    process.exit(1)
  }
}
