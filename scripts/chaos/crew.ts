import { type ChildProcess, spawn } from 'node:child_process'
import type { Dice } from '../../src/testing/dice.ts'
import { bundle } from '../bundle.ts'

const BUILT = '.data/chaos-worker'

/** Workers that are killed at any instruction, each followed by another. */
export class Crew {
  killed = 0
  private all: ChildProcess[] = []
  /** Those that have begun; to kill one that has not would prove nothing. */
  private readonly working = new Set<ChildProcess>()
  private isOver = false

  private constructor(private readonly args: string[]) {}

  static async of(size: number, args: string[]): Promise<Crew> {
    // Hundreds are started.
    await bundle({ worker: 'scripts/chaos/worker.ts' }, BUILT, true)
    const crew = new Crew([`${BUILT}/worker.js`, ...args])
    for (let n = 0; n < size; n++) crew.hire()
    return crew
  }

  kill(dice: Dice): void {
    const child = dice.pick([...this.working])
    if (!child) return
    this.working.delete(child)
    child.kill('SIGKILL')
    this.killed++
  }

  end(): void {
    this.isOver = true
    for (const child of this.all) child.kill('SIGKILL')
  }

  private hire(): void {
    const child = spawn(process.execPath, this.args, {
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    })
    child.once('message', () => this.working.add(child))
    child.once('exit', () => {
      this.all = this.all.filter((other) => other !== child)
      this.working.delete(child)
      if (!this.isOver) this.hire()
    })
    this.all.push(child)
  }
}
