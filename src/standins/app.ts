import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { Hono } from 'hono'
import { TransferBooks } from './brook/books.ts'
import { brookTransfer } from './brook/pages.ts'
import { standinsConsole } from './console.ts'
import { EventSender } from './events.ts'
import { Mailbox } from './mailbox/mailbox.ts'
import { mailboxPages } from './mailbox/pages.ts'
import { WalletBooks } from './moor/books.ts'
import { moorWallet } from './moor/pages.ts'
import { thistleApi } from './thistle/api.ts'
import { Books } from './thistle/books.ts'
import { thistleFields } from './thistle/fields.ts'
import { GOOD_WEATHER, type World } from './world.ts'

export interface StandinsOptions {
  /** Folder of the stand-ins' own store; null keeps everything in memory. */
  dataDir: string | null
  /** Where browsers and the product reach the stand-ins. */
  origin: string
  now?: () => Date
}

/** How often transfers that have been on their way for their hours come to their end. */
const ARRIVALS_MS = 20_000

/** The whole simulated outside world, without its ports. */
export function makeStandins({ dataDir, origin, now }: StandinsOptions) {
  const world: World = { ...GOOD_WEATHER }
  const books = new Books(dataDir && join(dataDir, 'thistle.jsonl'), now)
  const wallets = new WalletBooks(dataDir && join(dataDir, 'moor.jsonl'), now)
  const transfers = new TransferBooks(dataDir && join(dataDir, 'brook.jsonl'), now)
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
  const thistle = thistleApi(books, events, world, origin)
  const moor = moorWallet(wallets, events, world, origin)
  const brook = brookTransfer(transfers, events, world, origin)
  app.route('/thistle/v1', thistle.app)
  app.route('/thistle', thistleFields(books, world, thistle.announce))
  app.route('/moor/v1', moor.api)
  app.route('/moor', moor.pages)
  app.route('/brook/v1', brook.api)
  app.route('/brook', brook.pages)
  app.route('/mail', mailboxPages(mailbox))
  const { announceDispute } = thistle
  const { arrive } = brook
  app.route('/', standinsConsole({ books, wallets, transfers, events, world, announceDispute, arrive }))
  setInterval(brook.arriveDue, ARRIVALS_MS).unref()
  return { app, world, books, wallets, transfers, mailbox, events, arrive, announceDispute }
}
