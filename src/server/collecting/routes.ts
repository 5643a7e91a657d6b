import { type Context, Hono } from 'hono'
import * as v from 'valibot'
import { isDay } from '../../core/calendar/day.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import { readAgreement } from '../agreements/agreements.ts'
import { notFound, Problem } from '../http/problem.ts'
import { validate } from '../http/validate.ts'
import { inMode, type Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { countGuesses } from '../session/guesses.ts'
import { answering, keyed, keyedByCreator, keyOf } from '../session/keyed.ts'
import { browserHashOf, visitorOf } from '../session/visitor.ts'
import {
  cancelAgreement,
  moveDue,
  resumeRetrying,
  sendPayLink,
  stopRetrying,
  takeCancelBack,
  writeOff,
} from './actions.ts'
import {
  changeMethod,
  checkManualPayment,
  isPaidByNow,
  leaveManualPayment,
  type ManualPaymentOutcome,
  payManually,
} from './manualPayment.ts'
import { modeOfPayLink, readUsedPayLink } from './payLinks.ts'
import { askFor } from './view.ts'

const byKey = v.object({ key: v.pipe(v.string(), v.maxLength(100)) })
const payment = {
  connectionId: v.pipe(v.string(), v.uuid('Choose how to pay.')),
  token: v.pipe(v.string(), v.maxLength(200)),
}
const wholeNumber = v.pipe(v.number(), v.safeInteger(), v.minValue(0))
/** What is to be charged, as the page said it. */
const trySchema = v.object({
  agreed: wholeNumber,
  from: wholeNumber,
  to: wholeNumber,
})
const paySchema = v.object({
  ...payment,
  /** Null: by what is kept for the agreement. */
  connectionId: v.nullable(payment.connectionId),
  ...trySchema.entries,
})
const note = v.pipe(
  v.string(),
  v.trim(),
  v.nonEmpty('Say why. It is kept in the history.'),
  v.maxLength(300, 'Use at most 300 characters.'),
)

/** What a buyer does about an agreement of theirs: by its id when signed in, or by a link in a message. */
export function planRoutes(base: Services) {
  const asked = async (c: Context, key: string) => {
    const visitor = await visitorOf(c, base, await getSchool(base.db))
    const services = await inMode(base, (await modeOfPayLink(base, key)) ?? visitor.mode)
    const found = await askFor(services, key, visitor)
    if (!found) throw new Problem(410, 'link-ended', REFUSED.linkEnded)
    return { services, ...found }
  }
  const usedLink = async (c: Context, key: string) => {
    const { mode } = await visitorOf(c, base, await getSchool(base.db))
    const services = await inMode(base, (await modeOfPayLink(base, key)) ?? mode)
    const link = await readUsedPayLink(services, key)
    return link && { services, ...link }
  }
  const byBuyer = keyed(base, async (c) => {
    const { mode, person, address: stranger } = await visitorOf(c, base, await getSchool(base.db))
    return person ? { who: person.id, mode } : { who: browserHashOf(c, base.config, keyOf(c)), mode, stranger }
  })
  return new Hono()
    .use(countGuesses(base))
    .post('/:key/pay', validate('param', byKey), validate('json', paySchema), byBuyer, async (c) => {
      const { key } = c.req.valid('param')
      const used = await usedLink(c, key)
      // A second press, or a second tab: what the link was for is paid, and nothing else is done by it.
      if (used && (await isPaidByNow(used.services, used.agreementId, c.req.valid('json')))) {
        return c.json<ManualPaymentOutcome>({ state: 'paid' })
      }
      const { services, agreementId, byLink } = await asked(c, key)
      const returnTo = `${byLink ? '/pay' : '/my/plan'}/${key}?back=1`
      return c.json(await payManually(answering(c, services), agreementId, { ...c.req.valid('json'), returnTo }))
    })
    .post('/:key/check', validate('param', byKey), async (c) => {
      const { services, agreementId } = await asked(c, c.req.valid('param').key)
      return c.json(await checkManualPayment(services, agreementId))
    })
    .post('/:key/leave', validate('param', byKey), async (c) => {
      const { services, agreementId } = await asked(c, c.req.valid('param').key)
      return c.json(await leaveManualPayment(services, agreementId))
    })
    .put('/:key/method', validate('param', byKey), validate('json', v.object(payment)), byBuyer, async (c) => {
      const { services, agreementId } = await asked(c, c.req.valid('param').key)
      await changeMethod(answering(c, services), agreementId, c.req.valid('json'))
      return c.json({ ok: true })
    })
    .post('/:key/cancel', validate('param', byKey), byBuyer, async (c) => {
      const { services, agreementId, byLink } = await asked(c, c.req.valid('param').key)
      if (byLink) throw new Problem(403, 'not-by-link', REFUSED.cancelByLink)
      await cancelAgreement(answering(c, services), agreementId, 'period-end', 'buyer')
      return c.json({ ok: true })
    })
    .post('/:key/uncancel', validate('param', byKey), byBuyer, async (c) => {
      const { services, agreementId, byLink } = await asked(c, c.req.valid('param').key)
      if (byLink) throw new Problem(403, 'not-by-link', REFUSED.uncancelByLink)
      await takeCancelBack(answering(c, services), agreementId, 'buyer')
      return c.json({ ok: true })
    })
}

const byId = v.object({ id: v.pipe(v.string(), v.uuid('There is no such agreement.')) })

/** What the creator does about an agreement, for its buyer. */
export function agreementRoutes(base: Services) {
  const inTheirMode = async (c: { var: StudioEnv['Variables'] }, id: string) => {
    const { row } = await readAgreement(base.db, id)
    if (row.mode !== c.var.mode) throw notFound('agreement')
    return inMode(base, row.mode)
  }
  const once = keyedByCreator(base)
  return new Hono<StudioEnv>()
    .use(creatorOnly(base))
    .post(
      '/:id/cancel',
      validate('param', byId),
      validate('json', v.object({ when: v.picklist(['now', 'period-end']) })),
      once,
      async (c) => {
        const { id } = c.req.valid('param')
        await cancelAgreement(answering(c, await inTheirMode(c, id)), id, c.req.valid('json').when, 'creator')
        return c.json({ ok: true })
      },
    )
    .post('/:id/uncancel', validate('param', byId), once, async (c) => {
      const { id } = c.req.valid('param')
      await takeCancelBack(answering(c, await inTheirMode(c, id)), id, 'creator')
      return c.json({ ok: true })
    })
    .post('/:id/stop', validate('param', byId), validate('json', v.object({ note })), once, async (c) => {
      const { id } = c.req.valid('param')
      await stopRetrying(answering(c, await inTheirMode(c, id)), id, c.req.valid('json').note)
      return c.json({ ok: true })
    })
    .post('/:id/write-off', validate('param', byId), validate('json', v.object({ note })), once, async (c) => {
      const { id } = c.req.valid('param')
      await writeOff(answering(c, await inTheirMode(c, id)), id, c.req.valid('json').note)
      return c.json({ ok: true })
    })
    .post('/:id/try', validate('param', byId), validate('json', trySchema), once, async (c) => {
      const { id } = c.req.valid('param')
      const request = { ...c.req.valid('json'), connectionId: null, token: '', by: 'creator' as const }
      return c.json(await payManually(answering(c, await inTheirMode(c, id)), id, request))
    })
    .post('/:id/pay-link', validate('param', byId), once, async (c) => {
      const { id } = c.req.valid('param')
      await sendPayLink(answering(c, await inTheirMode(c, id)), id)
      return c.json({ ok: true })
    })
    .post('/:id/resume-retrying', validate('param', byId), once, async (c) => {
      const { id } = c.req.valid('param')
      await resumeRetrying(answering(c, await inTheirMode(c, id)), id)
      return c.json({ ok: true })
    })
    .post(
      '/:id/move',
      validate('param', byId),
      validate('json', v.object({ day: v.pipe(v.string(), v.check(isDay, 'This date does not exist.')), note })),
      once,
      async (c) => {
        const { id } = c.req.valid('param')
        const { day, note: why } = c.req.valid('json')
        await moveDue(answering(c, await inTheirMode(c, id)), id, day, why)
        return c.json({ ok: true })
      },
    )
}
