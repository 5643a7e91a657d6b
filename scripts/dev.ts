import { createServer } from 'node:http'
import { join } from 'node:path'
import { getRequestListener } from '@hono/node-server'
import { createServer as createVite } from 'vite'
import { makeApp } from '../src/server/app.ts'
import type { Renderer } from '../src/server/pages/renderer.ts'
import { readConfig } from '../src/server/platform/config.ts'
import { openServices } from '../src/server/services.ts'
import type { ShopPage } from '../src/server/views/data.ts'
import { startCluster } from './postgres.ts'
import { prepareData } from './prepare.ts'
import { endPart, PARTS, startPart } from './processes.ts'

/** `npm run dev`: the same server with Vite in front of it, which reloads what changes. */
const config = readConfig()
const standinsData = join(config.dataDir, 'standins')
const cluster = process.env.DATABASE_URL
  ? null
  : await startCluster({ dir: join(config.dataDir, 'postgres'), port: Number(process.env.DATABASE_PORT ?? 7330) })
await prepareData(config, standinsData, true)
const env = { ...process.env, STANDINS_DATA: standinsData }
const children = await Promise.all(PARTS.filter(({ name }) => name !== 'server').map((part) => startPart(part, env)))

const vite = await createVite({ server: { middlewareMode: true } })
const REFRESH = `<script type="module">
  import { injectIntoGlobalHook } from '/@react-refresh'
  injectIntoGlobalHook(window)
  window.$RefreshReg$ = () => {}
  window.$RefreshSig$ = () => (type) => type
</script><script type="module" src="/@vite/client"></script>`
const files = (entry: string, style: string) => ({
  scripts: [entry],
  preloads: [],
  styles: [style],
  inlineStyle: '',
  extraHead: REFRESH,
})
const renderer: Renderer = {
  render: async (page: ShopPage) =>
    ((await vite.ssrLoadModule('/src/shop/render.tsx')) as { renderShop(page: ShopPage): string }).renderShop(page),
  shopFiles: () => files('/src/shop/main.tsx', '/src/shop/shop.css'),
  studioFiles: () => files('/src/studio/main.tsx', '/src/studio/studio.css'),
}

const { services, close } = await openServices(config)
const answer = getRequestListener(makeApp(services, renderer, true).fetch)
const server = createServer((request, response) =>
  vite.middlewares(request, response, () => void answer(request, response)),
)
server.listen(config.port, '127.0.0.1', () =>
  console.log(`\nThe studio with hot reload: ${config.origin}/studio\nThe stand-ins: ${config.standinsOrigin}/`),
)

const end = async () => {
  server.close()
  await vite.close()
  await Promise.all(children.map(endPart))
  await close()
  cluster?.stop()
  process.exit(0)
}
process.on('SIGINT', end)
process.on('SIGTERM', end)
