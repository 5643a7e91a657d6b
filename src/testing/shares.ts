import { shareOfCourses } from '../core/collecting/refund.ts'

type Rest = Parameters<typeof shareOfCourses> extends [unknown, unknown, ...infer R] ? R : never

/** What some courses of a bundle have of payments 1, 2, …, by weights that hold for all of them. */
export function sharesByWeights(collected: readonly number[], weights: readonly number[], ...rest: Rest): number {
  return shareOfCourses(
    collected.map((amount, index) => ({ n: index + 1, amount })),
    () => weights,
    ...rest,
  )
}
