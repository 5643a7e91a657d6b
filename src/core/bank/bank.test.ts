import fc from 'fast-check'
import { expect, it } from 'vitest'
import { creditorReference, inGroups, isCreditorReference } from './reference.ts'
import { transferCode } from './transferCode.ts'

it('a creditor reference has the check digits of ISO 11649', () => {
  expect(creditorReference('539007547034')).toBe('RF18539007547034')
  expect(inGroups(creditorReference('P1042'))).toMatch(/^RF\d\d P104 2$/)
  expect(() => creditorReference('')).toThrow(RangeError)
  expect(() => creditorReference('A-1')).toThrow(RangeError)
  expect(() => creditorReference('1'.repeat(22))).toThrow(RangeError)
})

it('a mistyped reference is found out: one sign wrong, or two swapped', () => {
  const text = fc.stringMatching(/^[0-9A-Z]{2,21}$/)
  fc.assert(
    fc.property(text, fc.nat(), fc.constantFrom(...'0123456789'), (plain, where, sign) => {
      const reference = creditorReference(plain)
      expect(isCreditorReference(inGroups(reference).toLowerCase())).toBe(true)
      const at = 4 + (where % plain.length)
      if (!/\d/.test(reference[at] as string) || reference[at] === sign) return
      expect(isCreditorReference(reference.slice(0, at) + sign + reference.slice(at + 1))).toBe(false)
    }),
  )
  expect(isCreditorReference('RF18539007547043')).toBe(false)
})

it('the code of a transfer holds its lines in the order of EPC069-12', () => {
  const transfer = { holder: 'Fold & Quire', iban: 'AT001234', bic: '', amount: 12_905, reference: 'RF18539007547034' }
  expect(transferCode(transfer)?.split('\n')).toEqual([
    'BCD',
    '002',
    '1',
    'SCT',
    '',
    'Fold & Quire',
    'AT001234',
    'EUR129.05',
    '',
    'RF18539007547034',
  ])
  expect(transferCode({ ...transfer, amount: 0 })).toBeNull()
  expect(transferCode({ ...transfer, amount: 100_000_000_000 })).toBeNull()
})
