import { expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { getSchool } from '../school/service.ts'
import { type AgreementFacts, composeAgreement } from './composeAgreement.ts'

const world = ownWorld()
const facts: AgreementFacts = {
  course: 'Club',
  currency: 'EUR',
  method: 'card ending 4821',
  isInstallments: false,
  last: null,
  receipt: null,
  due: 1900,
  dueSince: '2026-12-01',
  next: null,
  why: null,
  closedFrom: null,
  isClosed: false,
  payLink: 'http://x/pay',
  myCourses: 'http://x/my',
  buyAgain: 'http://x/buy',
}
const stopped = async (more: Partial<AgreementFacts>) =>
  composeAgreement(await getSchool(world.db), 'Ada', 'stopped', { ...facts, ...more })?.text ?? null

it('a subscription that has stopped says whether access has ended, ends on a day, or says nothing of it', async () => {
  const ended = await stopped({ closedFrom: '2026-12-04', isClosed: true })
  expect(ended).toContain('Access ended on 4 December 2026.')
  expect(await stopped({ closedFrom: '2026-12-24' })).toContain('Access ends on 24 December 2026.')
  const bare = await stopped({})
  expect(bare).not.toContain('Access')
  expect(bare).toContain('http://x/buy')
})

it('a plan that has stopped leads to what is due, and is not said to have stopped once that is paid', async () => {
  const due = await stopped({ isInstallments: true, closedFrom: '2026-12-24' })
  expect(due).toContain('€19.00')
  expect(due).toContain('http://x/pay')
  expect(await stopped({ isInstallments: true, due: 0 })).toBeNull()
})
