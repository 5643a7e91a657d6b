import { describe, expect, it } from 'vitest'
import { problemOf } from './problemOf.ts'

/** An error as PostgreSQL's driver gives it, wrapped as Drizzle does. */
const thrown = (code: string | undefined, message = 'failed') =>
  new Error('Failed query: select 1', { cause: Object.assign(new Error(message), { code }) })

describe('what passes is answered 503, with when to ask again', () => {
  it.each([
    ['the disk is full', thrown('53100', 'could not extend file: No space left on device')],
    ['no memory is left', thrown('53200')],
    ['no connection is left', thrown('53300', 'sorry, too many clients already')],
    ['a limit of the configuration', thrown('53400')],
    ['the disk does not answer', thrown('58030', 'could not read block 3')],
    ['an administrator ended it', thrown('57P01')],
    ['another process crashed', thrown('57P02')],
    ['it starts up', thrown('57P03', 'the database system is starting up')],
    ['the database was dropped', thrown('57P04')],
    ['a connection that was idle too long', thrown('57P05')],
    ['the connection failed', thrown('08006')],
    ['a deadlock', thrown('40P01')],
    ['a statement that took too long', thrown('57014')],
    ['a pipe that broke', thrown('EPIPE', 'write EPIPE')],
    ['a reset', thrown('ECONNRESET', 'read ECONNRESET')],
    ['nobody listens', thrown('ECONNREFUSED', 'connect ECONNREFUSED 127.0.0.1:7330')],
    ['no route', thrown('EHOSTUNREACH')],
    ['a system that gave up', thrown('ETIMEDOUT', 'read ETIMEDOUT')],
    ['a silent network', thrown(undefined, 'Query read timeout')],
    ['a connection that ended', thrown(undefined, 'Connection terminated unexpectedly')],
  ])('%s', (_what, error) => {
    const problem = problemOf(error)
    expect([problem.status, Number(problem.more.retryAfter) > 0]).toEqual([503, true])
  })
})

it.each([
  ['a statement that is wrong', thrown('42P01', 'relation "nothing" does not exist'), 500],
  ['a value that cannot be stored', thrown('22P02'), 422],
  ['a row that is there', thrown('23505'), 409],
  ['anything else', new Error('something else'), 500],
])('%s is none of these', (_what, error, status) => {
  expect(problemOf(error).status).toBe(status)
})
