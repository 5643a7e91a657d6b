import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

// What is built of what stands in scripts/build.ts.
export default defineConfig({
  plugins: [react(), tailwindcss()],
  appType: 'custom',
  optimizeDeps: { entries: ['src/studio/main.tsx', 'src/shop/parts/*.ts'] },
})
