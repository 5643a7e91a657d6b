import { type ChildProcess, spawn } from 'node:child_process'
import type { Dice } from './dice.ts'

/** Workers that are killed at any instruction, each followed by another. */
export class Crew {
  killed = 0
  private all: ChildProcess[] = []
  /** Those that have begun; to kill one that has not would prove nothing. */
  private readonly working = new Set<ChildProcess>()
  private isOver = false

  constructor(
    size: number,
    private readonly args: string[],
  ) {
    for (let n = 0; n < size; n++) this.hire()
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
    const child = spawn(process.execPath, ['--import', 'tsx', 'scripts/chaos/worker.ts', ...this.args], {
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
