import { expect, it } from 'vitest'
import { NOTICE } from '../../core/words/en/notice.ts'
import { toMyCourses } from './notices.ts'

it('my courses are led to at once by who is signed in, by everybody else through signing in', () => {
  const person = { id: 'one' } as NonNullable<Parameters<typeof toMyCourses>[0]['person']>
  expect(toMyCourses({ person })).toEqual({ label: NOTICE.myCourses, href: '/my' })
  expect(toMyCourses({ person: null })).toEqual({ label: NOTICE.signIn, href: '/sign-in?then=%2Fmy' })
})
