import { expect, it } from 'vitest'
import { THANKS } from '../words/en/shop.ts'
import { transferRows } from './transferRows.ts'

const account = {
  holder: 'Fold & Quire',
  iban: 'AT34 0000 0000 1234 5678',
  accountNumber: '',
  bankCode: '',
  bankCodeName: '',
  bic: '',
  lines: '',
  reference: 'RF18 5390',
}

it('rows of what is empty are left out; a code is called what its country calls it', () => {
  expect(transferRows('€12.00', account, THANKS)).toEqual([
    ['Amount', '€12.00'],
    ['To', 'Fold & Quire'],
    ['IBAN', 'AT34 0000 0000 1234 5678'],
    ['Reference', 'RF18 5390'],
  ])
  expect(transferRows('€12.00', { ...account, bic: 'TESTATWW' }, THANKS)).toContainEqual(['BIC', 'TESTATWW'])
  const other = { ...account, iban: '', accountNumber: '405', bankCode: '632', bic: 'TESTZAJJ', reference: '1042' }
  expect(transferRows('R 12.00', { ...other, bankCodeName: 'Branch code' }, THANKS)).toEqual([
    ['Amount', 'R 12.00'],
    ['To', 'Fold & Quire'],
    ['Account number', '405'],
    ['Branch code', '632'],
    ['BIC or other code', 'TESTZAJJ'],
    ['Reference', '1042'],
  ])
  expect(transferRows('R 12.00', other, THANKS)).toContainEqual(['Bank code', '632'])
})
