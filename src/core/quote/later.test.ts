import { expect, it } from 'vitest'
import { steadyFrom } from './later.ts'

const later = (...pays: number[]) => ({ later: pays.map((pay, n) => ({ due: `2027-0${n + 1}-15`, pay })) })

it('a price that stays begins where nothing differs any more', () => {
  expect(steadyFrom(later(900, 1900, 1900))).toEqual({ due: '2027-02-15', pay: 1900 })
  expect(steadyFrom(later(900, 950, 1900))).toEqual({ due: '2027-03-15', pay: 1900 })
  expect(steadyFrom(later(1900, 900, 1900, 1900))).toEqual({ due: '2027-03-15', pay: 1900 })
  expect(steadyFrom(later(1900, 1900))).toBeNull()
  expect(steadyFrom(later(1900))).toBeNull()
  expect(steadyFrom(later())).toBeNull()
})
