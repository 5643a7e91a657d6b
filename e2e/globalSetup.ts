import { type ChildProcess, spawn } from 'node:child_process'

/** Starts the product twice, with the demo school and empty, and ends both after the last test. */
export default async function setup() {
  const demo = await startServer([])
  const empty = await startServer(['empty'])
  process.env.ACORN = demo.said
  process.env.ACORN_EMPTY = empty.said
  return async () => {
    await end(empty.child)
    await end(demo.child)
  }
}

function startServer(args: string[]): Promise<{ child: ChildProcess; said: string }> {
  const child = spawn(
    process.execPath,
    ['--import', 'tsx', '--import', './scripts/testDay.mjs', 'scripts/testServer.ts', ...args],
    {
      stdio: ['ignore', 'pipe', 'inherit', 'ipc'],
    },
  )
  return new Promise((resolve, reject) => {
    let output = ''
    child.stdout?.on('data', (chunk: Buffer) => {
      output += chunk.toString()
      const ready = /^ready (.*)$/m.exec(output)
      if (ready) resolve({ child, said: ready[1] as string })
    })
    child.once('exit', (code) => reject(new Error(`The test server ended (status ${code}):\n${output}`)))
  })
}

function end(child: ChildProcess): Promise<void> {
  return new Promise((resolve) => {
    child.once('exit', () => resolve())
    child.kill('SIGTERM')
  })
}
