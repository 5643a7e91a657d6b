import { pathToFileURL } from 'node:url'
import { build, type Plugin } from 'vite'

/** Each module goes on finding the files that stand beside its source, wherever the bundle is. */
const ownAddresses: Plugin = {
  name: 'own-addresses',
  enforce: 'pre',
  transform: (code, id) =>
    id.includes('/node_modules/') || !code.includes('import.meta.url')
      ? null
      : code.replaceAll('import.meta.url', JSON.stringify(pathToFileURL(id.split('?')[0] as string).href)),
}

/**
 * Builds programs of the server into one file each, for those who start many of them: each start would else translate all
 * sources again. They run where this project stands.
 * @param entries the files that are started, by the name that each gets in `outDir` (`name.js`).
 * @param packs whether packages go into the file too, which starts faster; those with code of the machine never do.
 */
export async function bundle(entries: Record<string, string>, outDir: string, packs: boolean): Promise<void> {
  await build({
    configFile: false,
    logLevel: 'warn',
    plugins: [ownAddresses],
    ...(packs && { ssr: { noExternal: true, external: ['@node-rs/argon2', 'pg-native'] } }),
    build: { ssr: true, outDir, emptyOutDir: true, rolldownOptions: { input: entries } },
  })
}
