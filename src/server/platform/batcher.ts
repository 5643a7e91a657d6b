/**
 * What comes by and by is done a handful at a time: as soon as there are `most`, or `withinMs` after the first. One handful
 * after the other, in the order in which they came.
 */
export class Batcher<T> {
  #waiting: T[] = []
  #timer: ReturnType<typeof setTimeout> | null = null
  #done: Promise<void> = Promise.resolve()
  readonly #most: number
  readonly #withinMs: number
  readonly #run: (items: readonly T[]) => Promise<void>

  constructor(most: number, withinMs: number, run: (items: readonly T[]) => Promise<void>) {
    this.#most = most
    this.#withinMs = withinMs
    this.#run = run
  }

  add(item: T): void {
    this.#waiting.push(item)
    if (this.#waiting.length >= this.#most) this.#flush()
    else this.#timer ??= setTimeout(() => this.#flush(), this.#withinMs)
  }

  /** Does what still waits; ends when all is done. @throws what a handful threw; those after it are not done then. */
  async end(): Promise<void> {
    this.#flush()
    await this.#done
  }

  #flush(): void {
    if (this.#timer !== null) clearTimeout(this.#timer)
    this.#timer = null
    if (this.#waiting.length === 0) return
    const items = this.#waiting
    this.#waiting = []
    this.#done = this.#done.then(() => this.#run(items))
    // What was thrown is told by `end`.
    this.#done.catch(() => {})
  }
}
