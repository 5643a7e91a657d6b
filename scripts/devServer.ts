import { createServer } from 'node:http'
import { getRequestListener } from '@hono/node-server'
import { createServer as createVite } from 'vite'
import { makeApp } from '../src/server/app.ts'
import { type Renderer, shopEntries } from '../src/server/pages/renderer.ts'
import { readConfig } from '../src/server/platform/config.ts'
import { openServices } from '../src/server/services.ts'

/** The server of `npm run dev`, with Vite in front of it; started anew when code of its own changes. */
const config = readConfig()
const vite = await createVite({ server: { middlewareMode: true } })
const REFRESH = `<script type="module">
  import { injectIntoGlobalHook } from '/@react-refresh'
  injectIntoGlobalHook(window)
  window.$RefreshReg$ = () => {}
  window.$RefreshSig$ = () => (type) => type
</script><script type="module" src="/@vite/client"></script>`
const files = (entries: string[], style: string) => ({
  scripts: entries,
  preloads: [],
  styles: [style],
  inlineStyle: '',
  extraHead: REFRESH,
})
const shop = () => vite.ssrLoadModule('/src/shop/render.tsx') as Promise<typeof import('../src/shop/render.tsx')>
const renderer: Renderer = {
  render: async (page) => (await shop()).renderShop(page),
  form: async (page) => (await shop()).renderForm(page),
  shopFiles: (parts) =>
    files(
      shopEntries(parts).map((entry) => `/${entry}`),
      '/src/shop/shop.css',
    ),
  studioFiles: () => files(['/src/studio/main.tsx'], '/src/studio/studio.css'),
}

const { services, close } = await openServices(config)
const answer = getRequestListener(makeApp(services, renderer, true).fetch)
const server = createServer((request, response) =>
  vite.middlewares(request, response, () => void answer(request, response)),
)
server.listen(config.port, '127.0.0.1', () => console.log(`server: ${config.origin}`))

const end = async () => {
  server.close()
  server.closeAllConnections()
  await vite.close()
  await close()
  process.exit(0)
}
process.on('SIGINT', end)
process.on('SIGTERM', end)
