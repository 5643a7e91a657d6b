import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

const EVERY_SHOP_PAGE =
  /node_modules\/(react|react-dom|scheduler|hono)\/|src\/(shop\/(ShopFrame|Taken|api)|ui\/(Button|classes|problem)|core\/(money\/format|calendar\/sayDay|sentence\/words))\.tsx?$/

export default defineConfig(({ isSsrBuild }) => ({
  plugins: [react(), tailwindcss()],
  appType: 'custom',
  build: isSsrBuild
    ? { ssr: true }
    : {
        outDir: 'dist/client',
        manifest: true,
        // The studio is one chunk; it is loaded once a day by one person.
        chunkSizeWarningLimit: 1000,
        rolldownOptions: {
          input: ['src/shop/main.tsx', 'src/studio/main.tsx'],
          // What every page of the shop needs is one file: many small ones are fetched slower and packed worse.
          output: { codeSplitting: { groups: [{ name: 'base', test: EVERY_SHOP_PAGE }] } },
        },
      },
}))
