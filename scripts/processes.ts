import { type ChildProcess, spawn } from 'node:child_process'
import { SetUpError } from './postgres.ts'

export interface Part {
  name: string
  /** What Node is started with. */
  args: string[]
  /** What it prints when it is ready. */
  ready: RegExp
}

const READY_MS = 180_000

/** Starts a part of the product as a child that ends with this process, and waits until it is ready. */
export function startPart({ name, args, ready }: Part, env: NodeJS.ProcessEnv): Promise<ChildProcess> {
  const child = spawn(process.execPath, args, { env, stdio: ['ignore', 'pipe', 'pipe', 'ipc'] })
  return new Promise((resolve, reject) => {
    let said = ''
    const timer = setTimeout(() => reject(new Error(`${name} did not start within three minutes:\n${said}`)), READY_MS)
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

/** How long a part that ended rests before it is started anew: at first, and at most, doubled each time, in milliseconds. */
const PAUSE_MS = { first: 1000, most: 60_000 }
/** A part that ran for so long ended for another reason than the time before. */
const LASTED_MS = 60_000

export interface WatchedPart {
  /** Asks it to end, and waits for that; it is not started anew. */
  end: () => Promise<void>
}

/**
 * Starts a part, and starts it anew whenever it ends by itself, after a pause that grows.
 * @param say is told of each end and each start.
 * @throws where it never answered: then something is wrong that no second start mends.
 */
export async function keepRunning(
  part: Part,
  env: NodeJS.ProcessEnv,
  say: (what: string) => void,
  pauseMs = PAUSE_MS,
): Promise<WatchedPart> {
  let child: ChildProcess | null = null
  let timer: NodeJS.Timeout | undefined
  let isEnding = false
  let pause = pauseMs.first
  const watch = (started: ChildProcess) => {
    child = started
    const startedAt = performance.now()
    const again = (code: number | null, signal: string | null) => {
      child = null
      if (isEnding) return
      if (performance.now() - startedAt > LASTED_MS) pause = pauseMs.first
      startLater(`${part.name} ended by itself (${signal ?? `status ${code}`}).`)
    }
    if (started.exitCode !== null || started.signalCode !== null) again(started.exitCode, started.signalCode)
    else started.once('exit', again)
  }
  const startLater = (why: string) => {
    say(`${why} It is started anew in ${pause / 1000} s.`)
    timer = setTimeout(async () => {
      try {
        watch(await startPart(part, env))
        say(`${part.name} runs again.`)
        if (isEnding && child) await endPart(child)
      } catch (error) {
        if (!isEnding) startLater(error instanceof Error ? error.message : String(error))
      }
    }, pause)
    pause = Math.min(2 * pause, pauseMs.most)
  }
  watch(await startPart(part, env))
  return {
    end: async () => {
      isEnding = true
      clearTimeout(timer)
      if (child) await endPart(child)
    },
  }
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

/** The three parts, in the order in which they need each other, by the programs of the stand-ins and of the server. */
function partsOf(standins: string[], server: string[]): Part[] {
  return [
    { name: 'stand-ins', args: standins, ready: /stand-ins: / },
    { name: 'worker', args: [...server, 'worker'], ready: /worker: ready/ },
    { name: 'server', args: [...server, 'server'], ready: /server: / },
  ]
}

export const PARTS = partsOf(['--import', 'tsx', 'src/standins/main.ts'], ['--import', 'tsx', 'src/server/main.ts'])

/** The same, bundled into a folder. They start faster, for whoever starts many. */
export async function bundleParts(folder: string): Promise<Part[]> {
  const { bundle } = await import('./bundle.ts')
  await bundle({ standins: 'src/standins/main.ts', server: 'src/server/main.ts' }, folder, false)
  return partsOf([`${folder}/standins.js`], [`${folder}/server.js`])
}

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
