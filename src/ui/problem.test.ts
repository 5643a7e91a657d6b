import { describe, expect, it } from 'vitest'
import { ApiError, unwrap } from './problem.ts'

const answer = (status: number, body: unknown) =>
  Promise.resolve({
    ok: status >= 200 && status < 300,
    status,
    json: () => (body instanceof Error ? Promise.reject(body) : Promise.resolve(body)),
  })
const problemOf = (call: Parameters<typeof unwrap>[0]) =>
  unwrap(call).then(
    () => null,
    (error: unknown) => (error instanceof ApiError ? error : Promise.reject(error)),
  )

describe('an answer of the API', () => {
  it('that is good is its body', async () => {
    expect(await unwrap(answer(200, { state: 'paid' }))).toEqual({ state: 'paid' })
  })

  it('that is a problem document says what is wrong, and at which field', async () => {
    const said = await problemOf(
      answer(422, {
        type: 'about:blank',
        status: 422,
        title: 'Some fields are wrong.',
        code: 'invalid',
        errors: [
          { at: '/email', why: 'This is no email address.' },
          { at: '/name', why: 'Write a name.' },
        ],
        retryAfter: 30,
      }),
    )
    expect(said?.problem).toMatchObject({ status: 422, code: 'invalid', more: { retryAfter: 30 } })
    expect(said?.message).toBe('Some fields are wrong.')
    expect([said?.at('/email'), said?.at('/name'), said?.at('/postcode')]).toEqual([
      'This is no email address.',
      'Write a name.',
      undefined,
    ])
    expect(said?.problem.more).not.toHaveProperty('type')
    expect(said?.problem.more).not.toHaveProperty('title')
  })

  it.each([
    ['has no body that can be read', new SyntaxError('Unexpected token <')],
    ['says nothing', {}],
    ['has errors that are no list', { errors: 'all of it' }],
  ])('that %s is still told, without fields', async (_what, body) => {
    const said = await problemOf(answer(502, body))
    expect(said?.problem).toMatchObject({ status: 502, code: 'unknown', errors: [] })
    expect(said?.message).toBe('Something went wrong on our side. Try again.')
  })

  it('that does not come is told as such: nothing that was typed is lost', async () => {
    const said = await problemOf(Promise.reject(new TypeError('Failed to fetch')))
    expect(said?.problem).toMatchObject({ status: 0, code: 'offline', errors: [] })
    expect(said?.message).toContain('Nothing you typed is lost')
  })
})
