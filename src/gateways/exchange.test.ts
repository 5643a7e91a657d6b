import { createServer, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo, Socket } from 'node:net'
import { afterEach, expect, it } from 'vitest'
import { exchange } from './exchange.ts'

const ended: (() => void)[] = []
afterEach(() => {
  for (const end of ended.splice(0)) end()
})

interface SentRequest {
  method: string | undefined
  headers: Record<string, unknown>
  body: string
  socket: Socket
}

/** A server that answers as it is told to. */
async function serving(answer: (response: ServerResponse, asked: SentRequest, n: number) => void) {
  const asked: SentRequest[] = []
  const server: Server = createServer((request, response) => {
    let body = ''
    request.on('data', (part) => {
      body += part
    })
    request.on('end', () => {
      const one = { method: request.method, headers: request.headers, body, socket: request.socket }
      asked.push(one)
      answer(response, one, asked.length)
    })
  })
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  ended.push(() => {
    server.closeAllConnections()
    server.close()
  })
  return { url: `http://127.0.0.1:${(server.address() as AddressInfo).port}/pay`, asked }
}

const post = (body: string | null, timeoutMs = 5_000) => ({
  method: 'POST',
  headers: { 'x-key': 'k' },
  body,
  timeoutMs,
})

it('sends what it is given and reads the whole answer, in pieces too, letters of several bytes cut in two', async () => {
  const text = JSON.stringify({ said: 'Köln – 価格' })
  const { url, asked } = await serving((response) => {
    const bytes = Buffer.from(text)
    response.statusCode = 402
    const cut = bytes.indexOf(Buffer.from('ö')) + 1
    response.write(bytes.subarray(0, cut))
    setTimeout(() => response.end(bytes.subarray(cut)), 20)
  })
  expect(await exchange(url, post('{"a":"ä"}'))).toEqual({ status: 402, text })
  expect(asked).toMatchObject([
    { method: 'POST', body: '{"a":"ä"}', headers: { 'x-key': 'k', 'content-length': '10' } },
  ])
})

it('keeps the connection for the next call', async () => {
  const { url, asked } = await serving((response) => response.end('{}'))
  await exchange(url, post('1'))
  await exchange(url, post('2'))
  expect(asked[1]?.socket).toBe(asked[0]?.socket)
})

it('asks once more where a kept connection ended before anything was answered, and only then', async () => {
  const { url, asked } = await serving((response, { socket }, n) => {
    if (n === 2) socket.destroy()
    else response.end(String(n))
  })
  await exchange(url, post('first'))
  expect(await exchange(url, post('second'))).toEqual({ status: 200, text: '3' })
  expect(asked.map(({ body }) => body)).toEqual(['first', 'second', 'second'])
})

it('does not ask again on a new connection that breaks, nor where the answer had begun', async () => {
  const broken = await serving((_, { socket }) => socket.destroy())
  await expect(exchange(broken.url, post('x'))).rejects.toThrow()
  expect(broken.asked).toHaveLength(1)
  const begun = await serving((response, { socket }, n) => {
    if (n === 1) return response.end('{}')
    response.writeHead(200, { 'content-length': '100' })
    response.write('{"state":')
    setTimeout(() => socket.destroy(), 20)
  })
  await exchange(begun.url, post('x'))
  await expect(exchange(begun.url, post('y'))).rejects.toThrow()
  expect(begun.asked).toHaveLength(2)
})

it('waits no longer than it is told to, also where an answer began and never ends', async () => {
  const silent = await serving(() => {})
  await expect(exchange(silent.url, post('x', 60))).rejects.toThrow('no answer within 60 ms')
  const slow = await serving((response) => response.write('{'))
  await expect(exchange(slow.url, post('x', 60))).rejects.toThrow()
})

it('says so where nobody listens', async () => {
  const { url } = await serving((response) => response.end())
  for (const end of ended.splice(0)) end()
  await new Promise((done) => setTimeout(done, 20))
  await expect(exchange(url, post(null))).rejects.toThrow(/ECONNREFUSED|ECONNRESET/)
})
