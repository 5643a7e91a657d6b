import { benchBasket } from './bench/basket.ts'
import { benchCheckoutPage } from './bench/checkoutPage.ts'
import { benchCodes } from './bench/codes.ts'
import { benchCollecting } from './bench/collecting.ts'
import { benchGrowing } from './bench/growing.ts'
import { benchOrders } from './bench/orders.ts'
import { benchQuote } from './bench/quote.ts'

/**
 * `npm run bench`: figures measured side by side in one run, as ratios. Nothing here is a test: a busy
 * machine makes any figure worse. Name parts to run only them: quote, orders, basket, collecting, page,
 * codes, growing.
 */
const PARTS: Record<string, () => Promise<void>> = {
  quote: benchQuote,
  orders: benchOrders,
  basket: benchBasket,
  collecting: benchCollecting,
  page: benchCheckoutPage,
  codes: benchCodes,
  growing: benchGrowing,
}
const wanted = process.argv.slice(2)
for (const name of wanted.length > 0 ? wanted : Object.keys(PARTS)) {
  const part = PARTS[name]
  if (!part) {
    console.error(`There is no part ${name}: ${Object.keys(PARTS).join(', ')}.`)
    process.exit(2)
  }
  console.log(`\n${name}`)
  await part()
}
process.exit(0)
