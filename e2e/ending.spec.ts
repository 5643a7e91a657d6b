import { connect } from 'node:net'
import { endPart, startPart } from '../scripts/processes.ts'
import { expect, running, test } from './acorn.ts'

test('a server that is asked to end does so, also while somebody’s request never finishes', async () => {
  const { databaseUrl, dataDir, standins, origin } = running()
  const port = Number(new URL(origin).port) + 50
  const env = {
    ...process.env,
    PORT: String(port),
    DATABASE_URL: databaseUrl,
    DATA_DIR: dataDir,
    DIST: '.data/test-dist',
    STANDINS_PORT: new URL(standins).port,
  }
  const server = await startPart(
    { name: 'another server', args: ['.data/test-parts/server.js', 'server'], ready: /server: / },
    env,
  )
  const slow = connect(port, '127.0.0.1')
  slow.on('error', () => {})
  await new Promise<void>((resolve) => slow.once('connect', () => resolve()))
  slow.write(
    `POST /api/session/sign-in HTTP/1.1\r\nhost: 127.0.0.1:${port}\r\norigin: http://localhost:${port}\r\n` +
      'content-type: application/json\r\ncontent-length: 1000\r\n\r\n{"email":',
  )
  // What was sent before this has been read when it is answered.
  await fetch(`http://127.0.0.1:${port}/`, { headers: { connection: 'close' } })
  await endPart(server)
  // Killed it would have no status of its own; in order it has one.
  expect(server.signalCode).toBeNull()
  expect(server.exitCode).not.toBeNull()
  slow.destroy()
})
