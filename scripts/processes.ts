import { type ChildProcess, spawn } from 'node:child_process'
import { SetUpError } from './postgres.ts'

export interface Part {
  name: string
  args: string[]
  /** What it prints when it is ready. */
  ready: RegExp
}

const READY_MS = 60_000

/** Starts a part of the product as a child that ends with this process, and waits until it is ready. */
export function startPart({ name, args, ready }: Part, env: NodeJS.ProcessEnv): Promise<ChildProcess> {
  const child = spawn(process.execPath, ['--import', 'tsx', ...args], { env, stdio: ['ignore', 'pipe', 'pipe', 'ipc'] })
  return new Promise((resolve, reject) => {
    let said = ''
    const timer = setTimeout(() => reject(new Error(`${name} did not start within a minute:\n${said}`)), READY_MS)
    const hear = (chunk: Buffer, isError: boolean) => {
      const text = chunk.toString()
      said += text
      if (isError) process.stderr.write(text)
      if (ready.test(said)) {
        clearTimeout(timer)
        resolve(child)
      }
    }
    child.stdout?.on('data', (chunk: Buffer) => hear(chunk, false))
    child.stderr?.on('data', (chunk: Buffer) => hear(chunk, true))
    child.once('exit', (code) => {
      clearTimeout(timer)
      reject(new Error(`${name} ended at once (status ${code}):\n${said}`))
    })
  })
}

/**
 * Runs a step of setting up in a process of its own, which takes its memory with it when it is done.
 * @returns what it says of itself, false where it says nothing. @throws SetUpError where it fails; it has said why.
 */
export function runStep(args: string[], env: NodeJS.ProcessEnv = {}): Promise<boolean> {
  const child = spawn(process.execPath, ['--import', 'tsx', ...args], {
    env: { ...process.env, ...env },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  })
  let said = false
  child.on('message', (message) => {
    said = message === true
  })
  return new Promise((resolve, reject) => {
    child.once('exit', (code) =>
      code === 0 ? resolve(said) : reject(new SetUpError(`${args[0]} ended with status ${code}.`)),
    )
  })
}

/** The three parts, in the order in which they need each other. */
export const PARTS: Part[] = [
  { name: 'stand-ins', args: ['src/standins/main.ts'], ready: /stand-ins: / },
  { name: 'worker', args: ['src/server/main.ts', 'worker'], ready: /worker: ready/ },
  { name: 'server', args: ['src/server/main.ts', 'server'], ready: /server: / },
]

/** Asks a child to end and waits for it. */
export function endPart(child: ChildProcess): Promise<void> {
  return new Promise((resolve) => {
    if (child.exitCode !== null || child.signalCode !== null) return resolve()
    const hard = setTimeout(() => child.kill('SIGKILL'), 15_000)
    child.once('exit', () => {
      clearTimeout(hard)
      resolve()
    })
    child.kill('SIGTERM')
  })
}
