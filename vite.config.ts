import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

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
        rollupOptions: { input: ['src/shop/main.tsx', 'src/studio/main.tsx'] },
      },
}))
