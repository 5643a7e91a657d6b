/**
 * Tests take a day of their own, not the machine's: whoever loads this file lives on `TEST_DAY`, from ten in the morning
 * (UTC) on, and so do the processes that it starts. `TEST_DAY=2027-01-31 ./test` runs every check on another day.
 * PostgreSQL keeps the machine's time, and is asked for none that is compared with it.
 */
const LIVES = Symbol.for('young-acorn.test-day')

if (!globalThis[LIVES]) {
  globalThis[LIVES] = true
  const RealDate = Date
  process.env.TEST_DAY ??= '2026-11-18'
  // Where the first process counted it, all that it starts live by the same clock.
  process.env.TEST_DAY_AHEAD_MS ??= String(RealDate.parse(`${process.env.TEST_DAY}T10:00:00Z`) - RealDate.now())
  const aheadMs = Number(process.env.TEST_DAY_AHEAD_MS)
  if (!Number.isFinite(aheadMs)) throw new Error(`TEST_DAY=${process.env.TEST_DAY} is no day, as 2027-01-31 is.`)
  globalThis.Date = class extends RealDate {
    constructor(...given) {
      super(...(given.length === 0 ? [RealDate.now() + aheadMs] : given))
    }
    static now() {
      return RealDate.now() + aheadMs
    }
  }
}
