import { csv } from '../money/files.ts'
import { dayFor } from '../school/service.ts'
import type { peopleFor } from './service.ts'

/** Buyers as CSV (RFC 4180), with how many orders they paid and how many courses they have; days as ISO 8601 in the school's zone. */
export function peopleCsv(rows: Awaited<ReturnType<typeof peopleFor>>, timeZone: string): string {
  const fields = ['name', 'email', 'since', 'orders', 'courses']
  const data = rows.map(({ name, email, createdAt, orders, courses }) => [
    ...[name, email, dayFor({ timeZone }, createdAt), orders, courses],
  ])
  return csv(fields, data)
}
