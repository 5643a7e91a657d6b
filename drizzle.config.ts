import { defineConfig } from 'drizzle-kit'

export default defineConfig({
  dialect: 'postgresql',
  casing: 'snake_case',
  schema: './src/server/db/schema/index.ts',
  out: './src/server/db/migrations',
})
