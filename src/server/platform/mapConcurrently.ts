/** Does something for all of a list, at most `most` at the same time; the first error ends it once those begun are done. */
export async function mapConcurrently<T>(
  most: number,
  list: readonly T[],
  run: (item: T) => Promise<unknown>,
): Promise<void> {
  const items = list.values()
  const errors: unknown[] = []
  const turn = async () => {
    for (const item of items) {
      if (errors.length > 0) return
      await run(item).catch((error: unknown) => void errors.push(error))
    }
  }
  await Promise.all(Array.from({ length: most }, turn))
  if (errors.length > 0) throw errors[0]
}
