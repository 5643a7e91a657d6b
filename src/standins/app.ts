import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { Hono } from 'hono'
import { EventSender } from './events.ts'
import { Mailbox } from './mailbox/mailbox.ts'
import { mailboxPages } from './mailbox/pages.ts'
import { thistleApi } from './thistle/api.ts'
import { Books } from './thistle/books.ts'
import { thistleConsole } from './thistle/console.ts'
import { thistleFields } from './thistle/fields.ts'
import { GOOD_WEATHER, type World } from './world.ts'

export interface StandinsOptions {
  /** Folder of the stand-ins' own store; null keeps everything in memory. */
  dataDir: string | null
  /** Where browsers and the product reach the stand-ins. */
  origin: string
  now?: () => Date
}

/** The whole simulated outside world, without its ports. */
export function makeStandins({ dataDir, origin, now }: StandinsOptions) {
  const world: World = { ...GOOD_WEATHER }
  const books = new Books(dataDir && join(dataDir, 'thistle.jsonl'), now)
  const mailbox = new Mailbox(dataDir && join(dataDir, 'mail.jsonl'), now)
  const events = new EventSender(world)
  const font = readFileSync(
    createRequire(import.meta.url).resolve(
      '@fontsource-variable/instrument-sans/files/instrument-sans-latin-wght-normal.woff2',
    ),
  )

  const app = new Hono()
  app.get('/assets/instrument-sans.woff2', (c) =>
    c.body(new Uint8Array(font), 200, { 'content-type': 'font/woff2', 'cache-control': 'public, max-age=86400' }),
  )
  app.route('/thistle/v1', thistleApi(books, events, world, origin))
  app.route('/thistle', thistleFields(books, events, world))
  app.route('/mail', mailboxPages(mailbox))
  app.route('/', thistleConsole(books, events, world))
  return { app, world, books, mailbox, events }
}
