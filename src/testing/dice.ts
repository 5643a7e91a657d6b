/** Chance that comes out the same for the same seed. */
export class Dice {
  private state: number

  constructor(seed: number) {
    this.state = (seed * 2_654_435_761) % 2_147_483_648
  }

  /** From 0 up to 1. */
  roll(): number {
    this.state = (this.state * 1_103_515_245 + 12_345) % 2_147_483_648
    return this.state / 2_147_483_648
  }

  chance(of: number): boolean {
    return this.roll() < of
  }

  pick<T>(list: readonly T[]): T {
    return list[Math.floor(this.roll() * list.length)] as T
  }

  /** A whole number that is `expected` in the long run. */
  about(expected: number): number {
    return Math.floor(expected) + (this.chance(expected % 1) ? 1 : 0)
  }
}
